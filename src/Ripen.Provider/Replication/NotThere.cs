using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>
/// How many objects of a source its target does not have, whether they wait or not: what would be lost if the source went now. Counted in
/// the index, so that neither side is loaded. Copies that the source holds for a third bucket do not travel and count as well: they would
/// be lost with it.
/// </summary>
internal static class NotThere
{
    /// <summary>Of a rule that copies everything. Objects, earlier versions and marks of deletions count one each; simulated workloads
    /// count in fractions.</summary>
    public static double Of(SqliteConnection db, Route route) =>
        db.Value<double>(Objects, route.From.Id, route.To.Id)
        + db.Value<double>(Batches, route.From.Id, route.To.Id)
        + db.Value<double>(MarksToTakeBack, route.Id, route.To.Id);

    private const string MarksToTakeBack = """
        SELECT count(*) FROM pending p WHERE p.route = ?1 AND p.kind = 3
            AND EXISTS (SELECT 1 FROM entry t WHERE t.bucket = ?2 AND t.kind = 2 AND (t.origin = p.root OR t.id = p.root))
        """;

    private const string Objects = """
        SELECT count(*) FROM entry e LEFT JOIN content c ON c.name = e.content
        WHERE e.bucket = ?1 AND e.kind IN (1, 2)
            AND NOT EXISTS (
                SELECT 1 FROM entry t LEFT JOIN content tc ON tc.name = t.content WHERE t.bucket = ?2 AND t.kind > 0
                    AND (t.origin = coalesce(e.origin, e.id) OR t.id = coalesce(e.origin, e.id))
                    AND t.key = e.key AND t.bytes = e.bytes AND t.tags IS e.tags AND tc.sha256 IS c.sha256)
        """;

    private static string BatchesOf(string bucket) =>
        $"SELECT key, created, {EntryRows.OriginalBytes()} AS bytes, sum({EntryRows.Originals()}) AS n FROM entry "
        + $"WHERE bucket = {bucket} AND kind = 0 GROUP BY 1, 2, 3";

    private static readonly string Batches = $"""
        WITH here AS ({BatchesOf("?1")}), there AS ({BatchesOf("?2")})
        SELECT coalesce(sum(missing), 0) FROM (
            SELECT h.n - coalesce(t.n, 0) AS missing, h.n FROM here h LEFT JOIN there t USING (key, created, bytes))
        WHERE missing > 1e-6 * max(1, n)
        """;
}
