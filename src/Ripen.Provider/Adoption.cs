using System.Text.Json;
using Microsoft.Data.Sqlite;
using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;
using Ripen.Provider.Arrays;
using Ripen.Provider.Clock;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Plans;
using Ripen.Provider.Replication;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;
using Ripen.Provider.Sealing;

namespace Ripen.Provider;

/// <summary>
/// Takes up plans. What a plan may not do to what is there is refused twice, by the same rules: before the store keeps it
/// (<see cref="Reserve"/>), in words for whoever asks; and when it is adopted, for plans that come by another way. The folder keeps the
/// plan in force, so that it can say what it follows.
/// </summary>
internal sealed class Adoption(ProviderState state, SealingBook sealing)
{
    /// <summary>
    /// Whether the change may be made. Buckets that go, are replaced or move take nothing in from now on until the result is disposed of:
    /// what was acknowledged before is what was looked at.
    /// </summary>
    /// <exception cref="RefusalException">Something that is kept would go or be kept less; a bucket with objects would change its region;
    /// time passes.</exception>
    public IDisposable Reserve(PlannedChange change) =>
        state.Change(db =>
        {
            if (state.FindTerms(db) is not { } before)
                return new Reservation(state.Exclusion, false);
            var touched = Check(db, before, change.After, change.IsImport, b => b == change.Lifted, b => b == change.Held);
            if (touched.Count > 0)
                state.Exclusion.Close(touched);
            return new Reservation(state.Exclusion, touched.Count > 0);
        });

    /// <summary>Why <see cref="Reserve"/> would refuse the change by what is kept and where it lies; null when it would not.</summary>
    public RefusalException? Foresee(PlannedChange change) =>
        state.Index.Read(db =>
        {
            try
            {
                if (state.FindTerms(db) is { } before)
                    Check(db, before, change.After, change.IsImport, b => b == change.Lifted, b => b == change.Held);
                return null;
            }
            catch (RefusalException refusal)
            {
                return refusal;
            }
        });

    /// <summary>Takes up a plan: buckets come and go, new lots are put in, an import empties everything first. Doing it twice does nothing
    /// more.</summary>
    /// <exception cref="RefusalException">The plan would destroy or weaken what is kept; the one before it stays in force.</exception>
    public void Adopt(ProviderPlan plan)
    {
        if (state.Change(db => PutInForce(db, plan)))
            sealing.WrapSoon();
    }

