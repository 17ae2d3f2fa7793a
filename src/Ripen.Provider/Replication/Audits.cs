using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Replication;

/// <summary>
/// What can be done about a difference. Copy: what is missing there is queued. BringBack: what only the copy has is brought to the source.
/// Remove: what only the copy has goes. Mend: damaged content is written anew from the other side. TryAgain: what failed is tried at once.
/// </summary>
public enum Mending
{
    Copy,
    BringBack,
    Remove,
    Mend,
    TryAgain,
}

/// <summary>A difference between the two sides of a rule.</summary>
/// <param name="Item">What differs, and how.</param>
/// <param name="Mends">What can be done about it.</param>
public sealed record AuditDifference(ProofItem Item, IReadOnlyList<Mending> Mends);

/// <summary>Both sides of a rule, compared by key, version and checksum; weightless objects by key, size and day, in numbers.</summary>
/// <param name="Record">The record's number; null when none was kept.</param>
/// <param name="Compared">Objects of the source in the rule's scope.</param>
/// <param name="Bytes">Theirs.</param>
/// <param name="Same">Objects that are on both sides and the same.</param>
/// <param name="Waiting">Objects that wait to be copied: late perhaps, but no difference.</param>
/// <param name="WasRead">Whether every byte on both sides was read and compared with its checksum.</param>
/// <param name="Good">Whether everything that the rule has to copy is there or on its way, and whole.</param>
/// <param name="Differences">One for each object, or for each prefix, day and size of weightless ones.</param>
public sealed record AuditResult(
    long? Record,
    double Compared,
    double Bytes,
    double Same,
    double Waiting,
    bool WasRead,
    bool Good,
    IReadOnlyList<AuditDifference> Differences
);

/// <summary>Compares the two sides of a route, and mends what differs; a mend looks again first, so that it does what is true
/// then.</summary>
internal sealed class Audits(ProviderState state)
{
    public AuditResult Run(long route, bool readEverything, bool keepRecord, CancellationToken cancel)
    {
        var (own, clock, found) = state.Index.Read(db =>
        {
            var own = Reachable(db, route);
            return (own, ProviderState.Now(db), Comparison.Of(db, own));
        });
        var findings = readEverything ? [.. found.Findings, .. Damaged(found.Pairs, cancel)] : found.Findings;
        var damaged = findings
            .Where(f => f.Kind is Difference.DamagedHere or Difference.DamagedThere)
            .Select(f => f.Here.Root)
            .Distinct()
            .Count();
        var good = findings.TrueForAll(f => f.Kind is Difference.LeftBehind or Difference.OnlyThere);
        var differences = findings.ConvertAll(f => new AuditDifference(Item(own, f), Mends(f.Kind)));
        var result = new AuditResult(
            null,
            found.Compared,
            found.Bytes,
            found.Same - damaged,
            found.Waiting,
            readEverything,
            good,
            differences
        );
        return keepRecord ? result with { Record = state.Change(db => Keep(db, own, clock, result), cancel) } : result;
    }

    /// <summary>How many objects of the source the target does not have, for a rule that copies everything.</summary>
    public double Missing(long route) => state.Index.Read(db => NotThere.Of(db, Reachable(db, route)));

