using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Replication;

/// <summary>A probe on its way, and when it was written.</summary>
public sealed record ProbeUnderWay(long Id, long Rule, string Key, DateTimeOffset Written);

/// <summary>
/// Probes: an object of random bytes is written, seen arriving on the other side, compared byte for byte and removed on both. Each leaves
/// a record.
/// </summary>
internal sealed class Probes(ProviderState state, IObjectStore objects)
{
    private const int ProbeBytes = 4096;

    private sealed record Side(long Entry, StoredContent Content, DateTimeOffset? Arrived, DateOnly Created, int Tier, DateOnly Since);

    public async Task<ProbeUnderWay> Start(long route, CancellationToken cancel)
    {
        var (bucket, key, tags) = state.Index.Read(db =>
        {
            var own = Routes.Find(db, state.TermsIn(db), route);
            var at = ProviderState.Now(db).ToString("yyyyMMdd'T'HHmmss'Z'", System.Globalization.CultureInfo.InvariantCulture);
            return CopyQueue.Wanting(db, state.TermsIn(db), own.From, own.Rule.Prefix, TagText.Write(own.Rule.Tags)).Any(r => r.Id == route)
                ? (own.From.Bucket.Name, $"{own.Rule.Prefix}probe-{at}-{Guid.NewGuid().ToString("N")[..6]}", own.Rule.Tags)
                : throw new RefusalException(
                    RefusalKind.Conflict,
                    "other-rule-copies",
                    "Another rule to the same bucket takes everything of this one; prove that one."
                );
        });
        var written = await objects.Write(
            bucket,
            key,
            new MemoryStream(RandomNumberGenerator.GetBytes(ProbeBytes)),
            new WriteConditions(Tags: tags),
            cancel
        );
        return state.Change(
            db =>
            {
                db.Run(
                    "INSERT INTO probe(route, key, version, written) VALUES(?1, ?2, ?3, ?4)",
                    route,
                    key,
                    written.Version,
                    written.Written.ToUnixTimeMilliseconds()
                );
                var id = db.Value<long>("SELECT last_insert_rowid()");
                state.Note(db, bucket, $"wrote the probe '{key}'");
                return new ProbeUnderWay(id, route, key, written.Written);
            },
            cancel
        );
    }

    public static List<ProbeUnderWay> UnderWay(SqliteConnection db) =>
        [.. ProbeRows.All(db).Select(p => new ProbeUnderWay(p.Id, p.Route, p.Key, p.Written))];

    /// <summary>Compares and removes what has arrived by now.</summary>
    public void Settle(DateTimeOffset now)
    {
        foreach (var probe in state.Index.Read(ProbeRows.All))
        {
            var (route, here, there, waits) = state.Index.Read(db =>
            {
                var own = Routes.Find(db, state.TermsIn(db), probe.Route);
                return (
                    own,
                    Find(db, own.From, probe.Version),
                    Find(db, own.To, probe.Version),
                    db.Value<long>("SELECT count(*) FROM pending WHERE route = ?1 AND root = ?2", probe.Route, probe.Version) > 0
                );
            });
            if (there is null && waits)
                continue;
            var failure =
                here is null ? "Somebody removed the probe before it was compared."
                : there is null ? "The probe did not arrive."
                : Difference(here, there);
            Finish(probe, route, now, here, there, failure);
        }
    }

    /// <summary>Ends a probe that nobody wants to wait for; its record says that it had not arrived.</summary>
    public void GiveUp(long id)
    {
        var probe =
            state.Index.Read(db => ProbeRows.All(db).SingleOrDefault(p => p.Id == id))
            ?? throw new RefusalException(RefusalKind.NotFound, "no-probe", "There is no such probe under way.");
        var (route, now, here, there) = state.Index.Read(db =>
        {
            var own = Routes.Find(db, state.TermsIn(db), probe.Route);
            return (own, ProviderState.Now(db), Find(db, own.From, probe.Version), Find(db, own.To, probe.Version));
        });
        Finish(probe, route, now, here, there, $"It had not arrived after {(now - probe.Written).TotalHours:0.#} hours and was given up.");
    }

    /// <summary>Until when a probe written on this day has to stay: the later of what the two sides' keep rules say. Null when neither has
    /// one.</summary>
    public static DateOnly? StaysUntil(Route route, DateOnly written) =>
        new[] { route.From.WouldKeepUntil(written), route.To.WouldKeepUntil(written) }.Max();