    /// <returns>Whether buckets have other keys than before.</returns>
    private bool PutInForce(SqliteConnection db, ProviderPlan plan)
    {
        plan = plan with { Estate = plan.Estate with { Plans = [.. plan.Estate.Plans.Select(p => p.Begun(plan.Estate.Today))] } };
        var isImport = plan.ImportVersion > (Meta(db, "import") ?? -1);
        var before = state.FindTerms(db);
        if (before is not null)
        {
            // Who placed and released holds was asked when it was stored; that none falls away is looked at here again.
            Check(db, before, plan.Estate, isImport, b => plan.Buckets[b].LiftVersion > (LiftVersion(db, b) ?? 0), _ => true);
        }
        if (isImport)
        {
            foreach (var name in Names(db))
                RetentionGate.DropBucket(db, name);
            foreach (
                var table in (string[])["plan_run", "ledger", "ledger_part", "target_use", "run", "tier", "line", "cut", "lost_region"]
            )
                db.Run($"DELETE FROM {table}");
            NightActs.Forget(db);
            // An instant that time had reached in another estate says nothing in this one.
            db.Run("DELETE FROM meta WHERE name = 'stop'");
            SetMeta(db, "import", plan.ImportVersion);
            ProviderState.SetNow(db, ProviderState.Midnight(plan.Estate.Today));
        }
        foreach (var tier in plan.Estate.PriceBook.Tiers)
            db.Run("INSERT OR IGNORE INTO tier(name) VALUES(?1)", tier.Id);
        var wanted = plan.Estate.Buckets.Select(b => b.Name).ToHashSet();
        foreach (var name in Names(db).Where(n => !wanted.Contains(n)))
            RetentionGate.DropBucket(db, name);
        var changed = new HashSet<string>();
        foreach (var (bucket, place) in plan.Estate.Buckets.Select((b, i) => (b, i)))
        {
            if (before is not null && !isImport && IsKnown(before.Plan, bucket, place, plan))
                continue;
            if (Write(db, bucket, place, plan.Buckets[bucket.Name]))
                changed.Add(bucket.Name);
            if (bucket.Holds.Count > 0)
                HoldRows.Adopt(db, bucket);
        }
        var prices = JsonSerializer.Serialize(plan.Estate.PriceBook, Compact);
        var pricesChanged = prices != Text(db, "price-book");
        SetMeta(db, "plan", plan.Version);
        SetMeta(db, "mark", plan.Mark);
        if (plan.Identity.Length > 0)
            SetMeta(db, "identity", plan.Identity);
        SetMeta(db, "name", plan.Estate.Name);
        SetMeta(db, "price-book", prices);
        SetMeta(db, "workloads", JsonSerializer.Serialize(plan.Estate.Workloads, Compact));
        SetMeta(db, "targets", JsonSerializer.Serialize(plan.Estate.Targets, Compact));
        SetMeta(db, "plans", JsonSerializer.Serialize(plan.Estate.Plans, Compact));
        SetMeta(db, "arrays", JsonSerializer.Serialize(plan.Estate.Arrays, Compact));
        ArrayRows.Adopt(db, isImport ? null : before?.Plan.Estate.Arrays ?? [], plan.Estate.Arrays);
        SetMeta(db, "carriers", JsonSerializer.Serialize(plan.Estate.Carriers, Compact));
        SetMeta(db, "retention-periods", JsonSerializer.Serialize(plan.Estate.RetentionPeriods, Compact));
        SetMeta(db, "scenarios", JsonSerializer.Serialize(plan.Estate.Scenarios, Compact));
        SetMeta(db, "workloads-stated", plan.Estate.Today.DayNumber);
        var terms = TermsOf(db, plan);
        TargetLedger.KeepOnly(db, [.. plan.Estate.Targets.Select(t => t.Id)]);
        state.PutInForce(db, terms);
        var otherKeys = SealingRows.Want(db, state.Chest, terms.Buckets, state.WallClock);
        var brought = terms.Buckets.Where(b => IsNewStock(db, b, plan.Buckets[b.Bucket.Name].StockVersion)).ToList();
        foreach (var bucket in brought)
            PutStock(db, terms, bucket);
        Routes.Adopt(db, terms, brought);
        AdoptPlans(db, isImport ? null : before, terms);
        changed.UnionWith(brought.Select(b => b.Bucket.Name));
        foreach (var bucket in terms.Buckets)
        {
            // Other rules cut the stock in other places, and what waits for a bucket as that bucket cuts it.
            if (pricesChanged || changed.Contains(bucket.Bucket.Name) || bucket.Bucket.CopyTo.Any(c => changed.Contains(c.Bucket)))
                db.Run("UPDATE bucket SET changes = changes + 1 WHERE id = ?1", bucket.Id);
        }
        return otherKeys;
    }

    /// <summary>Plans that come bring the runs that were before them, with what these left; what goes leaves its points.</summary>
    private static void AdoptPlans(SqliteConnection db, Terms? before, Terms terms)
    {
        var estate = terms.Plan.Estate;
        var branches = Branch.All(estate, estate.Today).ToDictionary(b => (b.Plan.Id, b.Target.Id, b.Workload.Id));
        PackRows.GiveUp(db, terms, PlanRunRows.All(db).Where(r => !branches.ContainsKey((r.Plan, r.Target, r.Workload))));
        var known = before?.Plan.Estate.Plans.Select(p => p.Id).ToHashSet() ?? [];
        var numbers = new Dictionary<(Branch, int), long>();
        foreach (var branch in branches.Values.Where(b => !known.Contains(b.Plan.Id) && b.Workload.Source is null))
        {
            for (var i = 0; i < branch.Runs.Count; i++)
                numbers[(branch, i)] = PlanRunRows.Add(db, branch, i);
        }
        if (numbers.Count == 0)
            return;
        foreach (var bucket in terms.Buckets.Where(b => b.HasTargets))
        {
            foreach (var packs in PastPacks.In(estate, bucket.Bucket))
            {
                var key = (packs.Branch.Plan.Id, packs.Branch.Target.Id, packs.Branch.Workload.Id);
                if (!numbers.TryGetValue((branches[key], packs.Run), out var number))
                    continue;
                db.Run("UPDATE plan_run SET share = ?2 WHERE id = ?1", number, packs.Came > 0 ? packs.Objects / packs.Came : 0);
                if (packs.Objects == 0)
                    continue;
                PackRows.Put(
                    db,
                    terms,
                    bucket,
                    packs.Branch.Target,
                    number,
                    packs.Came,
                    packs.Objects,
                    packs.Tier,
                    packs.Branch.Runs[packs.Run].Day,
                    packs.Since
                );
            }
        }
    }