    /// <summary>Mends all differences of a kind, or the one of <paramref name="version"/>; how many.</summary>
    public int Mend(long route, string kind, Mending mending, long? version, CancellationToken cancel)
    {
        if (!Mends(kind).Contains(mending))
            throw new RefusalException(
                RefusalKind.Invalid,
                "no-such-mend",
                $"'{mending}' is nothing that can be done about '{kind}'.",
                "$.mend"
            );
        if (mending == Mending.Mend)
            return MendContents(route, kind, version, cancel);
        return state.Change(
            db =>
            {
                var own = Reachable(db, route);
                var findings = Comparison
                    .Of(db, own)
                    .Findings.Where(f => f.Kind == kind && (version is null || f.Here.Root == version))
                    .ToList();
                var now = ProviderState.Now(db).ToUnixTimeMilliseconds();
                if (mending == Mending.TryAgain)
                    db.Run(
                        "UPDATE pending SET failed = NULL, next = NULL WHERE route = ?1 AND failed IS NOT NULL AND (?2 IS NULL OR "
                            + "root = ?2)",
                        route,
                        version
                    );
                var back =
                    mending == Mending.BringBack && findings.Count > 0 ? Routes.Refill(db, state.TermsIn(db), own.To, own.From) : null;
                foreach (var finding in findings)
                {
                    if (mending == Mending.Copy && kind == Difference.Differs)
                        Remove(db, own.To, finding.There!);
                    if (mending == Mending.Copy)
                        CopyQueue.Add(
                            db,
                            own,
                            finding.Here.Entry,
                            Core.Replication.Lanes.Of(finding.Here.Bytes),
                            finding.Here.Kind == EntryRows.Batch ? finding.Count : null,
                            now
                        );
                    if (mending == Mending.BringBack)
                        CopyQueue.Add(
                            db,
                            back!,
                            finding.Here.Entry,
                            Core.Replication.Lanes.Of(finding.Here.Bytes),
                            finding.Here.Kind == EntryRows.Batch ? finding.Count : null,
                            now
                        );
                    if (mending == Mending.Remove)
                        Remove(db, own.To, finding.Here);
                }
                ProviderState.Touch(db, own.From);
                ProviderState.Touch(db, own.To);
                if (findings.Count > 0)
                    state.Note(db, own.From.Bucket.Name, $"{Words(mending)}: {findings.Count} differences with {own.To.Bucket.Name}");
                return findings.Count;
            },
            cancel
        );
    }

    /// <summary>Queues all that a bucket has not and its copies have: what only they have, and what they have to copy here.</summary>
    public int Refill(string bucket, CancellationToken cancel)
    {
        var routes = state.Index.Read(db =>
        {
            var own = state.Reach(db, bucket);
            return Routes
                .All(db, state.TermsIn(db))
                .Where(r => !r.IsRefill && (r.From == own || r.To == own) && !Lines.IsLost(db, r.Line.From) && !Lines.IsLost(db, r.Line.To))
                .ToList();
        });
        var queued = 0;
        foreach (var route in routes)
        {
            if (route.From.Bucket.Name == bucket)
                queued += Mend(route.Id, Difference.OnlyThere, Mending.BringBack, null, cancel);
            else
                queued +=
                    Mend(route.Id, Difference.MissingThere, Mending.Copy, null, cancel)
                    + Mend(route.Id, Difference.LeftBehind, Mending.Copy, null, cancel);
        }
        return queued;
    }

    public static Mending[] Mends(string kind) =>
        kind switch
        {
            Difference.MissingThere or Difference.LeftBehind or Difference.Differs => [Mending.Copy],
            Difference.OnlyThere => [Mending.BringBack, Mending.Remove],
            Difference.DamagedHere or Difference.DamagedThere => [Mending.Mend],
            Difference.Failed => [Mending.TryAgain],
            _ => [],
        };

    private Route Reachable(SqliteConnection db, long route)
    {
        var own = Routes.Find(db, state.TermsIn(db), route);
        state.Reach(db, own.From.Bucket.Name);
        state.Reach(db, own.To.Bucket.Name);
        return own;
    }

    private List<Finding> Damaged(List<(Held Here, Held There)> pairs, CancellationToken cancel)
    {
        var found = new System.Collections.Concurrent.ConcurrentBag<Finding>();
        RefusalException? unreadable = null;
        Parallel.ForEach(
            pairs,
            new ParallelOptions { MaxDegreeOfParallelism = Environment.ProcessorCount, CancellationToken = cancel },
            pair =>
            {
                const string Why = "What lies on the disk is not what was stored.";
                try
                {
                    if (!IsWhole(pair.Here, cancel))
                        found.Add(new Finding(Difference.DamagedHere, pair.Here, pair.There, 1, Why));
                    if (!IsWhole(pair.There, cancel))
                        found.Add(new Finding(Difference.DamagedThere, pair.Here, pair.There, 1, Why));
                }
                catch (RefusalException keyless)
                {
                    unreadable = keyless;
                }
            }
        );
        if (unreadable is not null)
            throw unreadable;
        return [.. found.OrderBy(f => f.Here.Key, StringComparer.Ordinal).ThenBy(f => f.Here.Root)];
    }

    private bool IsWhole(Held held, CancellationToken cancel)
    {
        try
        {
            using var file = state.Contents.Open(held.Content!);
            file.Send(0, held.Bytes, Stream.Null, cancel).GetAwaiter().GetResult();
            return true;
        }
        catch (RefusalException damaged) when (damaged.Kind == RefusalKind.Damaged)
        {
            return false;
        }
    }

