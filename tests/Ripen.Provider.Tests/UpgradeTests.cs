using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Access;
using Ripen.Provider.Index;

namespace Ripen.Provider.Tests;

/// <summary>A folder that an older program left.</summary>
public sealed class UpgradeTests
{
    [Fact]
    public async Task An_index_of_the_first_layout_keeps_its_copies_and_catch_ups_and_copies_what_it_had_not()
    {
        using var provider = new TestProvider(TwoPlaces.Estate(null));
        await provider.Put("copied", [1]);
        await provider.Put("not-yet", [2]);
        var (copied, notYet) = (
            provider.Objects.Find("harbour", "copied", null)!.Version,
            provider.Objects.Find("harbour", "not-yet", null)!.Version
        );
        provider.Inside.Dispose();
        var file = Path.Combine(provider.Folder, "index.db");
        LayPlain(provider.Folder, [1], [2]);
        BackToFirstLayout(
            file,
            $"""
            INSERT INTO caught_up VALUES((SELECT id FROM bucket WHERE name = 'harbour'), 'far-away', '');
            INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, origin, content)
                SELECT (SELECT id FROM bucket WHERE name = 'far-away'), 1, 1, key, count, bytes, created, written, tier, since, id,
                    content FROM entry WHERE id = {copied};
            INSERT INTO access(id, bucket, label, prefix, rights) SELECT 1, id, 'ferry display', '', 'Read' FROM bucket WHERE name = 'harbour';
            INSERT INTO access_key(id, access, place, secret, made) VALUES
                ('key-1', 1, 1, x'{Convert.ToHexString(AccessBook.Hash("one"))}', 0),
                ('key-2', 1, 2, x'{Convert.ToHexString(AccessBook.Hash("two"))}', 0);
            """
        );

        provider.Reopen(TwoPlaces.Estate(TwoPlaces.Plain with { CatchUp = true }));
        Assert.True(provider.Inside.Stock(null).Buckets["harbour"].Copies.Single().IsCaughtUp);
        provider.PassHours(1);
        Assert.Equal(["copied", "not-yet"], provider.Objects.List("far-away", "", null, null, 10).Objects.Select(o => o.Key));
        Assert.Equal(
            (copied, true),
            (provider.Objects.Find("far-away", "copied", null)!.Root, provider.Objects.Find("far-away", "copied", null)!.IsCopy)
        );
        Assert.Equal(notYet, provider.Objects.Find("far-away", "not-yet", null)!.Root);
        var rule = provider.Inside.Copies.Rules().Single();
        Assert.Equal(1, rule.Copied);
        Assert.Empty(provider.Inside.Copies.Audit(rule.Id, true, CancellationToken.None).Differences);
        // Both keys of a pair go on working.
        provider.Inside.Access.Demand("harbour", "copied", Right.Read, new Credentials("key-1", "one"));
        provider.Inside.Access.Demand("harbour", "copied", Right.Read, new Credentials("key-2", "two"));
        // What lay plain stays so, and says it; what is written from now on does not.
        Assert.Equal([2], await provider.Get("not-yet"));
        Assert.Null(provider.Objects.Find("harbour", "not-yet", null)!.Seal);
        Assert.NotNull(provider.Objects.Find("far-away", "not-yet", null)!.Seal);
        Assert.Equal((2, 1), (provider.Inside.Sealing.Of("harbour").Plain, provider.Inside.Sealing.Of("far-away").Plain));
    }

    /// <summary>Contents as they lay before they were encrypted.</summary>
    private static void LayPlain(string folder, params byte[][] contents)
    {
        using var db = new SqliteConnection($"Data Source={Path.Combine(folder, "index.db")};Pooling=False");
        db.Open();
        foreach (var content in contents)
        {
            var name = db.Value<string>("SELECT name FROM content WHERE sha256 = ?1", SHA256.HashData(content))!;
            File.WriteAllBytes(Path.Combine(folder, "content", name[..2], name), content);
        }
        db.Run("UPDATE content SET sums = sha256");
    }

    /// <summary>Puts everything into an index of the first layout, and then <paramref name="more"/>.</summary>
    private static void BackToFirstLayout(string file, string more)
    {
        using (var newer = new SqliteConnection($"Data Source={file};Pooling=False"))
        {
            newer.Open();
            newer.Run($"VACUUM INTO '{file}.new'");
        }
        foreach (
            var part in Directory
                .GetFiles(Path.GetDirectoryName(file)!, "index.db*")
                .Where(f => !f.EndsWith(".new", StringComparison.Ordinal))
        )
            File.Delete(part);
        using var old = new SqliteConnection($"Data Source={file};Pooling=False");
        old.Open();
        old.Run(Schema.Steps[0]);
        old.Run($"ATTACH '{file}.new' AS newer");
        foreach (
            var table in old.List(
                "SELECT name FROM main.sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite%' AND name NOT IN ('caught_up', 'access_key')",
                r => r.GetString(0)
            )
        )
        {
            var columns = string.Join(", ", old.List($"SELECT name FROM pragma_table_info('{table}')", r => r.GetString(0)));
            old.Run($"INSERT INTO main.{table}({columns}) SELECT {columns} FROM newer.{table}");
        }
        old.Run("DELETE FROM meta WHERE name NOT IN ('now', 'import', 'signing-key')");
        old.Run(more);
        old.Run("PRAGMA user_version = 1");
    }
}