    private void Finish(ProbeRow probe, Route route, DateTimeOffset now, Side? here, Side? there, string? failure) =>
        state.Change(db =>
        {
            var steps = new List<ProofStep> { new("written", probe.Written) };
            if (there?.Arrived is { } arrived)
                steps.Add(new ProofStep("arrived", arrived));
            if (failure is null)
                steps.Add(new ProofStep("compared byte for byte", now));
            var day = DateOnly.FromDateTime(now.AddTicks(-1).UtcDateTime);
            // What one side has to keep stays on both, or still goes there, so that they are equal.
            using var gate = new RetentionGate(db);
            var kept = new[] { here, there }.Max(side => side is null ? null : gate.Keeps(side.Entry)?.Until);
            if (kept is null)
                db.Run("DELETE FROM pending WHERE root = ?1", probe.Version);
            Remove(db, route.To, there, "removed there");
            Remove(db, route.From, here, "removed here");
            db.Run("DELETE FROM probe WHERE id = ?1", probe.Id);
            RetentionGate.Sweep(db);
            var lag = there?.Arrived is { } at ? at - probe.Written : (TimeSpan?)null;
            var late = lag?.TotalHours > route.Rule.AllowedLagHours;
            var summary =
                failure
                ?? $"Arrived after {Wording.Span(lag!.Value)}{(late ? $", later than the {route.Rule.AllowedLagHours:0.##} h that are allowed" : "")}; {ProbeBytes} bytes compared, all the same.{(kept is { } stays ? $" Retention has it stay on both sides until {stays:yyyy-MM-dd}." : "")}";
            Proofs.Keep(
                db,
                state,
                now,
                ProofKind.Probe,
                route.From.Bucket.Name,
                route.To.Bucket.Name,
                failure is null && !late,
                summary,
                steps,
                [
                    new ProofItem(
                        failure is null ? "equal" : "failed",
                        route.From.Bucket.Name,
                        probe.Key,
                        probe.Version,
                        1,
                        ProbeBytes,
                        probe.Written,
                        failure
                    ),
                ]
            );

            void Remove(SqliteConnection inside, BucketTerms bucket, Side? side, string what)
            {
                if (side is null)
                    return;
                var why =
                    kept is { } until ? $"kept until {until:yyyy-MM-dd}"
                    : Lines.IsLost(inside, bucket.Bucket.Region) ? "its region is lost"
                    : null;
                if (why is not null)
                {
                    steps.Add(new ProofStep($"{what.Replace("removed", "left", StringComparison.Ordinal)}: {why}", now));
                    return;
                }
                Events.LeftEarly(inside, state.TermsIn(inside), day, bucket, side.Tier, side.Since, 1, side.Content.Bytes);
                gate.Remove(side.Entry);
                EntryRows.PutNewestOnTop(inside, bucket.Id, probe.Key);
                ProviderState.Touch(inside, bucket);
                steps.Add(new ProofStep(what, now));
            }
        });

    private Side? Find(SqliteConnection db, BucketTerms bucket, long root) =>
        db.List(
                $"""
                SELECT e.id, e.arrived, e.created, e.tier, e.since, {StoredContent.Columns} FROM entry e {StoredContent.Joins}
                WHERE e.bucket = ?1 AND e.kind = 1 AND coalesce(e.origin, e.id) = ?2
                """,
                r => new Side(
                    r.GetInt64(0),
                    StoredContent.Read(r, 5)!,
                    r.Long(1) is { } at ? Lines.Instant(at) : null,
                    DateOnly.FromDayNumber(r.GetInt32(2)),
                    state.TermsIn(db).Place(r.GetInt64(3)),
                    DateOnly.FromDayNumber(r.GetInt32(4))
                ),
                bucket.Id,
                root
            )
            .SingleOrDefault();

    /// <summary>Null when both sides have the same bytes.</summary>
    private string? Difference(Side here, Side there)
    {
        try
        {
            return Content(here).AsSpan().SequenceEqual(Content(there)) ? null : "The bytes on the two sides differ.";
        }
        catch (RefusalException unreadable)
        {
            return unreadable.Message;
        }
    }

    private byte[] Content(Side side)
    {
        using var file = state.Contents.Open(side.Content);
        using var bytes = new MemoryStream();
        file.Send(0, side.Content.Bytes, bytes, CancellationToken.None).GetAwaiter().GetResult();
        return bytes.ToArray();
    }
}
