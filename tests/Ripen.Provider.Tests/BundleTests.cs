using System.Diagnostics;
using Ripen.Core.Estates;
using Ripen.Provider.Objects;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Tests;

/// <summary>Small objects bundled by hand: read back by range, by index and by tar itself.</summary>
public sealed class BundleTests
{
    private static readonly BundleOrder Small = new("harbour", "notes/", 100_000);

    private static string Refused(Action deed) => Assert.Throws<RefusalException>(deed).Code;

    private static async Task<Dictionary<string, byte[]>> Fill(TestProvider provider)
    {
        var contents = new Dictionary<string, byte[]>();
        var sizes = new[] { 0, 1, 511, 512, 513, 1024, 99_999 };
        for (var i = 0; i < 40; i++)
            contents[$"notes/{i % 3}/{i}.txt"] = TestProvider.Bytes(sizes[i % sizes.Length], i);
        contents["notes/Fährplan – Überfahrt.txt"] = TestProvider.Bytes(700, 77);
        contents[$"notes/{new string('l', 180)}"] = TestProvider.Bytes(300, 78);
        foreach (var (key, content) in contents)
            await provider.Put(key, content, new WriteConditions(SumOfBlocks: content.Length % 2 == 0));
        return contents;
    }

    [Fact]
    public async Task Members_are_listed_read_by_range_and_taken_out_by_tar_and_the_originals_are_gone()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var contents = await Fill(provider);
        await provider.Put("notes/large", TestProvider.Bytes(100_000));
        await provider.Put("notes/kept", TestProvider.Bytes(10));
        await provider.Put("elsewhere", TestProvider.Bytes(10));
        provider.Inside.ObjectRetention.Set(new ObjectKeepOrder("harbour", "notes/kept", null, null, 90, KeepStrength.Sealed, null, null));
        var foreseen = provider.Inside.Bundles.Foresee(Small);
        var before = Charged();
        var made = await provider.Inside.Bundles.Make(Small, CancellationToken.None);
        Assert.Equivalent(foreseen, made with { Bundle = null }, strict: true);
        Assert.Equal((contents.Count, contents.Values.Sum(c => (long)c.Length), 1, 0), (made.Objects, made.Bytes, made.Kept, made.Stayed));
        var archived = provider.Objects.Find("harbour", made.Bundle!, null)!.Bytes;
        Assert.InRange(made.MonthlyAfter / (archived * 0.0312 / 1e9), 0.98, 1.02);

        Assert.Equal(
            new[] { "elsewhere", BundleIndex.KeyOf(made.Bundle!), made.Bundle!, "notes/kept", "notes/large" }.Order(StringComparer.Ordinal),
            provider.Objects.List("harbour", "", null, null, 50).Objects.Select(o => o.Key).Order(StringComparer.Ordinal)
        );
        // Reading back to compare is charged besides, as reading is.
        Assert.InRange(Charged() - before, made.OnceCharge, 3 * made.OnceCharge);
        var index = await provider.Inside.Bundles.Members("harbour", made.Bundle!, CancellationToken.None);
        Assert.Equal(contents.Keys.Order(StringComparer.Ordinal), index.Members.Select(m => m.Key));
        var archive = await provider.Get(made.Bundle!);
        foreach (var member in index.Members)
        {
            var (bundle, found) = await provider.Inside.Bundles.Open("harbour", made.Bundle!, member.Key, CancellationToken.None);
            using var content = new MemoryStream();
            using (bundle)
                await bundle.Send(found.Offset, found.Offset + found.Bytes, content, CancellationToken.None);
            Assert.Equal(contents[member.Key], content.ToArray());
            Assert.Equal(contents[member.Key], archive[(int)member.Offset..(int)(member.Offset + member.Bytes)]);
        }
        await TakenOutByTar(archive, contents);
        Assert.Equal("nothing-to-bundle", Refused(() => provider.Inside.Bundles.Foresee(Small)));

