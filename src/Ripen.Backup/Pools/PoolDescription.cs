using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Ripen.Backup.Pools;

/// <summary>How a pool keeps its secret: wrapped by a key that comes from a passphrase, or in clear.</summary>
public sealed record WrappedSecret
{
    /// <summary>PBKDF2 (RFC 8018) with HMAC-SHA-256.</summary>
    public const string Derivation = "pbkdf2-sha256";

    /// <summary>600,000: OWASP's cheat sheet on password storage, for this derivation (from memory).</summary>
    public const int Iterations = 600_000;

    private const int SaltSize = 16;
    private const int NonceSize = 12;

    [JsonPropertyName("kdf")]
    public string? Kdf { get; init; }

    [JsonPropertyName("iterations")]
    public int? Rounds { get; init; }

    [JsonPropertyName("salt")]
    public byte[]? Salt { get; init; }

    /// <summary>Nonce, ciphertext, tag; or the secret itself where there is no <see cref="Kdf"/>.</summary>
    [JsonPropertyName("secret")]
    public required byte[] Secret { get; init; }

    public static WrappedSecret Of(ReadOnlySpan<byte> secret, string? passphrase, string poolId)
    {
        if (passphrase is null)
            return new WrappedSecret { Secret = secret.ToArray() };
        var salt = RandomNumberGenerator.GetBytes(SaltSize);
        var wrapped = new byte[NonceSize + secret.Length + PoolKeys.TagSize];
        RandomNumberGenerator.Fill(wrapped.AsSpan(0, NonceSize));
        using var cipher = new AesGcm(Key(passphrase, salt, Iterations), PoolKeys.TagSize);
        cipher.Encrypt(
            wrapped.AsSpan(0, NonceSize),
            secret,
            wrapped.AsSpan(NonceSize, secret.Length),
            wrapped.AsSpan(NonceSize + secret.Length),
            About(poolId)
        );
        return new WrappedSecret
        {
            Kdf = Derivation,
            Rounds = Iterations,
            Salt = salt,
            Secret = wrapped,
        };
    }

    /// <exception cref="RefusalException">The passphrase is not the one that it was wrapped by, or is missing.</exception>
    public byte[] Unwrap(string? passphrase, string poolId)
    {
        if (Kdf is null)
            return Secret;
        if (
            Kdf != Derivation
            || Rounds is not (> 0 and <= 100_000_000)
            || Salt is null
            || Secret.Length != NonceSize + PoolKeys.Size + PoolKeys.TagSize
        )
            throw Damage.Of(PoolDescription.Key, "does not say how its secret is wrapped");
        if (passphrase is null)
            throw new RefusalException(RefusalKind.Forbidden, "needs-passphrase", "This pool is encrypted: its passphrase is needed.");
        var secret = new byte[PoolKeys.Size];
        using var cipher = new AesGcm(Key(passphrase, Salt, Rounds.Value), PoolKeys.TagSize);
        try
        {
            cipher.Decrypt(
                Secret.AsSpan(0, NonceSize),
                Secret.AsSpan(NonceSize, PoolKeys.Size),
                Secret.AsSpan(NonceSize + PoolKeys.Size),
                secret,
                About(poolId)
            );
        }
        catch (AuthenticationTagMismatchException)
        {
            throw new RefusalException(
                RefusalKind.Forbidden,
                "wrong-passphrase",
                "This is not the pool's passphrase. Without it nobody can read the pool: there is no other way in."
            );
        }
        return secret;
    }

    private static byte[] Key(string passphrase, byte[] salt, int rounds) =>
        Rfc2898DeriveBytes.Pbkdf2(Encoding.UTF8.GetBytes(passphrase.Normalize()), salt, rounds, HashAlgorithmName.SHA256, PoolKeys.Size);

    private static byte[] About(string poolId) => Encoding.ASCII.GetBytes($"ripen-pool-1:{poolId}");
}

/// <summary>What the object <c>pool.json</c> says: everything that a reader needs besides the passphrase.</summary>
public sealed record PoolDescription
{
    public const string Key = "pool.json";
    public const int Newest = 3;

    /// <summary>Like 2, which has no lists by themselves, and in which nothing is stored apart.</summary>
    public const int Oldest = 1;

    /// <summary>From this one on lists of entries lie in packs of their own.</summary>
    private const int ListsByThemselves = 3;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        TypeInfoResolver = Stored.Members,
        WriteIndented = true,
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Skip,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    };

    public required int Format { get; init; }

    /// <summary>32 hexadecimal digits, random.</summary>
    public required string Id { get; init; }
    public required DateTimeOffset Made { get; init; }
    public required bool Compresses { get; init; }
    public required bool Encrypts { get; init; }

    /// <summary>Whether equal content is stored once; otherwise every full run stores all of its own. Not init: JSON that is worked out while it is
    /// compiled would take a text that leaves it out as false.</summary>
    public bool Deduplicates { get; set; } = true;

    /// <summary>A pack is closed when it has so many bytes.</summary>
    public required int PackBytes { get; init; }

    public required WrappedSecret Wrapped { get; init; }

    /// <summary>Where packs of points' lists of entries lie.</summary>
    [JsonIgnore]
    internal string ListFolder => Format >= ListsByThemselves ? Packs.ListFolder : Packs.Folder;

    public byte[] Write() => Stored.Write(this, Json);

    /// <exception cref="RefusalException">It is no pool's description, or one of a format that this program does not know.</exception>
    public static PoolDescription Read(ReadOnlySpan<byte> text)
    {
        PoolDescription? read;
        try
        {
            read = Stored.Read<PoolDescription>(text, Json);
        }
        catch (JsonException)
        {
            throw Damage.Of(Key, "is no description of a pool");
        }
        if (read is null || read.PackBytes is < 1 or > 1 << 30)
            throw Damage.Of(Key, "is no description of a pool");
        return read.Format is >= Oldest and <= Newest
            ? read
            : throw new RefusalException(
                RefusalKind.Invalid,
                "unknown-format",
                $"This pool is of format {read.Format}, and this program reads and writes formats {Oldest} to {Newest}."
            );
    }
}
