using System.IO.Compression;
using System.Net;
using System.Text.Json.Nodes;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;

namespace Ripen.Server.Tests;

/// <summary>
/// Databases and folders that programs of earlier layouts wrote (the demo's estate, imported there), with the document and the bill of two
/// years that those programs told of them: `released/`, one archive a layout. They open, and say the same.
/// </summary>
public sealed class ReleasedLayoutsTests
{
    [Theory]
    [InlineData("database-only", false)]
    [InlineData("objects", true)]
    [InlineData("replication", true)]
    public async Task What_an_earlier_program_wrote_opens_and_costs_the_same(string layout, bool withObject)
    {
        using var archive = ZipFile.OpenRead(Path.Combine(AppContext.BaseDirectory, "released", $"{layout}.zip"));
        using var server = new TestServer(demo: false, fill: folder => Unpack(archive, folder));
        var (document, bill) = (Text(archive, "document.json"), Text(archive, "bill.csv"));
        Assert.Equal("together", (string?)(await server.Get("/api/stores")).Body["standing"]);
        var told = JsonNode.Parse(EstateDocument.Write(EstateDocument.Read(document).Value))!;
        var now = (await server.Get("/api/estate/document")).Body;
        Assert.True(JsonNode.DeepEquals(told, now), Difference(told, now, "$"));
        var ages = EstateDocument.Read(document).Value.Buckets.Where(b => b.Versioning && b.Rules.Any(r => r.ExpireAt is not null));
        Same(
            bill,
            await server.Http.GetStringAsync(new Uri("/api/forecast/rows.csv?months=24", UriKind.Relative)),
            [.. ages.Select(b => b.Name)]
        );
        Assert.Equal(0, Unkept(server, "deck-cameras"));

        var kept = await server.Http.GetAsync(new Uri("/api/buckets/crew-records/objects/kept/old.txt", UriKind.Relative));
        Assert.Equal(withObject ? HttpStatusCode.OK : HttpStatusCode.NotFound, kept.StatusCode);
        if (withObject)
            Assert.Equal("old", await kept.Content.ReadAsStringAsync());
    }

    /// <summary>Row by row the same but for buckets in which what expires is an earlier version now, and stays (model 8.2); others' storage moves
    /// with them by what the bands are filled otherwise.</summary>
    private static void Same(string told, string now, HashSet<string> stays)
    {
        var (before, after) = (Rows(told), Rows(now));
        Assert.Equal(before.Count, after.Count);
        foreach (var (row, same) in before.Zip(after))
        {
            Assert.Equal(row[..7], same[..7]);
            Assert.Equal(Number(row[7]), Number(same[7]), 1e-6 * Number(row[7]));
        }

        List<string[]> Rows(string csv) =>
            [.. csv.Split("\r\n").Skip(1).Where(l => l.Length > 0).Select(l => l.Split(',')).Where(r => !stays.Contains(r[1]))];

        static double Number(string text) => double.Parse(text, System.Globalization.CultureInfo.InvariantCulture);
    }

    private static void Unpack(ZipArchive archive, string folder)
    {
        foreach (var entry in archive.Entries.Where(e => e.FullName.StartsWith("state/", StringComparison.Ordinal)))
        {
            var file = Path.Combine(folder, entry.FullName["state/".Length..]);
            Directory.CreateDirectory(Path.GetDirectoryName(file)!);
            entry.ExtractToFile(file);
        }
    }

    private static string Text(ZipArchive archive, string name)
    {
        using var reader = new StreamReader(archive.GetEntry(name)!.Open());
        return reader.ReadToEnd();
    }

    /// <summary>Entries of a bucket with a sealed rule that are not sealed.</summary>
    private static long Unkept(TestServer server, string bucket)
    {
        using var index = new SqliteConnection(
            $"Data Source={Path.Combine(server.ProviderFolder, "index.db")};Mode=ReadOnly;Pooling=False"
        );
        index.Open();
        using var command = index.CreateCommand();
        command.CommandText = """
            SELECT count(*), coalesce(sum(e.sealed_until IS NULL), 0) FROM entry e JOIN bucket b ON b.id = e.bucket
            WHERE b.name = $bucket AND e.kind < 2
            """;
        command.Parameters.AddWithValue("$bucket", bucket);
        using var row = command.ExecuteReader();
        row.Read();
        Assert.True(row.GetInt64(0) > 0, $"{bucket} is empty.");
        return row.GetInt64(1);
    }

    private static string Difference(JsonNode before, JsonNode? now, string path) =>
        before switch
        {
            JsonObject o when now is JsonObject other => string.Join(
                "; ",
                o.Select(p => p.Key)
                    .Union(other.Select(p => p.Key))
                    .Where(k => !JsonNode.DeepEquals(o[k], other[k]))
                    .Select(k => o[k] is { } value ? Difference(value, other[k], $"{path}.{k}") : $"{path}.{k} is new")
            ),
            JsonArray list when now is JsonArray other && list.Count == other.Count => string.Join(
                "; ",
                list.Select((v, i) => (v, i))
                    .Where(p => !JsonNode.DeepEquals(p.v, other[p.i]))
                    .Select(p => Difference(p.v!, other[p.i], $"{path}[{p.i}]"))
            ),
            _ => $"{path}: {before.ToJsonString()} is now {now?.ToJsonString() ?? "missing"}",
        };
}
