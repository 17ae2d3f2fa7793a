using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Arrays;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Plans;
using Ripen.Provider.Replication;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Clock;

/// <summary>What one midnight run did, in objects and money.</summary>
public sealed record DayRun(DateOnly Day, double Arrived, double Copied, double Expired, double Moved, double Amount);

/// <summary>
/// The run that closes a day: arrivals and their copies, then rules, then the meter, over every entry there is. All of it is one
/// transaction with the clock, so that a run that was cut short has not been, and is done again. Nothing here is taken from the projection
/// but the price book: the two are compared.
/// </summary>
internal sealed class Midnight : IDisposable
{
    private readonly SqliteConnection db;
    private readonly Terms terms;
    private readonly DateOnly day;
    private readonly long written;
    private readonly Dictionary<BucketTerms, DayUse> uses;
    private readonly Dictionary<(BucketTerms Bucket, string Target), DayUse> targets = [];
    private readonly RetentionGate gate;
    private readonly HashSet<string> lost;
    private readonly List<Route> routes;
    private readonly PlanNights plans;
    private double arrived;
    private double expired;
    private double moved;

    /// <summary>One thing that a night does over every bucket that can be reached.</summary>
    private sealed record NightlyStep(string What, Action<Midnight, CancellationToken> Do);

    /// <summary>What a night does, in the order in which a projection's day has it (the model's section 3): another step is another line.</summary>
    private static readonly IReadOnlyList<NightlyStep> Night =
    [
        new("what streams bring arrives", (run, _) => run.Arrive()),
        new("plans run", (run, _) => run.RunPlans()),
        new("what waits is carried", (run, _) => run.CarryBatches()),
        new("what no restore point needs any more leaves", (run, _) => run.ThinPacks()),
        new("entries are replaced, expire, move, rest and are read", (run, cancel) => run.LiveThroughRules(cancel)),
        new("uploads that nobody completes leave, the parts of others rest", (run, _) => run.RestUploads()),
        new("copies that were recalled rest beside them", (run, _) => run.RestRecalled()),
        new("what was used is booked", (run, _) => run.BookUse()),
        new("storage is metered", (run, _) => new StorageMeter(run.db, run.terms, run.day).Book(run.uses, run.targets)),
        new("what is agreed is settled", (run, _) => AgreementMeter.Book(run.db, run.terms.Prices, run.day)),
    ];

    private Midnight(SqliteConnection db, Terms terms, DateOnly day)
    {
        (this.db, this.terms, this.day) = (db, terms, day);
        gate = new RetentionGate(db);
        routes = Routes.All(db, terms);
        plans = new PlanNights(db, terms, day);
        lost = [.. Lines.Lost(db).Select(l => l.Region)];
        written = ProviderState.Midnight(day).ToUnixTimeMilliseconds();
        uses = terms.Buckets.ToDictionary(b => b, b => new DayUse(terms.Prices.Tiers.Count));
    }

    /// <summary>Closes <paramref name="day"/>; afterwards it is the midnight that begins the next.</summary>
    /// <exception cref="OperationCanceledException">Stopped; the transaction must be given up.</exception>
    public static DayRun Close(SqliteConnection db, Terms terms, DateOnly day, CancellationToken cancel)
    {
        using var run = new Midnight(db, terms, day);
        foreach (var step in Night)
            step.Do(run, cancel);
        var copied = db.Value<double?>("SELECT sum(copied) FROM route_day WHERE day = ?1", day.DayNumber) ?? 0;
        var amount = db.Value<double?>("SELECT sum(amount) FROM ledger WHERE day = ?1", day.DayNumber) ?? 0;
        db.Run("INSERT INTO run VALUES(?1, ?2, ?3, ?4, ?5, ?6)", day.DayNumber, run.arrived, copied, run.expired, run.moved, amount);
        db.Run("UPDATE bucket SET changes = changes + 1");
        RouteDays.NoteWaiting(db, day);
        ProviderState.SetNow(db, ProviderState.Midnight(day.AddDays(1)));
        HoldRows.BeginDay(db, day.AddDays(1));
        return new DayRun(day, run.arrived, copied, run.expired, run.moved, amount);
    }

    public void Dispose() => gate.Dispose();