    /// <summary>Puts the plan in force again that the folder kept; nothing when it kept none.</summary>
    public void Resume() =>
        state.Index.Read(db =>
        {
            if (Standing(db).Version > 0 && Meta(db, "adoption") is not null)
                state.Remember(db, TermsOf(db, Kept(db)));
            return true;
        });

    public static FolderStanding Standing(SqliteConnection db) =>
        new(Text(db, "identity"), Meta(db, "plan") ?? 0, Text(db, "mark"), Meta(db, "import") ?? 0);

    /// <summary>The plan that the folder took up last, without stock.</summary>
    public static ProviderPlan Kept(SqliteConnection db)
    {
        var rows = db.List(
            "SELECT plan, name, stated, stock_version, lift_version FROM bucket ORDER BY place, id",
            r =>
                (
                    Bucket: JsonSerializer.Deserialize<Bucket>(r.GetString(0), Compact)!,
                    Planned: new PlannedBucket(DateOnly.FromDayNumber(r.GetInt32(2)), r.GetInt64(3), r.GetInt64(4))
                )
        );
        var estate = new Estate
        {
            Name = Text(db, "name")!,
            Today = ProviderState.Today(db),
            PriceBook = JsonSerializer.Deserialize<PriceBook>(Text(db, "price-book")!, Compact)!,
            Buckets = [.. rows.Select(r => r.Bucket)],
            // A folder of an older release knows none.
            Workloads =
            [
                .. JsonSerializer
                    .Deserialize<Workload[]>(Text(db, "workloads") ?? "[]", Compact)!
                    .Select(w =>
                        Meta(db, "workloads-stated") is { } day ? w.AsOf(ProviderState.Today(db), DateOnly.FromDayNumber((int)day)) : w
                    ),
            ],
            Plans = JsonSerializer.Deserialize<BackupPlan[]>(Text(db, "plans") ?? "[]", Compact)!,
            Targets = JsonSerializer.Deserialize<BackupTarget[]>(Text(db, "targets") ?? "[]", Compact)!,
            Arrays = JsonSerializer.Deserialize<LocalArray[]>(Text(db, "arrays") ?? "[]", Compact)!,
            Carriers = JsonSerializer.Deserialize<CarrierMachine[]>(Text(db, "carriers") ?? "[]", Compact)!,
            RetentionPeriods = JsonSerializer.Deserialize<RetentionPeriod[]>(Text(db, "retention-periods") ?? "[]", Compact)!,
            Scenarios = JsonSerializer.Deserialize<Scenario[]>(Text(db, "scenarios") ?? "[]", Compact)!,
        };
        var standing = Standing(db);
        return new ProviderPlan(
            estate,
            standing.Version,
            standing.ImportVersion,
            rows.ToDictionary(r => r.Bucket.Name, r => r.Planned),
            standing.Identity ?? "",
            standing.Mark ?? ""
        );
    }

    private static readonly JsonSerializerOptions Compact = new(EstateDocument.Json) { WriteIndented = false };

    private sealed class Reservation(Exclusion exclusion, bool closed) : IDisposable
    {
        public void Dispose()
        {
            if (closed)
                exclusion.Open();
        }
    }

    /// <summary>The buckets that go, are replaced or move to another region, when all of it may be.</summary>
    private static HashSet<string> Check(
        SqliteConnection db,
        Terms before,
        Estate after,
        bool isImport,
        Func<string, bool> lifted,
        Func<string, bool> held
    )
    {
        var today = ProviderState.Today(db);
        var touched = new HashSet<string>();
        foreach (var own in before.Buckets)
        {
            var was = own.Bucket;
            if (isImport || after.Find(was.Name) is not { } becomes)
            {
                RetentionGate.DemandNothingKept(db, was.Name);
                touched.Add(was.Name);
                continue;
            }
            if (
                KeepRules.Refusal(
                    was.Name,
                    was.Keep,
                    becomes.Keep,
                    today,
                    was.Keep?.Strength == KeepStrength.Liftable && lifted(was.Name)
                ) is
                { } refusal
            )
                throw refusal;
            if (HoldRules.Refusal(was.Name, was.Holds, becomes.Holds, today, held(was.Name)) is { } stays)
                throw stays;
            if (becomes.Region == was.Region)
                continue;
            DemandMovable(db, own, becomes.Region);
            touched.Add(was.Name);
        }
        if (!isImport)
        {
            Routes.DemandNoKeptProbe(db, after);
            DemandPointsStay(db, before.Plan.Estate, after);
            DemandArraysStay(db, before.Plan.Estate, after);
        }
        return touched;
    }

