using System.Text;
using FsCheck;
using FsCheck.Fluent;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Core.Tests;
using Ripen.Provider.Access;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Tests;

/// <summary>Encryption at rest: what lies on the disk, whose key opens it, and what happens without it.</summary>
public sealed class SealingTests
{
    private static readonly Estate Own = TestProvider.OneBucket(b => b with { OwnKey = true, Versioning = true });

    private static string KeyFolder(TestProvider provider) => Path.Combine(provider.Folder, "sealing-keys");

    private static string[] ContentsOf(TestProvider provider) =>
        Directory.GetFiles(Path.Combine(provider.Folder, "content"), "*", SearchOption.AllDirectories);

    /// <summary>Source: D. McGrew, J. Viega, "The Galois/Counter Mode of Operation (GCM)", appendix B, test cases 13 and 14 (a key of 256
    /// zero bits, a nonce of 96).</summary>
    [Theory]
    [InlineData("", "", "530f8afbc74536b9a963b4f1c4cb738b")]
    [InlineData("00000000000000000000000000000000", "cea7403d4d606b6e074ec5d3baf39d18", "d0d1c8a799996bf0265b98b5d48ab919")]
    public void Blocks_are_encrypted_as_the_authors_of_the_mode_say(string plain, string cipher, string tag)
    {
        var bytes = Convert.FromHexString(plain);
        var (encrypted, its) = (new byte[bytes.Length], new byte[DataKey.TagBytes]);
        var key = new DataKey(new byte[32]);
        key.Encrypt(0, bytes, encrypted, its);
        Assert.Equal((cipher, tag), (Convert.ToHexStringLower(encrypted), Convert.ToHexStringLower(its)));
        Assert.True(key.TryDecrypt(0, encrypted, its));
        Assert.Equal(bytes, encrypted);
        Assert.False(key.TryDecrypt(1, encrypted, its));
    }