    private void Arrive()
    {
        foreach (var bucket in Reachable())
        {
            foreach (var stream in bucket.Bucket.Streams)
            {
                var objects = stream.AsOf(day, bucket.StatedOn).ObjectsPerDay;
                if (objects == 0)
                    continue;
                Arrive(bucket, stream, objects);
            }
        }
        LeaveArrays();
    }

    private void Arrive(BucketTerms bucket, ObjectStream stream, double objects)
    {
        db.Run(
            """
            INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, tags, replaced_on, rewrite)
                VALUES(?1, 0, 1, ?2, ?3, ?4, ?5, ?6, ?7, ?5, ?8, ?5 + ?9, ?9)
            """,
            bucket.Id,
            stream.Prefix,
            objects,
            stream.BytesPerObject,
            day.DayNumber,
            written,
            terms.TierId(bucket.Landing),
            TagText.Write(stream.Tags),
            stream.ReplacedAfterDays
        );
        var batch = db.Value<long>("SELECT last_insert_rowid()");
        Events.Written(db, terms, day, bucket, bucket.Landing, objects);
        arrived += objects;
        foreach (var route in routes.Where(r => r.From == bucket && !r.IsRefill && r.Rule.Scope.Takes(stream.Prefix, stream.Tags)))
            CopyQueue.Arrived(db, route, batch, stream, objects, day);
    }

    /// <summary>What nobody used for long leaves its array for the bucket.</summary>
    private void LeaveArrays()
    {
        foreach (var array in ArrayRows.Standing(db, terms.Plan.Estate.Arrays).Where(a => a.Bucket is not null))
        {
            var bucket = terms[array.Bucket!];
            if (!IsReachable(bucket))
                continue;
            foreach (var volume in array.Volumes)
            {
                for (var i = 0; i < volume.Data.Count; i++)
                {
                    var data = volume.Data[i];
                    if (!(array.LeavesOn(volume, data) <= day))
                        continue;
                    Arrive(
                        bucket,
                        new ObjectStream
                        {
                            Prefix = array.KeyOf(volume, data),
                            ObjectsPerDay = data.Files,
                            BytesPerObject = data.BytesPerFile,
                        },
                        data.Files
                    );
                    Events.CarriedIn(db, terms, day, bucket, array.Region, data.Bytes);
                    ArrayRows.Left(db, array, volume, i, day);
                }
            }
        }
    }

    private void RunPlans() => arrived += plans.Run(routes, IsReachable);

    private void ThinPacks() =>
        plans.Thin(
            IsReachable,
            (bucket, prefix, tier, since, count, bytes) =>
            {
                uses[bucket].Leave(terms, bucket, day, tier, since, count, bytes);
                if (bucket.TargetOf(prefix) is { } target)
                    UseOfTarget(bucket, target).Leave(terms, bucket, day, tier, since, count, bytes);
            }
        );

    /// <summary>Weightless objects go over the lines with what a day's uploads have left of them, by the rules of
    /// <see cref="BatchRun"/>.</summary>
    private void CarryBatches()
    {
        var end = written + 86_400_000;
        using var arrivals = new CopyArrivals(db, terms);
        foreach (var line in routes.GroupBy(r => r.Line))
        {
            var rate = terms.Prices.FindTransfer(line.Key.From, line.Key.To)?.BytesPerSecond ?? double.PositiveInfinity;
            var closed = Lines.ClosedUntil(db, line.Key);
            if (closed == long.MaxValue || (closed >= end && double.IsInfinity(rate)))
                continue;
            BatchRun.Go(db, [.. line], Lines.BytesADay(rate) - Lines.Spent(db, line.Key, day), arrivals, day);
        }
        arrivals.Close();
    }

    private bool IsReachable(BucketTerms bucket) => !lost.Contains(bucket.Bucket.Region);

    private IEnumerable<BucketTerms> Reachable() => terms.Buckets.Where(IsReachable);