    /// <summary>What is away from a local array is nowhere else: the array and its bucket stay.</summary>
    private static void DemandArraysStay(SqliteConnection db, Estate before, Estate after)
    {
        foreach (var array in ArrayRows.Standing(db, before.Arrays).Where(a => a.All().Any(d => d.Data.Away is not null)))
        {
            var to = after.Arrays.FirstOrDefault(a => a.Id == array.Id)?.Bucket;
            if (to == array.Bucket && after.Find(array.Bucket!) is not null)
                continue;
            if (to is null || after.Find(to) is null || !ArrayRows.HoldsAll(db, array, to))
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "array-data-away",
                    $"Data of the array '{array.Name}' is in '{array.Bucket}', and nowhere else: bring it home first, or copy it to another bucket and "
                        + "change over when all of it has arrived there."
                );
        }
    }

    /// <summary>Points lie where and as they were taken: under a target that lies elsewhere, or a workload that is stored otherwise, nobody
    /// would find what they need.</summary>
    private static void DemandPointsStay(SqliteConnection db, Estate before, Estate after)
    {
        foreach (
            var (target, workload) in db.List(
                "SELECT DISTINCT target, workload FROM plan_run WHERE share > 0",
                r => (r.GetString(0), r.GetString(1))
            )
        )
        {
            if (
                before.Targets.FirstOrDefault(t => t.Id == target) is { } was
                && after.Targets.FirstOrDefault(t => t.Id == target) is { } becomes
                && Place(was) != Place(becomes)
            )
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "holds-points",
                    $"'{was.Name}' holds restore points of backup plans: its place, pack size and whether it stores things once stay. Make "
                        + "another target, and let the plans go on there.",
                    "$.prefix"
                );
            if (
                before.Workloads.FirstOrDefault(w => w.Id == workload) is { } one
                && after.Workloads.FirstOrDefault(w => w.Id == workload) is { } other
                && one.Source is null != other.Source is null
            )
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "holds-points",
                    $"'{one.Name}' has restore points {(one.Source is null ? "that were computed" : "of what its source held")}: it keeps what it "
                        + "is. Name the other as another workload.",
                    "$.source"
                );
            if (
                before.Workloads.FirstOrDefault(w => w.Id == workload) is { } had
                && after.Workloads.FirstOrDefault(w => w.Id == workload) is { } has
                && had.EncryptedAtSource != has.EncryptedAtSource
            )
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "holds-points",
                    $"'{had.Name}' has restore points that were taken as it was. Name what is encrypted at its source as another workload.",
                    "$.encryptedAtSource"
                );
        }

        static (TargetKind, string?, string, string?, long, bool) Place(BackupTarget t) =>
            (t.Kind, t.Bucket, t.Prefix, t.Folder, t.PackBytes, t.Deduplicates);
    }

    private static void DemandMovable(SqliteConnection db, BucketTerms own, string region)
    {
        foreach (var end in new[] { own.Bucket.Region, region })
        {
            if (Lines.IsLost(db, end))
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "region-lost",
                    $"Region '{end}' is lost at present: a bucket can neither leave it nor go there.",
                    "$.region"
                );
        }
        if (
            db.Value<long>(
                "SELECT EXISTS (SELECT 1 FROM entry WHERE bucket = ?1) OR EXISTS (SELECT 1 FROM pending WHERE home = ?1)",
                own.Id
            ) == 0
        )
            return;
        throw new RefusalException(
            RefusalKind.Conflict,
            "region-fixed",
            $"'{own.Bucket.Name}' holds objects, and objects do not change their region by an edit. Make a bucket in '{region}' and "
                + "migrate it into another.",
            "$.region"
        );
    }

    /// <summary>Whether the plan before has the very same bucket at this place, so that nothing is to be written of it.</summary>
    private static bool IsKnown(ProviderPlan before, Bucket bucket, int place, ProviderPlan plan) =>
        place < before.Estate.Buckets.Count
        && ReferenceEquals(before.Estate.Buckets[place], bucket)
        && before.Buckets[bucket.Name] == plan.Buckets[bucket.Name];

    /// <summary>Writes what the bucket's record says, and has its entries bear what its keep rule now is; what is sealed only ever
    /// rises.</summary>
    /// <returns>Whether it says anything new.</returns>
    private static bool Write(SqliteConnection db, Bucket bucket, int place, PlannedBucket planned)
    {
        // Counts of changes never come again, so that nobody takes one bucket's stock for that of a later one of the same name.
        db.Run(
            "INSERT OR IGNORE INTO bucket(name, changes) VALUES(?1, (coalesce((SELECT value FROM meta WHERE name = 'adoption'), 0) + "
                + "1) << 32)",
            bucket.Name
        );
        var (days, until, isSealed) = (
            bucket.Keep?.Days,
            bucket.Keep?.Until?.DayNumber,
            bucket.Keep is { } keep ? keep.Strength == KeepStrength.Sealed : (bool?)null
        );
        var isNew =
            db.Run(
                """
                UPDATE bucket SET plan = ?2, place = ?3, stated = ?4, lift_version = max(lift_version, ?5) WHERE name = ?1
                    AND (plan IS NOT ?2 OR place IS NOT ?3 OR stated IS NOT ?4 OR lift_version < ?5)
                """,
                bucket.Name,
                JsonSerializer.Serialize(bucket.WithoutContents(), Compact),
                place,
                planned.StatedOn.DayNumber,
                planned.LiftVersion
            ) > 0;
        if (
            db.Run(
                """
                UPDATE bucket SET keep_days = ?2, keep_until = ?3, keep_sealed = ?4 WHERE name = ?1 AND (keep_days IS NOT ?2
                    OR keep_until IS NOT ?3 OR keep_sealed IS NOT ?4)
                """,
                bucket.Name,
                days,
                until,
                isSealed is { } s ? (s ? 1 : 0) : null
            ) == 0
        )
            return isNew;
        db.Run(
            $"""
            UPDATE entry SET
                sealed_until = {(isSealed == true ? "max(coalesce(sealed_until, 0), coalesce(?3, created + ?2))" : "sealed_until")},
                liftable_until = {(isSealed == false ? "max(coalesce(own_liftable, 0), coalesce(?3, created + ?2))" : "own_liftable")}
            WHERE bucket = (SELECT id FROM bucket WHERE name = ?1) AND kind < 2
            """,
            bucket.Name,
            days,
            until
        );
        return true;
    }

    private static Terms TermsOf(SqliteConnection db, ProviderPlan plan)
    {
        var tiers = db.List("SELECT name, id FROM tier", r => (r.GetString(0), r.GetInt64(1))).ToDictionary();
        var buckets = db.List("SELECT name, id FROM bucket", r => (r.GetString(0), r.GetInt64(1))).ToDictionary();
        return new Terms(plan, tier => tiers[tier], bucket => buckets[bucket]);
    }

    private static bool IsNewStock(SqliteConnection db, BucketTerms bucket, long version) =>
        db.Run("UPDATE bucket SET stock_version = ?2 WHERE id = ?1 AND stock_version < ?2", bucket.Id, version) > 0;

    private static void PutStock(SqliteConnection db, Terms terms, BucketTerms bucket)
    {
        using var insert = db.Repeated(
            "INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, tags, superseded, replaced_on, "
                + "rewrite, sealed_until, touched, originals) VALUES(?1, 0, ?10, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?11, ?12, ?13, ?14, ?15, ?16)",
            16
        );
        foreach (var lot in bucket.Bucket.Stock.Where(l => l.Count > 0))
        {
            insert.Again(
                bucket.Id,
                lot.Prefix,
                lot.Count,
                lot.BytesPerObject,
                lot.Created.DayNumber,
                ProviderState.Midnight(lot.Created).ToUnixTimeMilliseconds(),
                terms.TierId(terms.Prices.Coldness(lot.Tier)),
                lot.InTierSince.DayNumber,
                TagText.Write(lot.Tags),
                lot.Earlier ? 0 : 1,
                lot.SupersededOn?.DayNumber,
                lot.ReplacedOn?.DayNumber,
                lot.RewriteEvery,
                lot.KeptUntil?.DayNumber,
                lot.LastRead?.DayNumber,
                lot.Originals
            );
        }
    }

    private static List<string> Names(SqliteConnection db) => db.List("SELECT name FROM bucket", r => r.GetString(0));

    private static long? LiftVersion(SqliteConnection db, string bucket) =>
        db.Value<long?>("SELECT lift_version FROM bucket WHERE name = ?1", bucket);

    /// <summary>Of which import the estate is; null before the first.</summary>
    public static long? Import(SqliteConnection db) => Meta(db, "import");

    private static long? Meta(SqliteConnection db, string name) => db.Value<long?>("SELECT value FROM meta WHERE name = ?1", name);

    private static string? Text(SqliteConnection db, string name) => db.Value<string>("SELECT value FROM meta WHERE name = ?1", name);

    private static void SetMeta(SqliteConnection db, string name, object value) =>
        db.Run("INSERT INTO meta VALUES(?1, ?2) ON CONFLICT DO UPDATE SET value = excluded.value", name, value);
}
