using Microsoft.Data.Sqlite;
using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Billing;
using Ripen.Core.Budgets;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Provider.Access;
using Ripen.Provider.Arrays;
using Ripen.Provider.Clock;
using Ripen.Provider.Index;
using Ripen.Provider.Inventory;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Plans;
using Ripen.Provider.Replication;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;
using Ripen.Provider.Sealing;
using Ripen.Provider.Stock;

namespace Ripen.Provider;

/// <summary>A bucket's lots, and what waits on each of its copy rules, with the number of changes that it had seen when they were
/// folded.</summary>
public sealed record BucketStock(
    long Changes,
    IReadOnlyList<Lot> Lots,
    IReadOnlyList<CopyStock> Copies,
    IReadOnlyList<RecalledLot> Recalled,
    IReadOnlyList<UnfinishedLot> Unfinished
);

/// <summary>What waits on a bucket's copy rule, and whether its catch-up was queued: asked once, it is done once.</summary>
public sealed record CopyStock(bool IsCaughtUp, IReadOnlyList<WaitingLot> Waiting);

/// <summary>What the provider holds, as of one moment: its day, the plan in force, and the stock of every bucket.</summary>
/// <param name="Today">Its day.</param>
/// <param name="PlanVersion">Of the plan in force.</param>
/// <param name="Buckets">By name.</param>
/// <param name="Runs">Of backup plans, done and missed, by plan, target, workload and day.</param>
/// <param name="Arrays">Local arrays, with what is away.</param>
public sealed record ProviderStock(
    DateOnly Today,
    long PlanVersion,
    IReadOnlyDictionary<string, BucketStock> Buckets,
    IReadOnlyList<PlanRun> Runs,
    IReadOnlyList<LocalArray> Arrays
)
{
    public long NewestRun { get; } = Runs.Count > 0 ? Runs.Max(r => r.Id) : 0;

    /// <summary>Plans with the runs that were really done, each point until when it bears to be kept.</summary>
    public IReadOnlyList<BackupPlan> WithRuns(IReadOnlyList<BackupPlan> plans) => PlanRunRows.WithRuns(plans, Runs, Today);
}

/// <summary>What somebody did by hand, with the wall clock's instant.</summary>
public sealed record Deed(long Id, DateTimeOffset At, string Bucket, string What, string Actor);

/// <summary>How much a bucket really holds: objects with content, and their bytes.</summary>
public sealed record ContentTotals(long Objects, long Bytes);

/// <param name="Tier">Its place in the price book, from 0 on.</param>
/// <param name="Objects">In it.</param>
/// <param name="Bytes">Of them.</param>
public sealed record RestingContents(int Tier, long Objects, long Bytes);

/// <summary>
/// The stand-in for a cloud provider, on one folder of the local disk: objects, a clock, a meter, keys and links. One process at a time
/// uses a folder. What was half done when a process ended is mended by the next start.
/// </summary>
public sealed class SimulatedProvider : IDisposable
{
    private readonly FileStream oneProcess;
    private readonly ProviderState state;
    private readonly MonthSums monthSums;
    private readonly Adoption adoption;

    /// <param name="folder">Made when it is not there.</param>
    /// <param name="wallClock">Dates the log's entries.</param>
    /// <param name="actors">Says who acts, for the log; null for whoever sits at this machine.</param>
    /// <param name="keys">The folder of the keys that encrypt contents at rest; null for "sealing-keys" in the other one.</param>
    /// <exception cref="IOException">Another process uses the folder, or it cannot be written.</exception>
    public SimulatedProvider(string folder, TimeProvider wallClock, IActors? actors = null, string? keys = null)
        : this(folder, wallClock, actors, keys, null) { }