    /// <summary>Every entry is replaced, expires, moves or rests, in this order, and is read as its bucket's reading habit says; what was
    /// read may come back.</summary>
    private void LiveThroughRules(CancellationToken cancel)
    {
        var going = new List<long>();
        var moving = new List<(NightEntry Entry, double Charge)>();
        var read = new List<(NightEntry Entry, double Charge)>();
        var superseding = new List<(long Id, int Kind)>();
        using var acts = new NightActs(db, day);
        foreach (var entry in NightEntries.Of(db, terms, day, IsReachable, cancel))
        {
            var fate = entry.Fate;
            var ruled = NightActs.ByRules(entry, terms, day);
            if (ruled is not null)
                acts.Note(entry.Id, ruled);
            var of = entry.Rules.Bucket;
            Use(entry, uses[of]);
            if (of.HasTargets && of.TargetOf(entry.Lies.Key) is { } target)
                Use(entry, UseOfTarget(of, target));
            if (fate.Goes)
            {
                going.Add(entry.Id);
                expired += entry.Count;
                continue;
            }
            if (fate.Supersedes)
            {
                superseding.Add((entry.Id, entry.Kind));
                expired += entry.Count;
            }
            if (fate.Tier is not null)
            {
                moving.Add((entry, ruled!.Charge));
                moved += entry.Count;
            }
            if (!entry.Watching.IsWatched || entry.ShareRead(day) == 0)
                continue;
            var back = NightActs.ByReading(entry, terms, day);
            read.Add((entry, back?.Charge ?? 0));
            if (back is null)
                continue;
            acts.Note(entry.Id, back);
            moved += back.Objects;
        }
        foreach (var (id, kind) in superseding)
            Supersede(id, kind);
        foreach (var id in going)
            gate.Remove(id);
        using var relocation = new EntryRelocation(db);
        foreach (var (entry, charge) in moving)
        {
            relocation.Move(entry.Id, entry.Kind, terms.TierId(entry.Rests.Tier), day, null, charge);
            if (entry.Fate.BundleTo > 0)
                db.Run(
                    "UPDATE entry SET count = ?2, bytes = ?3, originals = ?4 WHERE id = ?1",
                    entry.Id,
                    entry.RestingCount,
                    entry.Rests.Bytes,
                    entry.Originals
                );
        }
        var parted = new Dictionary<long, (double Share, long? BackTo)>();
        foreach (var (entry, charge) in read)
        {
            var back = entry.Watching.Back is null ? (long?)null : terms.TierId(entry.Rules.Bucket.Landing);
            if (entry.Kind == EntryRows.Batch)
                parted[entry.Id] = (entry.ShareRead(day), back);
            else if (back is { } landing)
                relocation.Move(entry.Id, entry.Kind, landing, day, null, charge);
        }
        using var parts = new ReadParts(db, day);
        foreach (var bucket in Reachable().Where(b => b.Bucket.Rules.Any(r => r.WatchesReading)))
        {
            if (new RuleBook(bucket, terms.Prices, day).LongestUnread is { } longest)
                parts.PartAndJoin(bucket, parted, longest, tier => terms.Prices.Tiers[terms.Place(tier)].MinimumStayDays);
        }
    }

    private void Use(in NightEntry entry, DayUse use)
    {
        var (bucket, lies, fate, since) = (entry.Rules.Bucket, entry.Lies, entry.Fate, entry.Since);
        if (fate.Goes || fate.Tier is not null)
            use.Leave(terms, bucket, day, lies.Tier, since, entry.Count, lies.Bytes);
        if (fate.Goes)
            return;
        var (rests, count) = (entry.Rests, entry.RestingCount);
        if (fate.Tier is { } colder)
        {
            since = day.DayNumber;
            if (fate.BundleTo > 0)
                use.Bundle(lies.Tier, entry.Count, colder, count);
            else
                use.Of(colder).Moves += count;
        }
        use.Rest(terms.Prices.Tiers[rests.Tier], rests.Tier, bucket.Landing, count, rests.Bytes);
        var share = entry.HabitShare;
        use.Read(rests.Tier, entry.Originals * share, count * rests.Bytes * share);
        var watching = entry.Watching;
        if (!watching.IsWatched)
            return;
        use.Of(rests.Tier).Watched += count;
        if (watching.Back is null || entry.ShareRead(day) is not (> 0 and var read))
            return;
        use.Leave(terms, bucket, day, rests.Tier, since, count * read, rests.Bytes);
        use.Of(bucket.Landing).Moves += count * read;
    }

    private void RestUploads()
    {
        var reachable = Reachable().ToDictionary(b => b.Id);
        foreach (var bucket in reachable.Values)
        {
            foreach (var upload in UploadRows.Over(db, bucket, day))
            {
                NightActs.Note(db, NightActs.Discards(upload, terms, bucket, day));
                Uploads.Remove(db, upload.Id);
            }
        }
        foreach (var parts in UploadRows.Resting(db))
        {
            if (!reachable.TryGetValue(parts.Bucket, out var bucket))
                continue;
            uses[bucket].Rest(terms.Prices.Tiers[bucket.Landing], bucket.Landing, bucket.Landing, parts.Count, parts.Bytes);
            if (bucket.TargetOf(parts.Key) is { } target)
                UseOfTarget(bucket, target)
                    .Rest(terms.Prices.Tiers[bucket.Landing], bucket.Landing, bucket.Landing, parts.Count, parts.Bytes);
        }
    }

