using Microsoft.Data.Sqlite;
using Ripen.Provider.Access;

namespace Ripen.Provider.Tests;

public sealed class AccessTests : IDisposable
{
    private readonly TestProvider provider = new(TestProvider.OneBucket());

    public void Dispose() => provider.Dispose();

    private AccessBook Access => provider.Inside.Access;

    private string? Refused(string key, Right right, Credentials who)
    {
        try
        {
            Access.Demand("harbour", key, right, who);
            return null;
        }
        catch (RefusalException refusal)
        {
            return refusal.Code;
        }
    }

    private static Credentials As(NewSecret secret) => new(secret.KeyId, secret.Secret);

    [Fact]
    public void A_key_is_replaced_without_a_gap()
    {
        var made = Access.Make("harbour", "ferry display", "", [Right.Read], null);
        var (first, id) = (made.Secret, made.Access.Id);
        var second = Access.AddKey("harbour", id, null, provider.Inside.Clock.Now.AddDays(2));
        Assert.Null(Refused("a", Right.Read, As(first)));
        Assert.Null(Refused("a", Right.Read, As(second)));
        Assert.Equal("unknown-key", Refused("a", Right.Read, As(second) with { Secret = first.Secret }));
        provider.PassDays(2);
        Assert.Equal("key-ended", Refused("a", Right.Read, As(first)));
        Assert.Null(Refused("a", Right.Read, As(second)));
        // What ended can be given more time, and be taken away for good.
        Access.EndKey("harbour", id, first.KeyId, provider.Inside.Clock.Now.AddHours(1));
        Assert.Null(Refused("a", Right.Read, As(first)));
        Access.RemoveKey("harbour", id, first.KeyId);
        Assert.Equal("unknown-key", Refused("a", Right.Read, As(first)));
        Assert.Null(Refused("a", Right.Read, As(second)));
        Access.Remove("harbour", id);
        Assert.Equal("unknown-key", Refused("a", Right.Read, As(second)));
    }

    [Fact]
    public void A_later_end_of_the_others_gives_no_key_more_time_and_ten_keys_are_enough()
    {
        var (access, first) = (Access.Make("harbour", "x", "", [Right.Read], null), provider.Inside.Clock.Now.AddDays(1));
        Access.EndKey("harbour", access.Access.Id, access.Secret.KeyId, first);
        Access.AddKey("harbour", access.Access.Id, null, first.AddDays(5));
        Assert.Equal(first, Access.Grants("harbour").Single().Keys.Single(k => k.Id == access.Secret.KeyId).Ends);
        for (var i = 2; i < 10; i++)
            Access.AddKey("harbour", access.Access.Id, null, null);
        Assert.Equal("too-many-keys", Code(() => Access.AddKey("harbour", access.Access.Id, null, null)));
        Assert.Equal("ended-already", Code(() => Access.AddKey("harbour", access.Access.Id, provider.Inside.Clock.Now, null)));
        Assert.Equal("no-key-of-this-id", Code(() => Access.RemoveKey("harbour", access.Access.Id, "key-0")));
    }

    [Fact]
    public void A_token_does_what_its_key_does_and_never_longer()
    {
        var now = provider.Inside.Clock.Now;
        var made = Access.Make("harbour", "x", "logs/", [Right.Read], now.AddHours(5));
        var token = Access.Token(made.Secret.KeyId, made.Secret.Secret);
        var who = new Credentials(KeyToken: token.Token);
        Assert.Equal(now.AddHours(1), token.Ends);
        Assert.Null(Refused("logs/a", Right.Read, who));
        Assert.Equal("no-right", Refused("logs/a", Right.Write, who));
        Assert.Equal("outside-prefix", Refused("a", Right.Read, who));
        Assert.Equal("token-ended", Refused("logs/a", Right.Read, new Credentials(KeyToken: token.Token + "x")));
        Assert.Equal("unknown-key", Code(() => Access.Token(made.Secret.KeyId, token.Token)));

        // It ends with its key, however the key ends.
        Access.EndKey("harbour", made.Access.Id, made.Secret.KeyId, now.AddMinutes(10));
        Assert.Equal(now.AddMinutes(10), Access.Token(made.Secret.KeyId, made.Secret.Secret).Ends);
        provider.Inside.Clock.PassUntil(now.AddMinutes(10), null, CancellationToken.None);
        Assert.Equal("token-ended", Refused("logs/a", Right.Read, who));
        Assert.Equal("key-ended", Code(() => Access.Token(made.Secret.KeyId, made.Secret.Secret)));
        var second = Access.AddKey("harbour", made.Access.Id, null, null);
        var other = new Credentials(KeyToken: Access.Token(second.KeyId, second.Secret).Token);
        Assert.Null(Refused("logs/a", Right.Read, other));
        Access.RemoveKey("harbour", made.Access.Id, second.KeyId);
        Assert.Equal("token-ended", Refused("logs/a", Right.Read, other));
        var third = Access.AddKey("harbour", made.Access.Id, null, null);
        provider.Inside.Clock.PassUntil(now.AddHours(5), null, CancellationToken.None);
        Assert.Equal("access-ended", Code(() => Access.Token(third.KeyId, third.Secret)));
    }