    internal SimulatedProvider(string folder, TimeProvider wallClock, IActors? actors, string? keys, Func<string, Stream>? create)
    {
        Directory.CreateDirectory(folder);
        oneProcess = Lock(folder);
        var reserve = new DiskReserve(folder);
        reserve.ReleaseWhenScarce();
        var chest = new KeyChest(keys ?? Path.Combine(folder, "sealing-keys"));
        state = new ProviderState(
            new ProviderIndex(Path.Combine(folder, "index.db")),
            new ContentFiles(folder, chest, create),
            chest,
            reserve,
            wallClock,
            actors ?? new LocalActors()
        );
        monthSums = new MonthSums(state);
        Sealing = new SealingBook(state, chest);
        adoption = new Adoption(state, Sealing);
        adoption.Resume();
        var known = state.Index.Read(db => db.List("SELECT name FROM content", r => r.GetString(0)).ToHashSet());
        Mended = state.Contents.Mend(known.Contains);
        state.EmptyTrash();
        reserve.Take();
        var objects = new LocalObjects(state);
        Objects = objects;
        Uploads = new Uploads(state, objects);
        var probes = new Probes(state, Objects);
        Recalls = new Recalls(state);
        Homecomings = new Homecomings(state);
        ArrayReads = new ArrayReads(state);
        ObjectRetention = new ObjectRetention(state);
        Bundles = new Bundles(state, Objects);
        Copies = new ProviderCopies(state, probes);
        Clock = new ProviderClock(state, new Carrier(state), probes);
        Access = new AccessBook(state);
        Inventories = new InventoryImports(state, Path.Combine(folder, "inventories"));
        Sealing.WrapSoon();
    }

    /// <summary>What an earlier process had left, and what this start did with it.</summary>
    public FolderMending Mended { get; }

    public IObjectStore Objects { get; }

    /// <summary>Objects on their way.</summary>
    public Uploads Uploads { get; }

    /// <summary>Copies of what rests where reading takes a wait.</summary>
    public Recalls Recalls { get; }

    public ObjectRetention ObjectRetention { get; }

    /// <summary>Volumes of local arrays that come home.</summary>
    public Homecomings Homecomings { get; }

    public ArrayReads ArrayReads { get; }

    public Bundles Bundles { get; }

    /// <summary>Bundles that read and write through another store.</summary>
    internal Bundles BundlesOver(IObjectStore store) => new(state, store);

    public ProviderClock Clock { get; }

    public ProviderCopies Copies { get; }

    public AccessBook Access { get; }

    public InventoryImports Inventories { get; }

    /// <summary>Encryption at rest.</summary>
    public SealingBook Sealing { get; }

    /// <summary>What the folder follows: whose plan, and which one last.</summary>
    public FolderStanding Standing => state.Index.Read(Adoption.Standing);

    /// <summary>The plan that the folder took up last, without stock; null when it never took one up that it kept.</summary>
    public ProviderPlan? KeptPlan => state.Index.Read(db => state.FindTerms(db) is null ? null : Adoption.Kept(db));

    /// <summary>Whether a plan is in force.</summary>
    public bool HasPlan => state.Index.Read(db => state.FindTerms(db) is not null);

    /// <inheritdoc cref="Adoption.Reserve"/>
    public IDisposable Reserve(PlannedChange change) => adoption.Reserve(change);

    /// <inheritdoc cref="Adoption.Foresee"/>
    public RefusalException? Foresee(PlannedChange change) => adoption.Foresee(change);

    /// <inheritdoc cref="Adoption.Adopt"/>
    public void Adopt(ProviderPlan plan) => adoption.Adopt(plan);

    public bool HasBucket(string name) => state.Index.Read(db => state.FindTerms(db)?.Has(name) == true);

    /// <summary>Folds every bucket into lots; those whose number of changes is still the known one are taken over from
    /// <paramref name="known"/>.</summary>
    public ProviderStock Stock(ProviderStock? known) =>
        state.Index.Read(db =>
        {
            var terms = state.TermsIn(db);
            // Counts of changes only rise: while their sum is the known one under the same plan, each of them is.
            if (
                known is not null
                && (known.Today, known.PlanVersion) == (ProviderState.Today(db), terms.Plan.Version)
                && known.Buckets.Values.Sum(b => b.Changes) == db.Value<long>("SELECT coalesce(sum(changes), 0) FROM bucket")
                && known.NewestRun == PlanRunRows.Newest(db)
            )
                return known;
            var changes = db.List("SELECT name, changes FROM bucket", r => (r.GetString(0), r.GetInt64(1))).ToDictionary();
            return new ProviderStock(
                ProviderState.Today(db),
                terms.Plan.Version,
                terms.Buckets.ToDictionary(
                    b => b.Bucket.Name,
                    b =>
                    {
                        var now = changes[b.Bucket.Name];
                        return known?.Buckets.GetValueOrDefault(b.Bucket.Name) is { } same && same.Changes == now
                            ? same
                            : new BucketStock(
                                now,
                                StockFold.Lots(db, terms, b, b.Bucket),
                                WaitingFold.Of(db, terms, b),
                                RecallRows.Lots(db, terms, b, ProviderState.Today(db)),
                                UploadRows.Lots(db, b)
                            );
                    }
                ),
                known is not null
                && (known.Today, known.PlanVersion, known.NewestRun)
                    == (ProviderState.Today(db), terms.Plan.Version, PlanRunRows.Newest(db))
                    ? known.Runs
                    : PlanRunRows.All(db),
                ArrayRows.Standing(db, terms.Plan.Estate.Arrays)
            );
        });