    private int MendContents(long route, string kind, long? version, CancellationToken cancel)
    {
        var found = state.Index.Read(db => Comparison.Of(db, Reachable(db, route)));
        var damaged = Damaged([.. found.Pairs.Where(p => version is null || p.Here.Root == version)], cancel)
            .GroupBy(f => f.Here.Root)
            .Where(g => g.Any(f => f.Kind == kind))
            .ToList();
        var mended = 0;
        foreach (var one in damaged.Where(g => g.Count() == 1).Select(g => g.Single()))
        {
            var (bad, good) = kind == Difference.DamagedHere ? (one.Here, one.There!) : (one.There!, one.Here);
            state.Contents.Mend(bad.Content!, good.Content!, cancel).GetAwaiter().GetResult();
            mended++;
        }
        return mended > 0 || damaged.Count == 0
            ? mended
            : throw new RefusalException(RefusalKind.Damaged, "damaged-content", "Both sides are damaged; write the object anew.");
    }

    private void Remove(SqliteConnection db, BucketTerms bucket, Held held)
    {
        var today = ProviderState.Today(db);
        var same =
            held.Kind == EntryRows.Batch
                ? db.List(
                    "SELECT id, tier, since, count, bytes FROM entry WHERE bucket = ?1 AND kind = 0 AND home IS NOT NULL AND key = ?2 "
                        + $"AND created = ?3 AND {EntryRows.OriginalBytes()} = ?4",
                    r => (Id: r.GetInt64(0), Tier: r.GetInt64(1), Since: r.GetInt32(2), Count: r.GetDouble(3), Bytes: r.GetInt64(4)),
                    bucket.Id,
                    held.Key,
                    held.Created,
                    held.Bytes
                )
                : db.List(
                    "SELECT id, tier, since, count, bytes FROM entry WHERE id = ?1",
                    r => (Id: r.GetInt64(0), Tier: r.GetInt64(1), Since: r.GetInt32(2), Count: r.GetDouble(3), Bytes: r.GetInt64(4)),
                    held.Entry
                );
        using var gate = new RetentionGate(db);
        foreach (var entry in same)
        {
            if (held.Kind != EntryRows.Deleted)
                Events.LeftEarly(
                    db,
                    state.TermsIn(db),
                    today,
                    bucket,
                    state.TermsIn(db).Place(entry.Tier),
                    DateOnly.FromDayNumber(entry.Since),
                    entry.Count,
                    entry.Bytes
                );
            gate.Remove(entry.Id);
        }
        if (held.Kind != EntryRows.Batch)
            EntryRows.PutNewestOnTop(db, bucket.Id, held.Key);
    }

    private static ProofItem Item(Route route, Finding f) =>
        new(
            f.Kind,
            (f.Kind is Difference.OnlyThere or Difference.DamagedThere ? route.To : route.From).Bucket.Name,
            f.Here.Key,
            f.Here.Kind == EntryRows.Batch ? 0 : f.Here.Root,
            f.Count,
            f.Count * f.Here.Bytes,
            Lines.Instant(f.Here.Written),
            f.Here.Kind == EntryRows.Deleted ? "The mark of a deletion." : f.Note
        );

    private long Keep(SqliteConnection db, Route route, DateTimeOffset clock, AuditResult result)
    {
        var kinds = result
            .Differences.GroupBy(d => d.Item.Kind)
            .Select(g => $"{Wording.Count(g.Sum(d => d.Item.Objects))} {g.Key}")
            .ToList();
        var how = result.WasRead ? "by key, version and checksum, every byte read" : "by key, version and checksum";
        var summary =
            $"{Wording.Objects(result.Compared)} compared {how}: {Wording.Count(result.Same)} the same, "
            + $"{Wording.Count(result.Waiting)} waiting{(kinds.Count > 0 ? ", " : "")}{string.Join(", ", kinds)}.";
        return Proofs.Keep(
            db,
            state,
            clock,
            ProofKind.Audit,
            route.From.Bucket.Name,
            route.To.Bucket.Name,
            result.Good,
            summary,
            [new ProofStep("compared", clock)],
            [.. result.Differences.Select(d => d.Item)]
        );
    }

    private static string Words(Mending mending) =>
        mending switch
        {
            Mending.Copy => "queued what was missing",
            Mending.BringBack => "brought back what only the copy had",
            Mending.Remove => "removed what only the copy had",
            Mending.TryAgain => "tried again what had failed",
            _ => "mended",
        };
}