    private void RestRecalled()
    {
        var reachable = Reachable().ToDictionary(b => b.Id);
        foreach (var copy in RecallRows.On(db, day))
        {
            if (!reachable.TryGetValue(copy.Bucket, out var bucket))
                continue;
            var place = terms.Place(copy.Tier);
            uses[bucket].Rest(terms.Prices.Tiers[place], place, bucket.Landing, copy.Count, copy.Bytes);
            if (bucket.TargetOf(copy.Key) is { } target)
                UseOfTarget(bucket, target).Rest(terms.Prices.Tiers[place], place, bucket.Landing, copy.Count, copy.Bytes);
        }
        RecallRows.End(db, day);
    }

    /// <summary>A current version steps back; nothing is lost. An object's key then has a mark that it was deleted, as a hand would leave
    /// it.</summary>
    private void Supersede(long id, int kind)
    {
        db.Run("UPDATE entry SET current = 0 WHERE id = ?1", id);
        if (kind == EntryRows.Object)
            EntryRows.MarkDeleted(db, id, day, written);
    }

    private DayUse UseOfTarget(BucketTerms bucket, string target)
    {
        if (!targets.TryGetValue((bucket, target), out var use))
            targets[(bucket, target)] = use = new DayUse(terms.Prices.Tiers.Count);
        return use;
    }

    private void BookUse()
    {
        foreach (var ((bucket, target), use) in targets)
        {
            foreach (var (tier, charge, quantity, bytes, amount) in Charges(bucket, use))
                TargetLedger.Book(db, day, target, tier, charge, quantity, bytes, amount);
        }
        foreach (var (bucket, use) in uses)
        {
            foreach (var (tier, charge, quantity, _, amount) in Charges(bucket, use))
                Ledger.Book(db, day, bucket, tier, charge, quantity, amount);
            for (var tier = 0; tier < terms.Prices.Tiers.Count; tier++)
            {
                if (use.Of(tier) is not { Reads: > 0 } read)
                    continue;
                var units = read.ReadBytes / terms.Prices.Unit.Bytes();
                var charge = Events.ReadCharge(bucket, tier, read.Reads, units, null);
                LedgerParts.Recalled(db, day, bucket, terms.Prices.Tiers[tier].Id, read.Reads, units, charge, null);
            }
        }
    }

    /// <summary>What the night's own deeds are charged: all but storage and arrivals.</summary>
    private IEnumerable<(string Tier, Charge Charge, double Quantity, double Bytes, double Amount)> Charges(BucketTerms bucket, DayUse use)
    {
        for (var tier = 0; tier < terms.Prices.Tiers.Count; tier++)
        {
            if (bucket.Prices[tier] is not { } price)
                continue;
            var (total, name) = (use.Of(tier), terms.Prices.Tiers[tier].Id);
            var watched = total.Watched / terms.BilledDays(day);
            if (total.EarlyUnitMonths > 0)
                yield return (name, Charge.EarlyLeave, total.EarlyUnitMonths, 0, total.EarlyAmount);
            if (total.Moves > 0)
                yield return (name, Charge.Moves, total.Moves, 0, price.MovesIn.For(total.Moves));
            if (total.BundleWrites > 0)
                yield return (name, Charge.Writes, total.BundleWrites, 0, price.Writes.For(total.BundleWrites));
            if (watched > 0)
                yield return (name, Charge.Watching, watched, 0, price.Watching.For(watched));
            var units = total.ReadBytes / terms.Prices.Unit.Bytes();
            var (reads, recall) = Events.ReadCharge(bucket, tier, total.Reads, units, null);
            if (total.Reads + total.BundleReads > 0)
                yield return (
                    name,
                    Charge.Reads,
                    total.Reads + total.BundleReads,
                    total.ReadBytes,
                    reads + price.Reads.For(total.BundleReads)
                );
            if (total.Reads > 0)
                yield return (name, Charge.Recall, units, total.ReadBytes, recall);
        }
    }
}