    private static string Code(Action act) => Assert.Throws<RefusalException>(act).Code;

    [Fact]
    public void Secrets_lie_nowhere_on_the_disk()
    {
        var made = Access.Make("harbour", "x", "", [Right.Read], null).Secret;
        string[] secrets = [made.Secret, Access.Token(made.KeyId, made.Secret).Token];
        provider.Reopen(TestProvider.OneBucket());
        foreach (var file in Directory.EnumerateFiles(provider.Folder, "*", SearchOption.AllDirectories))
        {
            if (Path.GetFileName(file) == "in-use")
                continue;
            using var open = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite);
            using var bytes = new MemoryStream();
            open.CopyTo(bytes);
            Assert.All(secrets, secret => Assert.Equal(-1, bytes.ToArray().AsSpan().IndexOf(System.Text.Encoding.UTF8.GetBytes(secret))));
        }
    }

    [Fact]
    public void Rights_prefix_and_end_hold_and_uses_are_remembered()
    {
        var key = As(Access.Make("harbour", "x", "logs/", [Right.Read, Right.List], provider.Inside.Clock.Now.AddDays(2)).Secret);
        Assert.Null(Access.Grants("harbour")[0].Keys[0].LastUsed);
        Assert.Null(Refused("logs/a", Right.Read, key));
        Assert.Null(Refused("logs/", Right.List, key));
        Assert.Equal("no-right", Refused("logs/a", Right.Write, key));
        Assert.Equal("no-right", Refused("logs/a", Right.ReadVersions, key));
        Assert.Equal("no-right", Refused("logs/a", Right.DeleteVersions, key));
        Assert.Equal("outside-prefix", Refused("other", Right.Read, key));
        Assert.Equal("outside-prefix", Refused("", Right.List, key));
        provider.PassDays(1);
        Assert.Null(Refused("logs/a", Right.Read, key));
        Assert.Equal(provider.Inside.Clock.Now, Access.Grants("harbour")[0].Keys[0].LastUsed);
        provider.PassDays(1);
        Assert.Equal("access-ended", Refused("logs/a", Right.Read, key));
        Assert.Equal(
            "ended-already",
            Assert.Throws<RefusalException>(() => Access.Make("harbour", "y", "", [Right.Read], provider.Inside.Clock.Now)).Code
        );
        Assert.Equal("no-right", Assert.Throws<RefusalException>(() => Access.Make("harbour", "y", "", [], null)).Code);
    }

    [Fact]
    public async Task A_timed_link_opens_what_it_says_until_it_ends_is_revoked_or_is_tampered_with()
    {
        await provider.Put("a/b", [1]);
        var one = Access.Links.Make("harbour", "a/b", false, provider.Inside.Clock.Now.AddHours(1));
        var many = Access.Links.Make("harbour", "a/", true, provider.Inside.Clock.Now.AddDays(3));
        Assert.Null(Refused("a/b", Right.Read, Token(one)));
        Assert.Equal("outside-link", Refused("a/c", Right.Read, Token(one)));
        Assert.Equal("outside-link", Refused("a/b", Right.Write, Token(one)));
        Assert.Equal("outside-link", Refused("a/b", Right.ReadVersions, Token(one)));
        Assert.Equal("outside-link", Refused("a/b", Right.DeleteVersions, Token(many)));
        Assert.Equal("outside-link", Refused("a/", Right.List, Token(one)));
        Assert.Null(Refused("a/c", Right.Read, Token(many)));
        Assert.Null(Refused("a/", Right.List, Token(many)));
        Assert.Equal("outside-link", Refused("", Right.List, Token(many)));

        var token = Token(one).LinkToken!;
        for (var i = 0; i < token.Length; i++)
        {
            var tampered = token[..i] + (token[i] == '0' ? '1' : '0') + token[(i + 1)..];
            Assert.Equal("link-unknown", Refused("a/b", Right.Read, new Credentials(LinkToken: tampered)));
        }
        // The signature of one link does not open the other.
        Assert.Equal(
            "link-unknown",
            Refused("a/b", Right.Read, new Credentials(LinkToken: many.Link.Id + token[token.IndexOf('.', StringComparison.Ordinal)..]))
        );

        Assert.Equal(
            (1, 2),
            (
                Access.Links.Of("harbour").Single(l => l.Id == one.Link.Id).Uses,
                Access.Links.Of("harbour").Single(l => l.Id == many.Link.Id).Uses
            )
        );
        provider.Inside.Clock.PassUntil(provider.Inside.Clock.Now.AddHours(1), null, CancellationToken.None);
        Assert.Equal("link-ended", Refused("a/b", Right.Read, Token(one)));
        Access.Links.Revoke("harbour", many.Link.Id);
        Assert.Equal("link-revoked", Refused("a/b", Right.Read, Token(many)));
        Assert.Equal(
            "no-object",
            Assert.Throws<RefusalException>(() => Access.Links.Make("harbour", "missing", false, provider.Inside.Clock.Now.AddDays(1))).Code
        );

        static Credentials Token(NewLink link) => new(LinkToken: link.Path[(link.Path.LastIndexOf('=') + 1)..]);
    }

    [Fact]
    public async Task What_the_index_keeps_of_a_link_opens_nothing()
    {
        await provider.Put("a", [1]);
        var made = Access.Links.Make("harbour", "a", false, provider.Inside.Clock.Now.AddHours(1));
        var secret = made.Path[(made.Path.LastIndexOf('.') + 1)..];
        provider.Inside.Dispose();
        var bytes = System.Text.Encoding.Latin1.GetString(File.ReadAllBytes(Path.Combine(provider.Folder, "index.db")));
        Assert.DoesNotContain(secret, bytes, StringComparison.Ordinal);
        Assert.DoesNotContain("signing-key", bytes, StringComparison.Ordinal);
        provider.Reopen(TestProvider.OneBucket());
        Access.Demand("harbour", "a", Right.Read, new Credentials(LinkToken: made.Path[(made.Path.LastIndexOf('=') + 1)..]));
    }

    [Fact]
    public void A_bucket_that_is_not_there_answers_as_one_that_is_closed()
    {
        var key = As(Access.Make("harbour", "x", "", [Right.Read], null).Secret);
        Assert.Equal("no-access", Of("missing", new Credentials()));
        Assert.Equal("no-access", Of("harbour", new Credentials()));
        Assert.Equal("other-bucket", Of("missing", key));
        Assert.Equal("unknown-key", Of("missing", new Credentials("key-0", "x")));
        Assert.Equal("link-unknown", Of("missing", new Credentials(LinkToken: "a.b")));

        string Of(string bucket, Credentials who) =>
            Assert.Throws<RefusalException>(() => Access.Demand(bucket, "a", Right.Read, who)).Code;
    }

    [Fact]
    public void A_bucket_is_closed_until_its_name_is_typed_and_the_log_keeps_it()
    {
        Assert.Equal("no-access", Refused("a", Right.Read, new Credentials()));
        Assert.Equal("not-confirmed", Assert.Throws<RefusalException>(() => Access.OpenToPublic("harbour", "harbor")).Code);
        Access.OpenToPublic("harbour", "harbour");
        Assert.Null(Refused("a", Right.Read, new Credentials()));
        Assert.Equal("no-access", Refused("a", Right.Write, new Credentials()));
        Assert.Equal("no-access", Refused("", Right.List, new Credentials()));
        Assert.Equal("no-access", Refused("a", Right.ReadVersions, new Credentials()));
        Access.CloseToPublic("harbour");
        Assert.Equal("no-access", Refused("a", Right.Read, new Credentials()));
        Assert.Equal(
            ["closed the bucket to public reading", "opened the bucket to public reading"],
            provider.Inside.Deeds(10).Select(d => d.What)
        );
    }

    [Fact]
    public async Task A_test_tries_everything_for_real_and_leaves_nothing()
    {
        var whole = Access.Make("harbour", "all", "logs/", [Right.Read, Right.Write, Right.List], null).Secret;
        var steps = await AccessTest.Run(Access, provider.Objects, "harbour", As(whole), CancellationToken.None);
        Assert.Equal(["list", "write a probe", "read", "delete the probe"], steps.Select(s => s.What));
        Assert.All(steps, s => Assert.True(s.Worked));
        Assert.Equal((0, 0), (provider.FilesOnDisk, provider.Objects.List("harbour", "", null, null, 10).Objects.Count));

        var reading = Access.Make("harbour", "read", "", [Right.Read], null).Secret;
        Assert.Equal(
            [false, false, true],
            (await AccessTest.Run(Access, provider.Objects, "harbour", As(reading), CancellationToken.None)).Select(s => s.Worked)
        );
        Assert.All(
            await AccessTest.Run(Access, provider.Objects, "harbour", new Credentials("key-0", "nonsense"), CancellationToken.None),
            s => Assert.False(s.Worked)
        );
    }
}
