using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;

namespace Ripen.Provider.Sealing;

/// <summary>
/// The key of one content, random and used for nothing else. Blocks are encrypted with AES-256-GCM (NIST SP 800-38D), each under its number
/// as nonce: the same nonce never meets other bytes. The key lies in the index wrapped by a sealing key (AES-256-GCM, a random nonce, the
/// content's name as associated data), so that another sealing key can wrap it anew without a byte of content being written.
/// </summary>
internal sealed class DataKey
{
    public const int TagBytes = 16;

    private const int KeyBytes = 32;
    private const int NonceBytes = 12;

    private readonly byte[] key;

    internal DataKey(byte[] key) => this.key = key;

    public static DataKey New() => new(RandomNumberGenerator.GetBytes(KeyBytes));

    /// <returns>Nonce, wrapped key, tag: 60 bytes.</returns>
    public byte[] Wrap(byte[] secret, string content)
    {
        var wrapped = new byte[NonceBytes + KeyBytes + TagBytes];
        var nonce = wrapped.AsSpan(0, NonceBytes);
        RandomNumberGenerator.Fill(nonce);
        using var aes = new AesGcm(secret, TagBytes);
        aes.Encrypt(
            nonce,
            key,
            wrapped.AsSpan(NonceBytes, KeyBytes),
            wrapped.AsSpan(NonceBytes + KeyBytes),
            Encoding.ASCII.GetBytes(content)
        );
        return wrapped;
    }

    /// <exception cref="RefusalException">It is not what was wrapped.</exception>
    public static DataKey Unwrap(ReadOnlySpan<byte> wrapped, byte[] secret, string content)
    {
        var key = new byte[KeyBytes];
        using var aes = new AesGcm(secret, TagBytes);
        try
        {
            aes.Decrypt(
                wrapped[..NonceBytes],
                wrapped.Slice(NonceBytes, KeyBytes),
                wrapped[(NonceBytes + KeyBytes)..],
                key,
                Encoding.ASCII.GetBytes(content)
            );
        }
        catch (CryptographicException)
        {
            throw new RefusalException(
                RefusalKind.Damaged,
                "damaged-content",
                "The key of this content is not what was stored in the index; restore the object from a copy."
            );
        }
        return new DataKey(key);
    }

    public void Encrypt(long block, ReadOnlySpan<byte> plain, Span<byte> cipher, Span<byte> tag)
    {
        using var aes = new AesGcm(key, TagBytes);
        aes.Encrypt(Nonce(block), plain, cipher, tag);
    }

    /// <summary>In place; false when it is not what was encrypted, and then nothing of it is left in <paramref name="bytes"/>.</summary>
    public bool TryDecrypt(long block, Span<byte> bytes, ReadOnlySpan<byte> tag)
    {
        using var aes = new AesGcm(key, TagBytes);
        try
        {
            aes.Decrypt(Nonce(block), bytes, tag, bytes);
            return true;
        }
        catch (AuthenticationTagMismatchException)
        {
            return false;
        }
    }

    private static byte[] Nonce(long block)
    {
        var nonce = new byte[NonceBytes];
        BinaryPrimitives.WriteInt64BigEndian(nonce.AsSpan(NonceBytes - sizeof(long)), block);
        return nonce;
    }
}
