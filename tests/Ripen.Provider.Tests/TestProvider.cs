using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Tests;

/// <summary>A provider on a folder of its own; closing and opening again keeps the folder.</summary>
internal sealed class TestProvider : IDisposable
{
    public TestProvider(Estate? estate = null, Func<string, Stream>? create = null)
    {
        Inside = Open(create);
        if (estate is not null)
            Adopt(estate);
    }

    public string Folder { get; } = Directory.CreateTempSubdirectory("ripen-provider-").FullName;

    public SimulatedProvider Inside { get; private set; }

    public IObjectStore Objects => Inside.Objects;

    public static Estate Demo { get; } = EstateDocument.Read(File.ReadAllText("Examples/brackwater-ferries.json")).Value;

    public static Estate Small { get; } = EstateDocument.Read(File.ReadAllText("Examples/ferry-small.json")).Value;

    /// <summary>One empty bucket, "harbour", that lands in the warmest tier.</summary>
    public static Estate OneBucket(Func<Bucket, Bucket>? with = null)
    {
        var bucket = new Bucket
        {
            Name = "harbour",
            Region = "aldmouth",
            Scheme = "one-site",
            Tier = "counter",
        };
        return Demo with { PriceBook = Demo.PriceBook.ListPrices(), Buckets = [with is null ? bucket : with(bucket)] };
    }

    public static ProviderPlan Plan(Estate estate, long version = 1, long import = 1) =>
        new(estate, version, import, estate.Buckets.ToDictionary(b => b.Name, _ => new PlannedBucket(estate.Today, import)));

    public void Adopt(Estate estate, long version = 1, long import = 1) => Inside.Adopt(Plan(estate, version, import));

    public void Reopen(Estate estate, long version = 1, long import = 1)
    {
        Inside.Dispose();
        Inside = Open(null);
        Adopt(estate, version, import);
    }

    /// <summary>Whatever lapses on the way is confirmed.</summary>
    public void PassDays(int days)
    {
        var until = Inside.Clock.Now.AddDays(days);
        Inside.Clock.PassUntil(until, null, CancellationToken.None, $"{until:yyyy-MM-dd}");
    }

    public Task<StoredVersion> Put(string key, byte[] content, WriteConditions? conditions = null, string bucket = "harbour") =>
        Objects.Write(bucket, key, new MemoryStream(content), conditions ?? new WriteConditions(), CancellationToken.None);

    public async Task<byte[]> Get(string key, long? version = null, string bucket = "harbour")
    {
        using var opened = Objects.Open(bucket, key, version);
        using var content = new MemoryStream();
        await opened.Send(0, opened.Version.Bytes, content, CancellationToken.None);
        return content.ToArray();
    }

    /// <summary>Looks into the index past everything that the provider offers.</summary>
    public T Index<T>(Func<SqliteConnection, T> read)
    {
        using var db = new SqliteConnection($"Data Source={Path.Combine(Folder, "index.db")};Mode=ReadOnly;Pooling=False");
        db.Open();
        return read(db);
    }

    /// <summary>Reads a content past everything that the provider offers but its key.</summary>
    public byte[] Content(string name)
    {
        var content = Index(db =>
            db.List(
                    $"SELECT {StoredContent.Columns} FROM (SELECT ?1 content) e {StoredContent.Joins}",
                    r => StoredContent.Read(r, 0)!,
                    name
                )
                .Single()
        );
        using var opened = new ContentFiles(Folder, new KeyChest(Path.Combine(Folder, "sealing-keys"))).Open(content);
        using var bytes = new MemoryStream();
        opened.Send(0, content.Bytes, bytes, CancellationToken.None).GetAwaiter().GetResult();
        return bytes.ToArray();
    }

    public static byte[] Bytes(int length, int seed = 1)
    {
        var bytes = new byte[length];
        new Random(seed).NextBytes(bytes);
        return bytes;
    }

    public static string Sha(byte[] content) => Convert.ToHexStringLower(SHA256.HashData(content));

    public int FilesOnDisk =>
        Directory.EnumerateFiles(Path.Combine(Folder, "content"), "*", SearchOption.AllDirectories).Count()
        + Directory.EnumerateFiles(Path.Combine(Folder, "incoming")).Count();

    public void Dispose()
    {
        Inside.Dispose();
        Directory.Delete(Folder, recursive: true);
    }

    private SimulatedProvider Open(Func<string, Stream>? create) => new(Folder, TimeProvider.System, null, null, create);
}
