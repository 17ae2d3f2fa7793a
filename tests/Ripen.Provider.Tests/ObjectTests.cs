using System.Security.Cryptography;
using System.Text;
using System.Text.RegularExpressions;
using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Estates;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Tests;

public sealed class ObjectTests
{
    private readonly Estate versioned = TestProvider.OneBucket(b => b with { Versioning = true });

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    [InlineData(ContentFiles.BlockBytes - 1)]
    [InlineData(ContentFiles.BlockBytes)]
    [InlineData((3 * ContentFiles.BlockBytes) + 17)]
    public async Task What_goes_in_comes_out_whole_and_in_parts_and_after_a_restart(int length)
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var content = TestProvider.Bytes(length);
        var stored = await provider.Put("a/ä/日本語/🚢 ferry.bin", content);
        Assert.Equal((length, TestProvider.Sha(content), "counter"), (stored.Bytes, stored.Sha256, stored.Tier));
        provider.Reopen(TestProvider.OneBucket());
        Assert.Equal(content, await provider.Get("a/ä/日本語/🚢 ferry.bin"));
        using var opened = provider.Objects.Open("harbour", "a/ä/日本語/🚢 ferry.bin", null);
        foreach (var (from, to) in new[] { (0, Math.Min(1, length)), (length / 3, length / 2), (length / 2, length) })
        {
            using var part = new MemoryStream();
            await opened.Send(from, to, part, CancellationToken.None);
            Assert.Equal(content[from..to], part.ToArray());
        }
    }

    /// <summary>As <c>split -b 1M --filter='sha256sum | cut -c -64' | xxd -r -p | sha256sum</c> has it.</summary>
    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    [InlineData(ContentFiles.BlockBytes)]
    [InlineData((8 * ContentFiles.BlockBytes) - 1)]
    [InlineData((16 * ContentFiles.BlockBytes) + 17)]
    public async Task A_sum_of_blocks_is_the_sum_of_the_sums_of_each_block(int length)
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var content = TestProvider.Bytes(length);
        var stored = await provider.Put("pack", content, new WriteConditions(SumOfBlocks: true));
        var sums = content.Chunk(ContentFiles.BlockBytes).SelectMany(SHA256.HashData).ToArray();
        Assert.Equal((length, null, TestProvider.Sha(sums)), (stored.Bytes, stored.Sha256, stored.BlocksSha256));
        Assert.Equal(content, await provider.Get("pack"));
    }

    [Theory]
    [InlineData("")]
    [InlineData("..")]
    [InlineData("a/../b")]
    [InlineData("./a")]
    [InlineData("a/.")]
    [InlineData("nul\0")]
    public async Task A_key_that_is_none_or_climbs_is_refused(string key)
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        Assert.Equal("invalid-key", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put(key, [1]))).Code);
        Assert.Equal(0, provider.FilesOnDisk);
    }

    [Fact]
    public async Task A_key_that_is_no_unicode_is_refused()
    {
        // Half of a surrogate pair: an attribute could not hold it.
        using var provider = new TestProvider(TestProvider.OneBucket());
        Assert.Equal("invalid-key", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("a" + (char)0xD800, [1]))).Code);
    }

    [Fact]
    public async Task A_key_may_have_1024_bytes_and_no_more()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        await provider.Put(new string('é', 512), [1]);
        Assert.Equal("invalid-key", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put(new string('é', 512) + "x", [1]))).Code);
    }

    [Fact]
    public async Task A_wrong_checksum_or_length_leaves_nothing_behind()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var wrongSum = new WriteConditions(Sha256: new byte[32]);
        Assert.Equal("wrong-checksum", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("a", [1, 2], wrongSum))).Code);
        Assert.Equal(
            "wrong-length",
            (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("a", [1, 2], new WriteConditions(Length: 3)))).Code
        );
        Assert.Equal((0, 0), (provider.FilesOnDisk, provider.Objects.List("harbour", "", null, null, 10).Objects.Count));
        Assert.Empty(provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null));
    }

    [Fact]
    public async Task A_full_disk_is_told_and_leaves_nothing_behind()
    {
        using var provider = new TestProvider(TestProvider.OneBucket(), path => new FullDisk(path, 100_000));
        Assert.Equal(
            "disk-full",
            (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("a", TestProvider.Bytes(5_000_000)))).Code
        );
        Assert.Equal((0, 0), (provider.FilesOnDisk, provider.Objects.List("harbour", "", null, null, 10).Objects.Count));
        await provider.Put("b", TestProvider.Bytes(1000));
        Assert.Equal(1000, (await provider.Get("b")).Length);
    }

    [Fact]
    public async Task A_sender_that_breaks_off_leaves_nothing_behind()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        await Assert.ThrowsAsync<EndOfStreamException>(() =>
            provider.Objects.Write("harbour", "a", new BreakingOff(3_000_000), new WriteConditions(), CancellationToken.None)
        );
        Assert.Equal((0, 0), (provider.FilesOnDisk, provider.Objects.List("harbour", "", null, null, 10).Objects.Count));
    }

    [Fact]
    public async Task A_damaged_block_is_never_sent()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var content = TestProvider.Bytes(3 * ContentFiles.BlockBytes);
        await provider.Put("a", content);
        var file = Directory.EnumerateFiles(Path.Combine(provider.Folder, "content"), "*", SearchOption.AllDirectories).Single();
        await using (var bytes = File.OpenWrite(file))
        {
            bytes.Position = (long)(1.5 * ContentFiles.BlockBytes);
            bytes.WriteByte((byte)(content[(int)bytes.Position] ^ 1));
        }
        using var opened = provider.Objects.Open("harbour", "a", null);
        using var sent = new MemoryStream();
        var refusal = await Assert.ThrowsAsync<RefusalException>(() => opened.Send(0, content.Length, sent, CancellationToken.None));
        Assert.Equal("damaged-content", refusal.Code);
        Assert.Equal(content[..ContentFiles.BlockBytes], sent.ToArray());
        using var after = new MemoryStream();
        await opened.Send(2 * ContentFiles.BlockBytes, content.Length, after, CancellationToken.None);
        Assert.Equal(content[(2 * ContentFiles.BlockBytes)..], after.ToArray());

        File.Delete(file);
        Assert.Equal("damaged-content", Assert.Throws<RefusalException>(() => provider.Objects.Open("harbour", "a", null)).Code);
    }

    [Fact]
    public async Task With_versioning_nothing_is_lost_by_overwriting_or_deleting_and_a_deletion_is_undone()
    {
        using var provider = new TestProvider(versioned);
        var first = await provider.Put("a", [1]);
        var second = await provider.Put("a", [2]);
        Assert.Equal([1], await provider.Get("a", first.Version));
        var deletion = provider.Objects.Delete("harbour", "a", null, null);
        Assert.False(deletion.ForGood);
        Assert.Null(provider.Objects.Find("harbour", "a", null));
        Assert.Equal(["a"], provider.Objects.Deletions("harbour", "", 10).Select(d => d.Key));
        Assert.Empty(provider.Objects.Deletions("harbour", "b", 10));
        Assert.Equal(
            [deletion.Marker!.Value, second.Version, first.Version],
            provider.Objects.Versions("harbour", "a").Select(v => v.Version)
        );
        provider.Objects.Delete("harbour", "a", deletion.Marker, null);
        Assert.Equal([2], await provider.Get("a"));
        provider.Objects.Delete("harbour", "a", second.Version, null);
        Assert.Equal([1], await provider.Get("a"));
        Assert.Equal(1, provider.FilesOnDisk);
        provider.Objects.Delete("harbour", "a", first.Version, null);
        Assert.Equal((0, 0), (provider.FilesOnDisk, provider.Objects.Versions("harbour", "a").Count));
    }

    [Fact]
    public async Task Conditions_let_one_of_many_writers_win()
    {
        using var provider = new TestProvider(versioned);
        var results = await Task.WhenAll(
            Enumerable.Range(0, 12).Select(i => Outcome(() => provider.Put("a", [(byte)i], new WriteConditions(WriteConditions.OnlyNew))))
        );
        Assert.Equal(1, results.Count(r => r is null));
        Assert.Equal(11, results.Count(r => r == "exists"));
        var version = provider.Objects.Find("harbour", "a", null)!.Version;
        results = await Task.WhenAll(
            Enumerable.Range(0, 12).Select(i => Outcome(() => provider.Put("a", [(byte)i], new WriteConditions(Only(version)))))
        );
        Assert.Equal(1, results.Count(r => r is null));
        Assert.Equal(11, results.Count(r => r == "changed-meanwhile"));
        Assert.Equal(
            "changed-meanwhile",
            Assert.Throws<RefusalException>(() => provider.Objects.Delete("harbour", "a", null, Only(version))).Code
        );
        Assert.Equal(2, provider.FilesOnDisk);

        static Action<StoredVersion?> Only(long version) =>
            current =>
            {
                if (current?.Version != version)
                    throw RefusalException.Stale("a");
            };

        static async Task<string?> Outcome(Func<Task> write)
        {
            try
            {
                await write();
                return null;
            }
            catch (RefusalException refusal)
            {
                return refusal.Code;
            }
        }
    }

    [Fact]
    public async Task What_is_kept_is_not_deleted_nor_overwritten_by_anybody_until_its_day()
    {
        using var provider = new TestProvider(
            TestProvider.OneBucket(b =>
                b with
                {
                    Keep = new KeepRule { Days = 10, Strength = KeepStrength.Sealed },
                    Rules = [new LifecycleRule { Id = "gone", ExpireAt = 2 }],
                }
            )
        );
        await provider.Put("a", [1]);
        Assert.Equal("kept", Assert.Throws<RefusalException>(() => provider.Objects.Delete("harbour", "a", null, null)).Code);
        Assert.Equal("kept", (await Assert.ThrowsAsync<RefusalException>(() => provider.Put("a", [2]))).Code);
        Assert.Equal(new DateOnly(2026, 11, 11), provider.Inside.KeptIn("harbour")?.Last);
        provider.PassDays(10);
        Assert.Equal([1], await provider.Get("a"));
        Assert.Null(provider.Inside.KeptIn("harbour")?.Last);
        provider.PassDays(1);
        Assert.Null(provider.Objects.Find("harbour", "a", null));
    }

    [Fact]
    public async Task Listing_in_pages_of_any_size_is_what_sorting_all_keys_by_their_bytes_gives()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var random = new Random(20261125);
        string[] parts = ["a", "b/", "/", "é", "\U0001F6A2", "\uFFFD", "zz", "0"];
        var keys = Enumerable
            .Range(0, 300)
            .Select(_ => string.Concat(Enumerable.Range(0, random.Next(1, 7)).Select(_ => parts[random.Next(parts.Length)])))
            .Distinct()
            .ToList();
        foreach (var key in keys)
            await provider.Put(key, []);
        var sorted = keys.OrderBy(k => Convert.ToHexString(Encoding.UTF8.GetBytes(k)), StringComparer.Ordinal).ToList();
        foreach (var prefix in new[] { "", "a", "b/", "\U0001F6A2", "/", "é/" })
        {
            var expected = sorted.Where(k => k.StartsWith(prefix, StringComparison.Ordinal)).ToList();
            Assert.Equal(expected, All(prefix, null, random.Next(1, 40)).Keys);
            var (folders, inside) = All(prefix, "/", random.Next(1, 40));
            Assert.Equal(expected.Where(k => k.IndexOf('/', prefix.Length) < 0), inside);
            Assert.Equal(
                expected.Where(k => k.IndexOf('/', prefix.Length) >= 0).Select(k => k[..(k.IndexOf('/', prefix.Length) + 1)]).Distinct(),
                folders
            );
            foreach (var text in new[] { "a", "É", "é", "/B", "~", "none of them" })
            {
                Assert.Equal(
                    expected.Where(k => string.CompareOrdinal(Hex(k), Hex(prefix + text)) >= 0),
                    All(prefix, null, random.Next(1, 40), from: text).Keys
                );
                Assert.Equal(
                    expected.Where(k => Ascii(k).Contains(Ascii(text), StringComparison.Ordinal)),
                    All(prefix, null, random.Next(1, 40), contains: text).Keys
                );
            }
        }
        Assert.Equal(sorted[..3], provider.Objects.Taken("harbour", [.. sorted[..3], "none of them"]));

        static string Hex(string key) => Convert.ToHexString(Encoding.UTF8.GetBytes(key));

        static string Ascii(string text) => Regex.Replace(text, "[A-Z]", m => m.Value.ToLowerInvariant());

        (List<string> Folders, List<string> Keys) All(
            string prefix,
            string? delimiter,
            int size,
            string? from = null,
            string? contains = null
        )
        {
            var (folders, found) = (new List<string>(), new List<string>());
            string? after = null;
            do
            {
                var page = provider.Objects.List("harbour", prefix, delimiter, after, size, from, contains);
                Assert.InRange(page.Objects.Count + page.Prefixes.Count, 0, size);
                folders.AddRange(page.Prefixes);
                found.AddRange(page.Objects.Select(o => o.Key));
                after = page.Next;
            } while (after is not null);
            return (folders, found);
        }
    }

    [Fact]
    public void A_listings_pages_cannot_be_made_up()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        Assert.Equal(
            "invalid-page",
            Assert.Throws<RefusalException>(() => provider.Objects.List("harbour", "", null, "bm9wZQ==", 10)).Code
        );
        Assert.Equal("out-of-range", Assert.Throws<RefusalException>(() => provider.Objects.List("harbour", "", null, null, 1001)).Code);
    }

    [Fact]
    public async Task A_bucket_that_is_made_again_is_empty_and_its_files_are_gone()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        await provider.Put("a", [1]);
        provider.Adopt(TestProvider.Demo with { Buckets = [] }, version: 2);
        Assert.Equal(0, provider.FilesOnDisk);
        provider.Adopt(TestProvider.OneBucket(), version: 3);
        Assert.Empty(provider.Objects.List("harbour", "", null, null, 10).Objects);
    }

    [Fact]
    public void A_folder_is_used_by_one_process_at_a_time()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        Assert.Throws<IOException>(() => new SimulatedProvider(provider.Folder, TimeProvider.System));
    }

    /// <summary>A file that takes so many bytes and then says what Linux says of a full disk (ENOSPC, 28).</summary>
    private sealed class FullDisk(string path, int room) : MemoryStream
    {
        private readonly FileStream file = new(path, FileMode.CreateNew);

        public override async ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken cancellationToken = default)
        {
            if (file.Length + buffer.Length > room)
                throw new IOException("No space left on device", 28);
            await file.WriteAsync(buffer, cancellationToken);
        }

        protected override void Dispose(bool disposing)
        {
            file.Dispose();
            base.Dispose(disposing);
        }
    }

    private sealed class BreakingOff(int after) : MemoryStream(new byte[after])
    {
        public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            var n = await base.ReadAsync(buffer, cancellationToken);
            return n > 0 ? n : throw new EndOfStreamException("The sender is gone.");
        }
    }
}
