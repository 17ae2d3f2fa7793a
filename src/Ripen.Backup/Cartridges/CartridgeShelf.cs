using System.Collections.Concurrent;
using System.Formats.Tar;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Cartridges;

/// <summary>What the object <c>library.json</c> says: everything that is needed besides the passphrase.</summary>
public sealed record CartridgeShelfDescription
{
    public const string Key = "library.json";
    public const int Newest = 1;

    public required int Format { get; init; }

    /// <summary>32 hexadecimal digits, random.</summary>
    public required string Id { get; init; }
    public required DateTimeOffset Made { get; init; }

    /// <summary>A cartridge holds so many bytes, before they are compressed.</summary>
    public required long CartridgeBytes { get; init; }
    public required bool Encrypts { get; init; }
    public required bool Compresses { get; init; }
    public required WrappedSecret Wrapped { get; init; }
}

/// <summary>
/// Cartridges in a place. What is written onto one lies there as pieces of one POSIX tar archive (pax, IEEE 1003.1-2001): each file of a
/// cartridge as members <c>0001/00000000</c>, <c>0001/00000001</c> and so on, and a last one that bears its length and its SHA-256. A file
/// counts when that last piece is there; what broke off before is not on the cartridge. Pieces lie below a name of their attempt, so that
/// one that broke off is in nobody's way where the place keeps everything for a while.
/// </summary>
public sealed class CartridgeShelf
{
    private const string Labels = "labels/";
    private const string Data = "data/";
    private const string End = "end-";
    private const string LengthRecord = "RIPEN.length";
    private const string SumRecord = "RIPEN.sha256";
    private const int PartBytes = 8 << 20;
    private const int MostPieceBytes = PartBytes + (1 << 16);
    private const int TarBlock = 512;
    private const int MostDescriptionBytes = 1 << 16;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    };

    private readonly SealedObjects objects;

    // A label is never written again under its name: who looks twice reads once.
    private readonly ConcurrentDictionary<string, CartridgeLabel> known = [];

    private CartridgeShelf(CartridgeShelfDescription description, SealedObjects objects)
    {
        Description = description;
        this.objects = objects;
    }

    public CartridgeShelfDescription Description { get; }

    /// <summary>Everything that was written onto a cartridge begins so.</summary>
    public static string DataOf(int cartridge) => $"{Data}{cartridge.ToString("D6", CultureInfo.InvariantCulture)}/";

    /// <returns>The secret that opens it.</returns>
    /// <exception cref="RefusalException">There is one already (code <c>exists</c>).</exception>
    public static async Task<byte[]> Create(
        IPoolObjects place,
        long cartridgeBytes,
        bool compresses,
        string? passphrase,
        DateTimeOffset now,
        CancellationToken cancel
    )
    {
        var secret = RandomNumberGenerator.GetBytes(PoolKeys.Size);
        var id = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16));
        var description = new CartridgeShelfDescription
        {
            Format = CartridgeShelfDescription.Newest,
            Id = id,
            Made = now,
            CartridgeBytes = cartridgeBytes,
            Encrypts = passphrase is not null,
            Compresses = compresses,
            Wrapped = WrappedSecret.Of(secret, passphrase, id),
        };
        await place.Put(CartridgeShelfDescription.Key, Stored.Write(description, Json), cancel);
        return secret;
    }

    /// <exception cref="RefusalException">There is none (code <c>no-library</c>), or one that this program cannot read.</exception>
    public static async Task<CartridgeShelfDescription> Describe(IPoolObjects place, CancellationToken cancel)
    {
        const string key = CartridgeShelfDescription.Key;
        try
        {
            var read = Stored.Read<CartridgeShelfDescription>(await place.Read(key, 0, MostDescriptionBytes, cancel), Json);
            return read is { Format: CartridgeShelfDescription.Newest, CartridgeBytes: > 0 }
                ? read
                : throw Damage.Of(key, "is no description of cartridges that this program knows");
        }
        catch (RefusalException none) when (none.Code == "no-object")
        {
            throw new RefusalException(RefusalKind.NotFound, "no-library", "There are no cartridges here yet; make the library.");
        }
        catch (JsonException)
        {
            throw Damage.Of(key, "is no description of cartridges");
        }
    }

    public static CartridgeShelf Open(IPoolObjects place, CartridgeShelfDescription description, byte[] secret) =>
        new(description, new SealedObjects(place, new PoolKeys(secret), description.Compresses));

    /// <summary>All of them, by number.</summary>
    public async Task<IReadOnlyList<Cartridge>> All(CancellationToken cancel)
    {
        var labels = await ReadLabels(cancel);
        var files = (await objects.Raw.List(Data, cancel)).ToLookup(o => o.Key[..DataOf(0).Length], StringComparer.Ordinal);
        return [.. labels.Select(label => new Cartridge(label, FilesOf(label, files[DataOf(label.Number)].Select(o => o.Key))))];
    }

    /// <exception cref="RefusalException">There is none of this number.</exception>
    public async Task<Cartridge> Find(int number, CancellationToken cancel)
    {
        var label =
            (await ReadLabels(cancel)).FirstOrDefault(l => l.Number == number)
            ?? throw new RefusalException(RefusalKind.NotFound, "no-cartridge", $"There is no cartridge {number}.");
        return new Cartridge(label, FilesOf(label, (await objects.Raw.List(GenerationOf(label), cancel)).Select(o => o.Key)));
    }

    /// <summary>One more, blank, of the next number.</summary>
    public async Task<CartridgeLabel> Add(CancellationToken cancel)
    {
        var last = (await ReadLabels(cancel)).Select(l => l.Number).DefaultIfEmpty().Max();
        var label = new CartridgeLabel(last + 1, 1, Protected: false, KeepUntil: null);
        await PutLabel(label, 1, cancel);
        return label;
    }

    /// <summary>Protects it or not, and keeps it for longer.</summary>
    /// <exception cref="RefusalException">It would be kept for less than was said (code <c>kept</c>).</exception>
    public async Task<CartridgeLabel> Change(int number, bool isProtected, DateOnly? keepUntil, CancellationToken cancel)
    {
        var label = (await Find(number, cancel)).Label;
        if (label.KeepUntil is { } kept && (keepUntil is null || keepUntil < kept))
            throw new RefusalException(
                RefusalKind.Forbidden,
                "kept",
                $"Cartridge {number} is kept until {kept:yyyy-MM-dd}: that can be made later, and not earlier.",
                "$.keepUntil"
            );
        return await Relabel(label with { Protected = isProtected, KeepUntil = keepUntil }, cancel);
    }

    /// <summary>Begins it from its beginning: what is on it is gone.</summary>
    /// <exception cref="RefusalException">It is protected, or kept; the place may keep what lies there, too.</exception>
    public async Task<CartridgeLabel> Erase(int number, DateOnly today, CancellationToken cancel)
    {
        var label = (await Find(number, cancel)).Label;
        Demand(label);
        if (label.KeepUntil > today)
            throw new RefusalException(
                RefusalKind.Forbidden,
                "kept",
                $"Cartridge {number} is kept until {label.KeepUntil:yyyy-MM-dd}, and cannot be begun anew before."
            );
        // The newest is kept longest: where the place refuses, it refuses before anything is gone.
        var pieces = (await objects.Raw.List(GenerationOf(label), cancel)).Select(o => o.Key).OrderDescending(StringComparer.Ordinal);
        foreach (var piece in pieces)
            await objects.Raw.Delete(piece, cancel);
        return await Relabel(label with { Generation = label.Generation + 1, KeepUntil = null }, cancel);
    }

    /// <summary>Writes one file behind the last one of the cartridge, until the stream ends. It is there when this returns a file.</summary>
    /// <param name="number">Of the cartridge.</param>
    /// <param name="source">What to write.</param>
    /// <param name="tell">How many bytes are written.</param>
    /// <param name="cancel">Stops; nothing of the file stays.</param>
    /// <returns>Null for an empty stream, of which nothing is kept.</returns>
    /// <exception cref="RefusalException">It is protected, or full (code <c>cartridge-full</c>): nothing of the file stays.</exception>
    public async Task<CartridgeFile?> Append(int number, Stream source, Action<long> tell, CancellationToken cancel)
    {
        var cartridge = await Find(number, cancel);
        Demand(cartridge.Label);
        var file = cartridge.Files.Count + 1;
        var attempt = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(4));
        var folder = $"{GenerationOf(cartridge.Label)}{Four(file)}.{attempt}/";
        using var sum = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        var room = Description.CartridgeBytes - cartridge.Bytes;
        var (written, parts) = (0L, 0);
        var part = new byte[PartBytes];
        try
        {
            while (await source.ReadAtLeastAsync(part, part.Length, throwOnEndOfStream: false, cancel) is var count and > 0)
            {
                if (written + count > room)
                    throw new RefusalException(
                        RefusalKind.Full,
                        "cartridge-full",
                        $"Cartridge {number} has room for {Wording.Bytes(room)} more, and this is longer: nothing of it was kept. Load another one."
                    );
                sum.AppendData(part, 0, count);
                var name = $"{Four(file)}/{parts.ToString("D8", CultureInfo.InvariantCulture)}";
                await objects.Put(
                    $"{folder}{parts.ToString("D8", CultureInfo.InvariantCulture)}",
                    Member(name, part.AsMemory(0, count), []),
                    cancel
                );
                parts++;
                tell(written += count);
            }
            if (written == 0)
                return null;
            var records = new Dictionary<string, string>
            {
                [LengthRecord] = written.ToString(CultureInfo.InvariantCulture),
                [SumRecord] = Convert.ToHexStringLower(sum.GetHashAndReset()),
            };
            await objects.Put($"{folder}{End}{written}", Member($"{Four(file)}/end", ReadOnlyMemory<byte>.Empty, records), cancel);
            return new CartridgeFile(file, written) { Folder = folder };
        }
        catch
        {
            await Sweep(folder, CancellationToken.None);
            throw;
        }
    }

    /// <summary>Sends a file as it was written, and compares it with its checksum at its end.</summary>
    /// <exception cref="RefusalException">There is no such file, or it is not as it was written.</exception>
    public async Task Send(int number, int file, Stream target, CancellationToken cancel)
    {
        var cartridge = await Find(number, cancel);
        if (file < 1 || file > cartridge.Files.Count)
            throw new RefusalException(
                RefusalKind.NotFound,
                "no-file",
                $"Cartridge {number} has {cartridge.Files.Count} files, and none of number {file}."
            );
        using var sum = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        var sent = 0L;
        foreach (var key in await Pieces(cartridge.Files[file - 1].Folder, cancel))
        {
            using var reader = new TarReader(new MemoryStream(await objects.Read(key, MostPieceBytes, cancel), writable: false));
            if (await reader.GetNextEntryAsync(copyData: false, cancel) is not PaxTarEntry entry)
                throw Damage.Of(key, "holds no member of an archive");
            if (entry.ExtendedAttributes.TryGetValue(SumRecord, out var said))
            {
                if (
                    said != Convert.ToHexStringLower(sum.GetHashAndReset())
                    || entry.ExtendedAttributes[LengthRecord] != sent.ToString(CultureInfo.InvariantCulture)
                )
                    throw Damage.Of(key, "says another length or checksum than what was read");
                return;
            }
            if (entry.DataStream is not { } data)
                continue;
            var content = new byte[entry.Length];
            await data.ReadExactlyAsync(content, cancel);
            sum.AppendData(content);
            sent += content.Length;
            await target.WriteAsync(content, cancel);
        }
        throw Damage.Of($"file {file} of cartridge {number}", "has no end");
    }

    /// <summary>Sends everything on it as one POSIX tar archive.</summary>
    public async Task SendArchive(int number, Stream target, CancellationToken cancel)
    {
        var cartridge = await Find(number, cancel);
        foreach (var file in cartridge.Files)
        {
            foreach (var key in await Pieces(file.Folder, cancel))
                await target.WriteAsync(await objects.Read(key, MostPieceBytes, cancel), cancel);
        }
        await target.WriteAsync(new byte[2 * TarBlock], cancel);
    }

    private static string GenerationOf(CartridgeLabel label) => $"{DataOf(label.Number)}{Four(label.Generation)}/";

    private static string Four(int number) => number.ToString("D4", CultureInfo.InvariantCulture);

    private static void Demand(CartridgeLabel label)
    {
        if (label.Protected)
            throw new RefusalException(
                RefusalKind.Forbidden,
                "write-protected",
                $"Cartridge {label.Number} is write-protected: nothing is written onto it or erased from it."
            );
    }

    /// <summary>One member of an archive, without the archive's end.</summary>
    private static byte[] Member(string name, ReadOnlyMemory<byte> content, Dictionary<string, string> records)
    {
        using var bytes = new MemoryStream();
        using (var writer = new TarWriter(bytes, TarEntryFormat.Pax, leaveOpen: true))
        {
            var entry = new PaxTarEntry(TarEntryType.RegularFile, name, records) { ModificationTime = DateTimeOffset.UnixEpoch };
            if (content.Length > 0)
                entry.DataStream = new MemoryStream(content.ToArray(), writable: false);
            writer.WriteEntry(entry);
        }
        return bytes.ToArray()[..^(2 * TarBlock)];
    }

    private static List<CartridgeFile> FilesOf(CartridgeLabel label, IEnumerable<string> keys)
    {
        var generation = GenerationOf(label);
        return
        [
            .. keys.Where(k => k.StartsWith(generation, StringComparison.Ordinal))
                .Select(k => (Key: k, Parts: k[generation.Length..].Split('/')))
                .Where(k => k.Parts.Length == 2 && k.Parts[1].StartsWith(End, StringComparison.Ordinal))
                .Select(k => new CartridgeFile(
                    int.Parse(k.Parts[0].Split('.')[0], CultureInfo.InvariantCulture),
                    long.Parse(k.Parts[1][End.Length..], CultureInfo.InvariantCulture)
                )
                {
                    Folder = $"{generation}{k.Parts[0]}/",
                })
                .OrderBy(f => f.Number),
        ];
    }

    /// <summary>The pieces of a file, its end last.</summary>
    private async Task<IEnumerable<string>> Pieces(string folder, CancellationToken cancel) =>
        (await objects.Raw.List(folder, cancel)).Select(o => o.Key).Order(StringComparer.Ordinal);

    private async Task Sweep(string folder, CancellationToken cancel)
    {
        foreach (var piece in await objects.Raw.List(folder, cancel))
            await LetGo(piece.Key, cancel);
    }

    /// <summary>A place may keep for a while what nothing needs any more.</summary>
    private async Task LetGo(string key, CancellationToken cancel)
    {
        try
        {
            await objects.Raw.Delete(key, cancel);
        }
        catch (RefusalException)
        {
            // Then it is paid for until it goes, and nothing else.
        }
    }

    private async Task<List<CartridgeLabel>> ReadLabels(CancellationToken cancel)
    {
        var newest = (await objects.Raw.List(Labels, cancel))
            .Select(o => o.Key)
            .GroupBy(k => k.Split('/')[1])
            .Select(g => g.Max(StringComparer.Ordinal)!)
            .Order(StringComparer.Ordinal);
        var labels = new List<CartridgeLabel>();
        foreach (var key in newest)
        {
            if (!known.TryGetValue(key, out var label))
                known[key] = label = await ReadLabel(key, cancel);
            labels.Add(label);
        }
        return labels;
    }

    private async Task<CartridgeLabel> ReadLabel(string key, CancellationToken cancel)
    {
        try
        {
            return Stored.Read<CartridgeLabel>(await objects.Read(key, MostDescriptionBytes, cancel))!;
        }
        catch (JsonException)
        {
            throw Damage.Of(key, "is no label");
        }
    }

    private async Task<CartridgeLabel> Relabel(CartridgeLabel label, CancellationToken cancel)
    {
        var folder = $"{Labels}{label.Number.ToString("D6", CultureInfo.InvariantCulture)}/";
        var old = (await objects.Raw.List(folder, cancel)).Select(o => o.Key).Order(StringComparer.Ordinal).ToList();
        var last = int.Parse(old[^1][folder.Length..], NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture);
        await PutLabel(label, last + 1, cancel);
        foreach (var key in old)
            await LetGo(key, cancel);
        return label;
    }

    private Task PutLabel(CartridgeLabel label, int version, CancellationToken cancel) =>
        objects.Put($"{Labels}{label.Number.ToString("D6", CultureInfo.InvariantCulture)}/{version:x8}", Stored.Write(label), cancel);
}
