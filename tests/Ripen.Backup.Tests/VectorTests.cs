using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;

namespace Ripen.Backup.Tests;

/// <summary>A pool that was written once and lies in the repository: what reads pools today reads those of yesterday.</summary>
public sealed class VectorTests : IDisposable
{
    private const string Passphrase = "the ferry leaves at nine";

    private static readonly string Vectors = Path.Combine(AppContext.BaseDirectory, "vectors");

    private readonly Folders folders = new();

    public void Dispose() => folders.Dispose();

    [Fact]
    public async Task The_shipped_pool_is_read()
    {
        using var pool = await Pool.Open(new DirectoryObjects(Path.Combine(Vectors, "pool")), Passphrase, CancellationToken.None);
        var points = (await pool.Points(CancellationToken.None)).Points;
        Assert.Equal(2, points.Count);
        var result = await Restore.Into(pool, points[^1], "", folders.Target(), Existing.Refused, null, CancellationToken.None);
        Assert.Empty(result.Problems);
        foreach (var file in Directory.GetFiles(Path.Combine(Vectors, "expected"), "*", SearchOption.AllDirectories))
        {
            var name = Path.GetRelativePath(Path.Combine(Vectors, "expected"), file);
            Assert.Equal(await File.ReadAllBytesAsync(file), await File.ReadAllBytesAsync(Path.Combine(folders.Target(), name)));
        }
    }

    /// <summary>A reader made from docs/backup-format.md alone, with nothing of the engine's but zstd.</summary>
    [Fact]
    public void A_strangers_reader_finds_the_same()
    {
        var pool = Path.Combine(Vectors, "pool");
        var description = JsonNode.Parse(File.ReadAllText(Path.Combine(pool, "pool.json")))!;
        var wrapped = description["wrapped"]!;
        var wrap = Rfc2898DeriveBytes.Pbkdf2(
            Encoding.UTF8.GetBytes(Passphrase),
            Bytes(wrapped["salt"]!),
            (int)wrapped["iterations"]!,
            HashAlgorithmName.SHA256,
            32
        );
        var kept = Bytes(wrapped["secret"]!);
        var secret = Gcm(wrap, kept[..12], kept[12..], Encoding.ASCII.GetBytes($"ripen-pool-1:{description["id"]}"));
        var sealing = HKDF.DeriveKey(HashAlgorithmName.SHA256, secret, 32, info: "ripen seal 1"u8.ToArray());

        var places = new Dictionary<string, (string Pack, ulong Part, int Offset, int Length, bool IsFrame)>();
        foreach (var file in Directory.GetFiles(Path.Combine(pool, "index")))
        {
            var index = Frame(Part($"index/{Path.GetFileName(file)}", 0, File.ReadAllBytes(file), []));
            for (var at = 0; at < index.Length; )
            {
                var key = Encoding.ASCII.GetString(Counted(index, ref at));
                var list = Counted(index, ref at);
                var offset = 12;
                for (var i = 0; i < list.Length / 41; i++)
                {
                    var entry = list.AsSpan(i * 41, 41);
                    var length = BinaryPrimitives.ReadInt32LittleEndian(entry[32..]);
                    places[Convert.ToHexString(entry[..32])] = (key, (ulong)i, offset, length, entry[40] == 1);
                    offset += length;
                }
            }
        }
        var newest = Directory.GetFiles(Path.Combine(pool, "points")).Order(StringComparer.Ordinal).Last();
        var point = JsonNode.Parse(Frame(Part($"points/{Path.GetFileName(newest)}", 0, File.ReadAllBytes(newest), [])))!;
        var lines = Encoding.UTF8.GetString(Content(Bytes(point["entries"]!))).Split('\n', StringSplitOptions.RemoveEmptyEntries);
        var files = lines.Select(l => JsonNode.Parse(l)!).Where(e => (string)e["kind"]! == "file").ToDictionary(e => (string)e["path"]!);
        var expected = Directory.GetFiles(Path.Combine(Vectors, "expected"), "*", SearchOption.AllDirectories);
        Assert.Equal(expected.Length, files.Count);
        foreach (var file in expected)
        {
            var entry = files[Path.GetRelativePath(Path.Combine(Vectors, "expected"), file)];
            Assert.Equal(File.ReadAllBytes(file), Content(entry["chunks"] is { } ids ? Bytes(ids) : []));
        }

        byte[] Content(byte[] ids) => [.. ids.Chunk(32).SelectMany(Chunk)];

        byte[] Chunk(byte[] id)
        {
            var (key, number, offset, length, isFrame) = places[Convert.ToHexString(id)];
            var payload = Part(key, number, File.ReadAllBytes(Path.Combine(pool, key)).AsSpan(offset, length).ToArray(), id);
            return isFrame ? Frame(payload) : payload;
        }

        byte[] Part(string key, ulong number, byte[] bytes, byte[] about)
        {
            var own = HKDF.Expand(HashAlgorithmName.SHA256, sealing, 32, Encoding.UTF8.GetBytes($"ripen object 1:{key}"));
            var nonce = new byte[12];
            BinaryPrimitives.WriteUInt64LittleEndian(nonce, number);
            return Gcm(own, nonce, bytes, about);
        }

        static byte[] Bytes(JsonNode text) => Convert.FromBase64String((string)text!);

        static byte[] Counted(byte[] bytes, ref int at)
        {
            var length = BinaryPrimitives.ReadInt32LittleEndian(bytes.AsSpan(at));
            at += 4 + length;
            return bytes[(at - length)..at];
        }

        static byte[] Gcm(byte[] key, byte[] nonce, byte[] bytes, byte[] about)
        {
            using var cipher = new AesGcm(key, 16);
            var plain = new byte[bytes.Length - 16];
            cipher.Decrypt(nonce, bytes.AsSpan(0, plain.Length), bytes.AsSpan(plain.Length), plain, about);
            return plain;
        }

        static byte[] Frame(byte[] frame)
        {
            using var expand = new ZstdSharp.Decompressor();
            return expand.Unwrap(frame).ToArray();
        }
    }
}