        double Charged() => provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null).Sum(r => r.Amount);
    }

    /// <summary>GNU tar, which knows nothing of this program, gives back the same files.</summary>
    private static async Task TakenOutByTar(byte[] archive, Dictionary<string, byte[]> contents)
    {
        var folder = Directory.CreateTempSubdirectory("ripen-bundle-").FullName;
        try
        {
            await File.WriteAllBytesAsync(Path.Combine(folder, "b.tar"), archive);
            using var tar = Process.Start(new ProcessStartInfo("tar", ["-xf", "b.tar"]) { WorkingDirectory = folder })!;
            await tar.WaitForExitAsync();
            Assert.Equal(0, tar.ExitCode);
            foreach (var (key, content) in contents)
                Assert.Equal(content, await File.ReadAllBytesAsync(Path.Combine(folder, key)));
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }

    [Fact]
    public async Task What_does_not_read_back_the_same_takes_no_original_away()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var contents = await Fill(provider);
        var bundles = provider.Inside.BundlesOver(new Lying(provider.Objects));
        var refused = await Assert.ThrowsAsync<RefusalException>(() => bundles.Make(Small, CancellationToken.None));
        Assert.Equal("not-the-same", refused.Code);
        foreach (var (key, content) in contents)
            Assert.Equal(content, await provider.Get(key));
        // What came to nothing is not stored either.
        Assert.Equal(contents.Count, provider.Objects.List("harbour", "", null, null, 100).Objects.Count);
    }

    [Fact]
    public async Task Two_at_once_lose_nothing_and_what_was_changed_meanwhile_stays()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var contents = await Fill(provider);
        var both = await Task.WhenAll(
            Enumerable.Range(0, 2).Select(_ => Task.Run(() => Try(() => provider.Inside.Bundles.Make(Small, CancellationToken.None))))
        );
        var made = both.OfType<Bundling>().ToList();
        Assert.NotEmpty(made);
        Assert.All(made, m => Assert.Equal(0, m.Stayed));
        foreach (var (key, content) in contents)
        {
            var (bundle, found) = await provider.Inside.Bundles.Open("harbour", made[0].Bundle!, key, CancellationToken.None);
            using var read = new MemoryStream();
            using (bundle)
                await bundle.Send(found.Offset, found.Offset + found.Bytes, read, CancellationToken.None);
            Assert.Equal(content, read.ToArray());
        }

        static async Task<Bundling?> Try(Func<Task<Bundling>> deed)
        {
            try
            {
                return await deed();
            }
            catch (RefusalException)
            {
                return null;
            }
        }
    }

    /// <summary>An index is an object like any other, and anybody with rights may write one.</summary>
    [Theory]
    [InlineData("no JSON")]
    [InlineData("""{ "ripenBundle": 2, "bundle": "x", "members": [] }""")]
    [InlineData("""{ "ripenBundle": 1, "bundle": "x", "members": null }""")]
    [InlineData("""{ "ripenBundle": 1, "bundle": "x", "members": [null] }""")]
    [InlineData("""{ "ripenBundle": 1, "bundle": "x", "members": [{ "key": "a", "offset": -1, "bytes": 5, "sha256": "" }] }""")]
    [InlineData("""{ "ripenBundle": 1, "bundle": "x", "members": [{ "key": "a", "offset": 8, "bytes": 5, "sha256": "" }] }""")]
    [InlineData(
        """{ "ripenBundle": 1, "bundle": "x", "members": [{ "key": "a", "offset": 1, "bytes": 9223372036854775807, "sha256": "" }] }"""
    )]
    public async Task A_hostile_index_is_refused(string index)
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        await provider.Put("x.bundle.tar", TestProvider.Bytes(10));
        await provider.Put("x.bundle.json", System.Text.Encoding.UTF8.GetBytes(index));
        Assert.Equal(
            "no-bundle-index",
            (
                await Assert.ThrowsAsync<RefusalException>(() =>
                    provider.Inside.Bundles.Open("harbour", "x.bundle.tar", "a", CancellationToken.None)
                )
            ).Code
        );
    }

    [Fact]
    public async Task Nothing_is_bundled_where_earlier_versions_stay_or_fewer_than_two_can_be()
    {
        using var versions = new TestProvider(TestProvider.OneBucket(b => b with { Versioning = true }));
        Assert.Equal("versions-stay", Refused(() => versions.Inside.Bundles.Foresee(Small)));
        using var provider = new TestProvider(TestProvider.OneBucket());
        await provider.Put("notes/one", TestProvider.Bytes(10));
        Assert.Equal("nothing-to-bundle", Refused(() => provider.Inside.Bundles.Foresee(Small)));
        Assert.Equal(
            "no-object",
            (
                await Assert.ThrowsAsync<RefusalException>(() =>
                    provider.Inside.Bundles.Members("harbour", "notes/one", CancellationToken.None)
                )
            ).Code
        );
    }

    /// <summary>A store that gives other bytes back of an archive than it was given.</summary>
    private sealed class Lying(IObjectStore store) : IObjectStore
    {
        public IOpenedObject Open(string bucket, string key, long? version) =>
            key.EndsWith(BundleIndex.ArchiveEnd, StringComparison.Ordinal)
                ? new Other(store.Open(bucket, key, version))
                : store.Open(bucket, key, version);

        private sealed class Other(IOpenedObject opened) : IOpenedObject
        {
            public StoredVersion Version => opened.Version;

            public async Task Send(long from, long to, Stream target, CancellationToken cancel)
            {
                using var content = new MemoryStream();
                await opened.Send(from, to, content, cancel);
                var bytes = content.ToArray();
                if (bytes.Length == 513)
                    bytes[512] ^= 1;
                await target.WriteAsync(bytes, cancel);
            }

            public void Dispose() => opened.Dispose();
        }

        public Task<StoredVersion> Write(string bucket, string key, Stream body, WriteConditions conditions, CancellationToken cancel) =>
            store.Write(bucket, key, body, conditions, cancel);

        public void Seal(string bucket, IReadOnlyCollection<string> keys, DateOnly until) => store.Seal(bucket, keys, until);

        public StoredVersion? Find(string bucket, string key, long? version) => store.Find(bucket, key, version);

        public IReadOnlyList<StoredVersion> Versions(string bucket, string key) => store.Versions(bucket, key);

        public ListingPage List(
            string bucket,
            string prefix,
            string? delimiter,
            string? after,
            int most,
            string? from = null,
            string? contains = null
        ) => store.List(bucket, prefix, delimiter, after, most, from, contains);

        public IReadOnlyList<string> Taken(string bucket, IReadOnlyCollection<string> keys) => store.Taken(bucket, keys);

        public IReadOnlyList<StoredVersion> Deletions(string bucket, string prefix, int most) => store.Deletions(bucket, prefix, most);

        public Deletion Delete(string bucket, string key, long? version, Action<StoredVersion?>? allows = null) =>
            store.Delete(bucket, key, version, allows);

        public TierMove Move(string bucket, string scope, bool wholePrefix, string tier) => store.Move(bucket, scope, wholePrefix, tier);

        public TierMove ForeseeMove(string bucket, string scope, bool wholePrefix, string tier) =>
            store.ForeseeMove(bucket, scope, wholePrefix, tier);
    }
}
