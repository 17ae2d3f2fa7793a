using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;

namespace Ripen.Backup.Pools;

/// <summary>
/// What a pool's one secret is used for, apart from each other by HKDF (RFC 5869): ids of chunks, sealing of objects, the chunker's table.
/// </summary>
public sealed class PoolKeys
{
    public const int Size = 32;

    /// <summary>Of AES-GCM's tag, NIST SP 800-38D.</summary>
    public const int TagSize = 16;

    private const int NonceSize = 12;

    private readonly byte[] seal;
    private readonly ManyHmacs ids;

    /// <param name="secret">32 random bytes.</param>
    public PoolKeys(ReadOnlySpan<byte> secret)
    {
        var master = secret.ToArray();
        byte[] Derive(string purpose, int size) =>
            HKDF.DeriveKey(HashAlgorithmName.SHA256, master, size, info: Encoding.ASCII.GetBytes(purpose));

        ids = new ManyHmacs(Derive("ripen chunk 1", Size));
        seal = Derive("ripen seal 1", Size);
        var table = Derive("ripen gear 1", 256 * sizeof(ulong));
        Gear = [.. Enumerable.Range(0, 256).Select(i => BinaryPrimitives.ReadUInt64LittleEndian(table.AsSpan(i * sizeof(ulong))))];
    }

    /// <summary>A word for each byte: where chunks end depends on the pool, so that sizes of known files cannot be looked for.</summary>
    public IReadOnlyList<ulong> Gear { get; }

    public ChunkId IdOf(ReadOnlySpan<byte> content)
    {
        Span<byte> hash = stackalloc byte[ChunkId.Size];
        WriteIds(content, [content.Length], hash);
        return ChunkId.Read(hash);
    }

    /// <summary>The ids of chunks that lie one behind the other.</summary>
    /// <param name="content">Of all.</param>
    /// <param name="lengths">Of each.</param>
    /// <param name="written">The ids, as long together as <see cref="ChunkId.Size"/> for each.</param>
    public void WriteIds(ReadOnlySpan<byte> content, ReadOnlySpan<int> lengths, Span<byte> written) => ids.Hash(content, lengths, written);

    /// <summary>Seals the parts of one object. Objects are written once, so that a part's number is a nonce that never comes again under the
    /// object's own key.</summary>
    public ObjectSeal Of(string key) =>
        new(HKDF.Expand(HashAlgorithmName.SHA256, seal, Size, Encoding.UTF8.GetBytes($"ripen object 1:{key}")), key);

    /// <summary>AES-256-GCM under a key of one object.</summary>
    public sealed class ObjectSeal(byte[] key, string name) : IDisposable
    {
        private readonly AesGcm cipher = new(key, TagSize);

        /// <summary>The ciphertext and, after it, the tag.</summary>
        /// <param name="part">Its number in the object.</param>
        /// <param name="plain">What is sealed.</param>
        /// <param name="about">What the part must be taken for, and nothing else.</param>
        /// <param name="sealedPart">As long as the plaintext and a tag.</param>
        public void Seal(ulong part, ReadOnlySpan<byte> plain, ReadOnlySpan<byte> about, Span<byte> sealedPart)
        {
            Span<byte> nonce = stackalloc byte[NonceSize];
            BinaryPrimitives.WriteUInt64LittleEndian(nonce, part);
            cipher.Encrypt(nonce, plain, sealedPart[..plain.Length], sealedPart[plain.Length..], about);
        }

        /// <exception cref="RefusalException">A single bit is not as it was sealed, or the key is another pool's.</exception>
        public byte[] Open(ulong part, ReadOnlySpan<byte> sealedPart, ReadOnlySpan<byte> about)
        {
            if (sealedPart.Length < TagSize)
                throw Damage.Short(name);
            var plain = new byte[sealedPart.Length - TagSize];
            Open(part, sealedPart, about, plain);
            return plain;
        }

        /// <inheritdoc cref="Open(ulong, ReadOnlySpan{byte}, ReadOnlySpan{byte})"/>
        /// <param name="plain">As long as the sealed part without its tag.</param>
        public void Open(ulong part, ReadOnlySpan<byte> sealedPart, ReadOnlySpan<byte> about, Span<byte> plain)
        {
            Span<byte> nonce = stackalloc byte[NonceSize];
            BinaryPrimitives.WriteUInt64LittleEndian(nonce, part);
            try
            {
                cipher.Decrypt(nonce, sealedPart[..plain.Length], sealedPart[plain.Length..], plain, about);
            }
            catch (AuthenticationTagMismatchException)
            {
                throw Damage.Of(name, "is not as it was written");
            }
        }

        public void Dispose() => cipher.Dispose();
    }
}