    /// <summary>What is current in the buckets that can be reached, by region and tier: of one bucket, and of what begins so in it, or of
    /// all.</summary>
    /// <exception cref="RefusalException">There is no such bucket.</exception>
    public IReadOnlyList<Resting> Resting(string? bucket, string prefix) =>
        state
            .Booked()
            .Index.Read(db =>
            {
                var terms = state.TermsIn(db);
                var lost = Lines.Lost(db).Select(l => l.Region).ToHashSet();
                var only = bucket is null ? null : state.Reach(db, bucket);
                return (IReadOnlyList<Resting>)
                    [
                        .. db.List(
                                """
                                SELECT bucket, tier, sum(count), sum(count * bytes) FROM entry
                                WHERE kind < 2 AND current = 1 AND (?1 IS NULL OR bucket = ?1) AND key >= ?2 AND (?3 IS NULL OR key < ?3)
                                GROUP BY bucket, tier
                                """,
                                r =>
                                    (
                                        Bucket: terms.Find(r.GetInt64(0))!,
                                        Tier: terms.TierName(r.GetInt64(1)),
                                        Objects: r.GetDouble(2),
                                        Bytes: r.GetDouble(3)
                                    ),
                                only?.Id,
                                prefix,
                                ObjectKeys.After(prefix)
                            )
                            .Where(r => !lost.Contains(r.Bucket.Bucket.Region))
                            .GroupBy(r => (r.Bucket.Bucket.Region, r.Tier))
                            .OrderBy(g => g.Key.Region, StringComparer.Ordinal)
                            .ThenBy(g => terms.Prices.Coldness(g.Key.Tier))
                            .Select(g => new Resting(g.Key.Region, g.Key.Tier, g.Sum(r => r.Objects), g.Sum(r => r.Bytes))),
                    ];
            });

    /// <summary>The estate in force, without what lies in its buckets, and with no plan's runs; null when there is none.</summary>
    public Estate? InForce => state.Index.Read(db => state.FindTerms(db)?.Plan.Estate);

    /// <summary>A branch's run of today, done or missed; null for none.</summary>
    public PlanRun? RunOfToday(string plan, string target, string workload) =>
        state.Index.Read(db => PlanRunRows.On(db, plan, target, workload, ProviderState.Today(db)));

    /// <summary>The newest run of a branch that took a point before today; null for none.</summary>
    public PlanRun? RunBefore(string plan, string target, string workload) =>
        state.Index.Read(db => PlanRunRows.Before(db, plan, target, workload, ProviderState.Today(db)));

    /// <summary>Points that somebody or something removed before their time: their runs are noted as missed.</summary>
    /// <param name="points">Their ids.</param>
    /// <param name="why">For people.</param>
    public void NoteLost(IReadOnlySet<string> points, string why) =>
        state.Change(db =>
        {
            foreach (var run in points.Select(p => PlanRunRows.Of(db, p)).OfType<PlanRun>())
                PlanRunRows.Note(db, run with { Missed = why, Point = null, KeptUntil = run.Day, StoredBytes = 0, Share = 0 });
        });

    /// <summary>Notes a run of a plan that read a source, done or missed; of a branch's runs of a day the last is the one that
    /// counts.</summary>
    public void NoteRun(PlanRun run) => state.Change(db => PlanRunRows.Note(db, run));

