using System.Text;
using Ripen.Provider.Objects;

namespace Ripen.Server.Demo;

/// <summary>A handful of made-up files for the demo's bucket of harbour notices, so that there is something to open, with an earlier
/// version and a deletion.</summary>
internal static class DemoContents
{
    private const string Bucket = "harbour-notices";

    public static async Task Put(IObjectStore objects)
    {
        await Write("aldmouth/berth-3-closed.txt", "Berth 3 is closed until further notice.\n");
        await Write("aldmouth/berth-3-closed.txt", "Berth 3 is closed until Friday noon.\n");
        await Write("aldmouth/tide-table.csv", "day,high,low\n2026-11-01,04:12,10:31\n2026-11-02,04:55,11:14\n");
        await Write("kestrel-sound/gale-warning.txt", "Gale warning, force 8 from the south-west. No sailings after 16:00.\n");
        await Write("kestrel-sound/café-menu für Gäste.txt", "Soup of the day: leek.\n");
        await Write("archive/2025/winter-timetable.txt", "First sailing 06:40, last sailing 21:15.\n");
        await Write("readme.txt", "Notices of the harbour offices. One folder a port.\n");
        await Write("withdrawn.txt", "This notice was withdrawn.\n");
        objects.Delete(Bucket, "withdrawn.txt", null, null);

        async Task Write(string key, string text)
        {
            using var body = new MemoryStream(Encoding.UTF8.GetBytes(text));
            await objects.Write(
                Bucket,
                key,
                body,
                new WriteConditions(
                    MediaType: key.EndsWith(".csv", StringComparison.Ordinal) ? "text/csv; charset=utf-8" : "text/plain; charset=utf-8"
                ),
                CancellationToken.None
            );
        }
    }
}