    [Fact]
    public async Task Nothing_of_a_content_lies_readable_on_the_disk_and_equal_contents_look_different()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        var content = Encoding.ASCII.GetBytes(string.Concat(Enumerable.Repeat("the tide tables of Brackwater ", 60_000)));
        await provider.Put("one", content);
        await provider.Put("two", content);
        var files = ContentsOf(provider).Select(File.ReadAllBytes).ToList();
        Assert.All(files, f => Assert.Equal(content.Length, f.Length));
        Assert.All(files, f => Assert.DoesNotContain("tide", Encoding.Latin1.GetString(f), StringComparison.Ordinal));
        Assert.NotEqual(files[0], files[1]);
        var seal = provider.Objects.Find("harbour", "one", null)!.Seal!;
        Assert.Equal((false, false), (seal.IsBuckets, seal.IsWithdrawn));
        Assert.Equal(content, await provider.Get("two"));
    }

    [Fact]
    public async Task A_folder_that_was_taken_without_its_keys_tells_nothing()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        await provider.Put("a", TestProvider.Bytes(5000));
        var key = Directory.GetFiles(KeyFolder(provider)).Single();
        Assert.Equal(UnixFileMode.UserRead | UnixFileMode.UserWrite, File.GetUnixFileMode(key));
        var elsewhere = Path.GetTempFileName();
        File.Move(key, elsewhere, overwrite: true);
        provider.Reopen(TestProvider.OneBucket());
        Assert.Equal("key-lost", await Code(() => provider.Get("a")));
        Assert.Equal("key-lost", await Code(() => provider.Put("b", [1])));
        Assert.Equal(KeyState.Lost, provider.Inside.Sealing.OfProvider().State);
        // Another key under its name is not the key.
        await File.WriteAllTextAsync(key, new string('0', 64));
        Assert.Equal("key-lost", await Code(() => provider.Get("a")));
        File.Move(elsewhere, key, overwrite: true);
        Assert.Equal(TestProvider.Bytes(5000), await provider.Get("a"));
    }

    [Fact]
    public async Task Another_key_takes_over_without_a_byte_of_content_being_written()
    {
        using var provider = new TestProvider(Own);
        var content = TestProvider.Bytes(ContentFiles.BlockBytes + 3);
        await provider.Put("a", content);
        await provider.Put("a", [7]);
        var before = ContentsOf(provider).ToDictionary(f => f, f => (File.GetLastWriteTimeUtc(f), TestProvider.Sha(File.ReadAllBytes(f))));
        var first = provider.Inside.Sealing.Of("harbour");
        Assert.Equal((true, 2, 0, 0), (first.IsBuckets, first.Objects, first.Waiting, first.Plain));

        provider.Inside.Sealing.Rotate("harbour");
        provider.Inside.Sealing.WrapAll(CancellationToken.None);
        var second = provider.Inside.Sealing.Of("harbour");
        Assert.NotEqual(first.Key, second.Key);
        Assert.Equal((2, 0), (second.Objects, second.Waiting));
        Assert.Equal(
            before,
            ContentsOf(provider).ToDictionary(f => f, f => (File.GetLastWriteTimeUtc(f), TestProvider.Sha(File.ReadAllBytes(f))))
        );
        // The former key is not needed any more, and is put aside with the next start.
        provider.Reopen(Own);
        Assert.DoesNotContain(first.File, Directory.GetFiles(KeyFolder(provider)));
        Assert.Equal([7], await provider.Get("a"));
        Assert.Equal(content, await provider.Get("a", provider.Objects.Versions("harbour", "a")[^1].Version));
    }

    [Fact]
    public async Task An_index_that_is_put_back_from_before_a_replacement_opens_everything()
    {
        using var provider = new TestProvider(Own);
        await provider.Put("a", TestProvider.Bytes(7000));
        var file = Path.Combine(provider.Folder, "index.db");
        provider.Inside.Dispose();
        File.Copy(file, file + ".copy");
        provider.Reopen(Own);
        provider.Inside.Sealing.Rotate("harbour");
        provider.Inside.Sealing.Rotate(null);
        provider.Inside.Sealing.WrapAll(CancellationToken.None);
        provider.Reopen(Own);
        provider.Inside.Dispose();
        File.Move(file + ".copy", file, overwrite: true);
        File.Delete(file + "-wal");
        File.Delete(file + "-shm");
        provider.Reopen(Own);
        Assert.Equal(TestProvider.Bytes(7000), await provider.Get("a"));
        await provider.Put("b", [1]);
        Assert.Equal([1], await provider.Get("b"));
    }

    [Fact]
    public async Task A_withdrawn_key_closes_every_way_to_the_content_and_destroys_nothing()
    {
        var estate = TwoPlaces.Estate(
            TwoPlaces.Plain,
            harbour: b =>
                b with
                {
                    OwnKey = true,
                    Keep = new KeepRule { Days = 10, Strength = KeepStrength.Sealed },
                }
        );
        using var provider = new TestProvider(estate);
        var access = provider.Inside.Access.Make("harbour", "ferry", "", Enum.GetValues<Right>(), null);
        var first = await provider.Put("a", [1]);
        await provider.Put("a", [1, 2]);
        provider.PassHours(1);
        await provider.Put("waits", [3]);
        var link = provider.Inside.Access.Links.Make("harbour", "a", false, provider.Inside.Clock.Now.AddDays(1));
        Assert.Equal("not-confirmed", Assert.Throws<RefusalException>(() => provider.Inside.Sealing.Withdraw("harbour", "harbor")).Code);
        provider.Inside.Sealing.Withdraw("harbour", "harbour");

        for (var start = 0; start < 2; start++)
        {
            Assert.Equal("key-withdrawn", await Code(() => provider.Get("a")));
            Assert.Equal("key-withdrawn", await Code(() => provider.Get("a", first.Version)));
            Assert.Equal("key-withdrawn", await Code(() => provider.Put("b", [1])));
            Assert.Equal("key-withdrawn", Assert.Throws<RefusalException>(() => provider.Inside.Sealing.Rotate("harbour")).Code);
            var tried = await AccessTest.Run(
                provider.Inside.Access,
                provider.Objects,
                "harbour",
                new Credentials(access.Secret.KeyId, access.Secret.Secret),
                CancellationToken.None
            );
            Assert.Contains(tried, s => !s.Worked && s.Said.Contains("withdrawn", StringComparison.Ordinal));
            Assert.True(provider.Objects.Find("harbour", "a", null)!.Seal!.IsWithdrawn);
            provider.Reopen(estate);
        }
        provider.PassHours(1);
        var rule = provider.Inside.Copies.Rules().Single();
        Assert.Equal("key-withdrawn", provider.Inside.Copies.Rules().Single().Failures.Single().Code);
        Assert.Equal(
            "key-withdrawn",
            Assert.Throws<RefusalException>(() => provider.Inside.Copies.Audit(rule.Id, true, CancellationToken.None)).Code
        );
        // Its own key is one thing, the copies are under the other bucket's: they can be read.
        Assert.Equal([1, 2], await provider.Get("a", bucket: "far-away"));
        // Taking the provider's key instead opens nothing that the withdrawn one closed.
        provider.Adopt(estate with { Buckets = [.. estate.Buckets.Select(b => b with { OwnKey = false })] }, version: 2);
        provider.Inside.Sealing.WrapAll(CancellationToken.None);
        Assert.Equal("key-withdrawn", await Code(() => provider.Get("a")));
        Assert.Equal(3, provider.Inside.Sealing.Of("harbour").Unreadable);

        provider.Inside.Sealing.GiveBack("harbour");
        provider.Inside.Sealing.WrapAll(CancellationToken.None);
        Assert.Equal([1, 2], await provider.Get("a"));
        Assert.Equal([1], await provider.Get("a", first.Version));
        Assert.False(provider.Inside.Sealing.Of("harbour").IsBuckets);
        Assert.Equal("a", link.Link.Key);
    }

    [Fact]
    public async Task A_key_that_was_put_on_another_content_in_the_index_is_noticed()
    {
        using var provider = new TestProvider(TestProvider.OneBucket());
        await provider.Put("a", [1]);
        await provider.Put("b", [2]);
        provider.Inside.Dispose();
        using (var db = new SqliteConnection($"Data Source={Path.Combine(provider.Folder, "index.db")};Pooling=False"))
        {
            db.Open();
            db.Run(
                "UPDATE content SET wrapped = (SELECT o.wrapped FROM content o WHERE o.name <> content.name), "
                    + "sums = (SELECT o.sums FROM content o WHERE o.name <> content.name)"
            );
        }
        var names = ContentsOf(provider);
        var (one, other) = (File.ReadAllBytes(names[0]), File.ReadAllBytes(names[1]));
        File.WriteAllBytes(names[0], other);
        File.WriteAllBytes(names[1], one);
        provider.Reopen(TestProvider.OneBucket());
        Assert.Equal("damaged-content", await Code(() => provider.Get("a")));
    }

    [Fact]
    public async Task A_bucket_that_is_made_again_under_the_same_name_gets_another_key()
    {
        using var provider = new TestProvider(Own);
        await provider.Put("a", [1]);
        var key = provider.Inside.Sealing.Of("harbour").Key;
        provider.Adopt(Own with { Buckets = [] }, 2);
        provider.Adopt(Own, 3);
        Assert.NotEqual(key, provider.Inside.Sealing.Of("harbour").Key);
        provider.Reopen(Own, 3);
        Assert.Equal(2, Directory.GetFiles(KeyFolder(provider)).Length);
    }

    /// <summary>Writes, other keys, a key of one's own or the provider's, interrupted passes, restarts, in any order: every object comes
    /// back as it was.</summary>
    [Fact]
    public void Whatever_happens_to_keys_contents_stay()
    {
        var steps = Gen.Choose(0, 6).ListOf(30);
        Prop.ForAll(
                steps.ToArbitrary(),
                history =>
                {
                    using var provider = new TestProvider(Own);
                    var (model, estate, version) = (new Dictionary<string, byte[]>(), Own, 1L);
                    foreach (var (step, at) in history.Select((s, i) => (s, i)))
                    {
                        switch (step)
                        {
                            case 0 or 1:
                                model[$"o{at % 5}"] = TestProvider.Bytes(at * 40, at);
                                provider.Put($"o{at % 5}", model[$"o{at % 5}"]).GetAwaiter().GetResult();
                                break;
                            case 2:
                                provider.Inside.Sealing.Rotate(null);
                                break;
                            case 3 when estate == Own:
                                provider.Inside.Sealing.Rotate("harbour");
                                break;
                            case 4:
                                estate = estate == Own ? TestProvider.OneBucket(b => b with { Versioning = true }) : Own;
                                provider.Adopt(estate, ++version);
                                break;
                            case 5:
                                provider.Reopen(estate, version);
                                break;
                            default:
                                Record.Exception(() => provider.Inside.Sealing.WrapAll(new CancellationToken(true)));
                                break;
                        }
                        foreach (var (key, content) in model)
                            Assert.Equal(content, provider.Get(key).GetAwaiter().GetResult());
                    }
                    provider.Inside.Sealing.WrapAll(CancellationToken.None);
                    Assert.Equal(0, provider.Inside.Sealing.Of("harbour").Waiting);
                    Assert.Equal(estate == Own, provider.Inside.Sealing.Of("harbour").IsBuckets);
                }
            )
            .Check(Randomly.Draws(12));
    }

    private static async Task<string> Code(Func<Task> act) => (await Assert.ThrowsAsync<RefusalException>(act)).Code;
}