    /// <summary>Reads packs of a simulated workload, as a restore does, and charges for it: recalls at the ordinary speed, and reads.</summary>
    /// <param name="target">The id of a target in a bucket.</param>
    /// <param name="reads">How much in which tier.</param>
    /// <returns>The money.</returns>
    /// <exception cref="RefusalException">Its bucket's region is lost.</exception>
    public double ReadPacks(string target, IReadOnlyList<TierRead> reads) =>
        state.Change(db =>
        {
            var terms = state.TermsIn(db);
            var bucket = state.Reach(db, terms.Plan.Estate.Targets.First(t => t.Id == target).Bucket!);
            var day = ProviderState.Today(db);
            return reads.Sum(r => Events.Read(db, terms, day, bucket, terms.Prices.Coldness(r.Tier), r.Packs, r.Bytes, target));
        });

    /// <summary>The lots of a bucket, cut so that the rules of its draft match them exactly.</summary>
    public IReadOnlyList<Lot> StockFor(string bucket, Bucket draft) =>
        state.Index.Read(db =>
        {
            var terms = state.TermsIn(db);
            return StockFold.Lots(db, terms, terms[bucket], draft);
        });

    /// <summary>What lies under a prefix of a bucket, current objects with content, by the tier where it rests, warm to cold.</summary>
    public IReadOnlyList<RestingContents> ContentsUnder(string bucket, string prefix) =>
        state.Index.Read(db =>
        {
            var terms = state.TermsIn(db);
            return db.List(
                    """
                    SELECT tier, count(*), sum(bytes) FROM entry WHERE bucket = ?1
                        AND current = 1 AND kind = 1 AND key >= ?2 AND (?3 IS NULL OR key < ?3) GROUP BY tier
                    """,
                    r => new RestingContents(terms.Place(r.GetInt64(0)), r.GetInt64(1), r.GetInt64(2)),
                    state.Reach(db, bucket).Id,
                    prefix,
                    ObjectKeys.After(prefix)
                )
                .OrderBy(c => c.Tier)
                .ToList();
        });

    /// <summary>What a backup target's objects were charged on the days [from, to).</summary>
    public IReadOnlyList<TargetUse> UseOf(string target, DateOnly from, DateOnly to) =>
        state.Booked().Index.Read(db => TargetLedger.Of(db, state.TermsIn(db).Prices, target, from, to));

    public ContentTotals Contents(string? bucket) =>
        state.Index.Read(db =>
            db.List(
                    "SELECT count(*), coalesce(sum(bytes), 0) FROM entry WHERE kind = 1 AND (?1 IS NULL OR bucket = ?1)",
                    r => new ContentTotals(r.GetInt64(0), r.GetInt64(1)),
                    bucket is null ? null : state.TermsIn(db)[bucket].Id
                )
                .Single()
        );

    /// <summary>What a bucket keeps today; null when nothing in it is kept.</summary>
    public KeptInBucket? KeptIn(string bucket) => state.Index.Read(db => RetentionGate.ByBucket(db, bucket).SingleOrDefault());

    /// <summary>What the run that closes today would do, if nothing came or went until then; a page of it.</summary>
    /// <param name="bucket">Only this one; null for all.</param>
    /// <param name="from">The number of the page's first act.</param>
    /// <param name="most">Acts on the page.</param>
    /// <param name="cancel">Stops looking.</param>
    public NightReading Tonight(string? bucket, long from, int most, CancellationToken cancel) =>
        state
            .Booked()
            .Index.Read(db =>
                NightReading.Of(ProviderState.Today(db), NightActs.Foreseen(db, state.TermsIn(db), bucket, cancel), from, most)
            );

    /// <summary>All of it, one by one.</summary>
    public IEnumerable<NightAct> Tonight(string? bucket, CancellationToken cancel) =>
        state.Booked().Index.Stream(db => NightActs.Foreseen(db, state.TermsIn(db), bucket, cancel));

    /// <summary>The same of what the last run did; null before the first.</summary>
    public NightReading? LastNight(string? bucket, long from, int most) =>
        state.Index.Read(db => NightActs.LastDay(db) is { } day ? NightReading.Of(day, NightActs.Done(db, bucket), from, most) : null);

    /// <summary>All of it, one by one.</summary>
    public IEnumerable<NightAct> LastNight(string? bucket) => state.Index.Stream(db => NightActs.Done(db, bucket));

    /// <summary>What each legal hold of a bucket matches today, by its id: objects, weightless ones and earlier versions too, and their
    /// bytes.</summary>
    public IReadOnlyDictionary<string, (double Objects, double Bytes)> HeldIn(string bucket) =>
        state.Index.Read(db => HoldRows.Matched(db, bucket));

    /// <summary>The same of what a hold of this scope would match.</summary>
    public (double Objects, double Bytes) WouldHold(string bucket, Scope scope) =>
        state.Index.Read(db => HoldRows.WouldMatch(db, bucket, scope));

    public IReadOnlyList<UntouchedPrefix> Untouched(string bucket, string under) =>
        state.Booked().Index.Read(db => Ripen.Provider.Stock.Untouched.Of(db, state.TermsIn(db), state.TermsIn(db)[bucket], under));

    /// <summary>The ledger's lines for the days [from, to), of one bucket or of all, as they are read: none of them is held.</summary>
    public IEnumerable<LedgerRow> Ledger(DateOnly from, DateOnly to, string? bucket) =>
        state.Booked().Index.Stream(db => Metering.Ledger.Rows(db, state.TermsIn(db).Prices.Unit, from, to, bucket));

    /// <summary>What a bucket's recalls or transfers of a month are made of.</summary>
    public IReadOnlyList<MeteredPart> PartsOf(Month month, string bucket, string tier, Charge charge) =>
        state.Booked().Index.Read(db => LedgerParts.Of(db, bucket, tier, charge, month.FirstDay, month.Plus(1).FirstDay));

    /// <summary>The prices that held in a month; where they are for storage, with what all buckets stored in it so far.</summary>
    public IReadOnlyList<StorageSoFar> HeldIn(Month month, Charge charge) =>
        state
            .Booked()
            .Index.Read(db =>
            {
                var (prices, first, end) = (state.TermsIn(db).Prices, month.FirstDay, month.Plus(1).FirstDay);
                return charge == Charge.Storage
                    ? Metering.Ledger.Storage(db, prices, first, end)
                    : Metering.Ledger.Held(prices, first, end);
            });

    /// <summary>What was metered of the running month.</summary>
    public MonthSoFar MonthSoFar() =>
        state.Booked().Index.Read(db => Metering.Ledger.SoFar(db, state.TermsIn(db).Prices, ProviderState.Today(db)));

    /// <summary>The same by calendar month, all buckets'.</summary>
    public IEnumerable<ForecastRow> LedgerMonths(DateOnly from, DateOnly to) => monthSums.Rows(from, to);

    /// <summary>What one version was charged so far. Null when there is no such version.</summary>
    public ObjectCharged? ChargedSoFar(string bucket, long version) =>
        state.Booked().Index.Read(db => ObjectCharges.SoFar(db, state.TermsIn(db), state.TermsIn(db)[bucket], version));

    /// <summary>What was done by hand, newest first.</summary>
    public IReadOnlyList<Deed> Deeds(int most, long? before = null) =>
        state.Index.Read(db =>
            db.List(
                "SELECT id, at, bucket, what, actor FROM deed WHERE ?2 IS NULL OR id < ?2 ORDER BY id DESC LIMIT ?1",
                r => new Deed(
                    r.GetInt64(0),
                    DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(1)),
                    r.GetString(2),
                    r.GetString(3),
                    r.GetString(4)
                ),
                most,
                before
            )
        );

    public void Dispose()
    {
        // Whatever fails on the way out, the folder is let go: it can be opened again.
        using (oneProcess)
        using (state.Index)
        using (Sealing)
        {
            if (!state.Uses.IsEmpty)
                state.Change(_ => { });
        }
    }

    private const int LockAttempts = 20;

    private static FileStream Lock(string folder)
    {
        for (var attempt = 1; ; attempt++)
        {
            try
            {
                return new FileStream(Path.Combine(folder, "in-use"), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
            }
            catch (IOException) when (attempt < LockAttempts)
            {
                // A process that is just ending may hold it for a moment more.
                Thread.Sleep(100);
            }
            catch (IOException taken)
            {
                throw new IOException(
                    $"Another Ripen uses the provider's folder '{folder}'; stop it first, or name another folder.",
                    taken
                );
            }
        }
    }
}
