using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Access;
using Ripen.Provider.Copying;
using Ripen.Provider.Index;
using Ripen.Provider.Inventory;
using Ripen.Provider.Metering;
using Ripen.Provider.Objects;
using Ripen.Provider.Stock;
using Ripen.Provider.Time;

namespace Ripen.Provider;

/// <summary>A bucket's lots, and what waits on each of its copy rules, with the number of changes that it had seen when they were folded.</summary>
public sealed record BucketStock(long Changes, IReadOnlyList<Lot> Lots, IReadOnlyList<CopyStock> Copies);

/// <summary>What waits on a bucket's copy rule, and whether its catch-up was queued: asked once, it is done once.</summary>
public sealed record CopyStock(bool IsCaughtUp, IReadOnlyList<WaitingLot> Waiting);

/// <summary>What the provider holds, as of one moment: its day, and the stock of every bucket.</summary>
public sealed record ProviderStock(DateOnly Today, IReadOnlyDictionary<string, BucketStock> Buckets);

/// <summary>What somebody did by hand, with the wall clock's instant.</summary>
public sealed record Deed(long Id, DateTimeOffset At, string Bucket, string What);

/// <summary>How much a bucket really holds: objects with content, and their bytes.</summary>
public sealed record ContentTotals(long Objects, long Bytes);

/// <summary>
/// The stand-in for a cloud provider, on one folder of the local disk: objects, a clock, a meter, keys and links. One process at a time uses a
/// folder. What was half done when a process ended is mended by the next start.
/// </summary>
public sealed class SimulatedProvider : IDisposable
{
    private readonly FileStream oneProcess;
    private readonly ProviderState state;

    /// <param name="folder">Made when it is not there.</param>
    /// <param name="wallClock">Dates the log's entries.</param>
    /// <exception cref="IOException">Another process uses the folder.</exception>
    public SimulatedProvider(string folder, TimeProvider wallClock) : this(folder, wallClock, null)
    {
    }

    internal SimulatedProvider(string folder, TimeProvider wallClock, Func<string, Stream>? create)
    {
        Directory.CreateDirectory(folder);
        oneProcess = new FileStream(Path.Combine(folder, "in-use"), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        state = new ProviderState(new ProviderIndex(Path.Combine(folder, "index.db")), new ContentFiles(folder, create), wallClock);
        var known = state.Index.Read(db => db.List("SELECT name FROM content", r => r.GetString(0)).ToHashSet());
        Mended = state.Contents.Mend(known.Contains);
        state.EmptyTrash();
        Objects = new LocalObjects(state);
        var probes = new Probes(state, Objects);
        Copies = new ProviderCopies(state, probes);
        Clock = new ProviderClock(state, new Carrier(state), probes);
        Access = new AccessBook(state);
        Inventories = new InventoryImports(state, Path.Combine(folder, "inventories"));
    }

    /// <summary>Files that an earlier process had left half done, and that this start removed.</summary>
    public int Mended { get; }

    public IObjectStore Objects { get; }

    public ProviderClock Clock { get; }

    public ProviderCopies Copies { get; }

    public AccessBook Access { get; }

    public InventoryImports Inventories { get; }

    /// <summary>Takes up a plan: buckets come and go, new lots are put in, an import empties everything first. Doing it twice does nothing more.</summary>
    public void Adopt(ProviderPlan plan) => state.Change(db =>
    {
        if (plan.ImportVersion > (db.Value<long?>("SELECT value FROM meta WHERE name = 'import'") ?? -1))
        {
            Empty(db);
            db.Run("INSERT INTO meta VALUES('import', ?1) ON CONFLICT DO UPDATE SET value = excluded.value", plan.ImportVersion);
            ProviderState.SetNow(db, ProviderState.Midnight(plan.Estate.Today));
        }
        foreach (var tier in plan.Estate.PriceBook.Tiers) db.Run("INSERT OR IGNORE INTO tier(name) VALUES(?1)", tier.Id);
        var wanted = plan.Estate.Buckets.Select(b => b.Name).ToHashSet();
        foreach (var name in db.List("SELECT name FROM bucket", r => r.GetString(0)).Where(n => !wanted.Contains(n))) Drop(db, name);
        foreach (var name in wanted) db.Run("INSERT OR IGNORE INTO bucket(name) VALUES(?1)", name);
        var terms = new Terms(plan,
            tier => db.Value<long>("SELECT id FROM tier WHERE name = ?1", tier),
            name => db.Value<long>("SELECT id FROM bucket WHERE name = ?1", name));
        var brought = terms.Buckets.Where(b => IsNewStock(db, b, plan.Buckets[b.Bucket.Name].StockVersion)).ToList();
        foreach (var bucket in brought) PutStock(db, terms, bucket);
        Routes.Adopt(db, terms, brought);
        // Other rules cut the stock in other places.
        db.Run("UPDATE bucket SET changes = changes + 1");
        state.Terms = terms;
    });

    /// <summary>Folds every bucket into lots; those whose number of changes is still the known one are taken over from <paramref name="known"/>.</summary>
    public ProviderStock Stock(ProviderStock? known) => state.Index.Read(db => new ProviderStock(
        ProviderState.Today(db),
        state.Terms.Buckets.ToDictionary(b => b.Bucket.Name, b =>
        {
            var changes = Changes(db, b);
            return known?.Buckets.GetValueOrDefault(b.Bucket.Name) is { } same && same.Changes == changes ? same : new BucketStock(changes, StockFold.Lots(db, state.Terms, b, b.Bucket), WaitingFold.Of(db, state.Terms, b));
        })));

    /// <summary>The lots of a bucket, cut so that the rules of its draft match them exactly.</summary>
    public IReadOnlyList<Lot> StockFor(string bucket, Bucket draft) => state.Index.Read(db => StockFold.Lots(db, state.Terms, state.Terms[bucket], draft));

    public ContentTotals Contents(string? bucket) => state.Index.Read(db => db.List(
        "SELECT count(*), coalesce(sum(bytes), 0) FROM entry WHERE kind = 1 AND (?1 IS NULL OR bucket = ?1)",
        r => new ContentTotals(r.GetInt64(0), r.GetInt64(1)), bucket is null ? null : state.Terms[bucket].Id).Single());

    /// <summary>The day until which the last of a bucket's kept objects is kept; null when nothing in it is.</summary>
    public DateOnly? KeptUntil(string bucket) => state.Index.Read(db =>
    {
        var own = state.Terms[bucket];
        var last = db.Value<long?>("SELECT max(created) FROM entry WHERE bucket = ?1 AND kind < 2", own.Id);
        return last is { } created && own.KeptUntil(DateOnly.FromDayNumber((int)created)) is { } until && until > ProviderState.Today(db) ? until : (DateOnly?)null;
    });

    public IReadOnlyList<UntouchedPrefix> Untouched(string bucket, string under) =>
        state.Index.Read(db => Ripen.Provider.Stock.Untouched.Of(db, state.Terms, state.Terms[bucket], under));

    /// <summary>The ledger's lines for the days [from, to), of one bucket or of all.</summary>
    public IReadOnlyList<LedgerRow> Ledger(DateOnly from, DateOnly to, string? bucket) =>
        state.Index.Read(db => Metering.Ledger.Rows(db, state.Terms.Prices.Unit, from, to, bucket));

    /// <summary>What one version was charged so far, in money. Null when there is no such version.</summary>
    public double? ChargedSoFar(string bucket, long version) => state.Index.Read(db => ObjectCharges.SoFar(db, state.Terms, state.Terms[bucket], version));

    /// <summary>What was done by hand, newest first.</summary>
    public IReadOnlyList<Deed> Deeds(int most) => state.Index.Read(db => db.List(
        "SELECT id, at, bucket, what FROM deed ORDER BY id DESC LIMIT ?1",
        r => new Deed(r.GetInt64(0), DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(1)), r.GetString(2), r.GetString(3)), most));

    public void Dispose()
    {
        state.Index.Dispose();
        oneProcess.Dispose();
    }

    private static long Changes(SqliteConnection db, BucketTerms bucket) => db.Value<long>("SELECT changes FROM bucket WHERE id = ?1", bucket.Id);

    private static void Empty(SqliteConnection db)
    {
        foreach (var name in db.List("SELECT name FROM bucket", r => r.GetString(0))) Drop(db, name);
        foreach (var table in (string[])["ledger", "run", "tier", "line", "cut", "lost_region"]) db.Run($"DELETE FROM {table}");
    }

    private static void Drop(SqliteConnection db, string bucket)
    {
        db.Run("DELETE FROM entry WHERE bucket = (SELECT id FROM bucket WHERE name = ?1)", bucket);
        // What was copied from it is at home where it lies now.
        db.Run("UPDATE entry SET home = NULL WHERE home = (SELECT id FROM bucket WHERE name = ?1)", bucket);
        db.Run("DELETE FROM bucket WHERE name = ?1", bucket);
        EntryRemoval.Sweep(db);
    }

    private static bool IsNewStock(SqliteConnection db, BucketTerms bucket, long version)
    {
        if (db.Value<long>("SELECT stock_version FROM bucket WHERE id = ?1", bucket.Id) >= version) return false;
        db.Run("UPDATE bucket SET stock_version = ?2 WHERE id = ?1", bucket.Id, version);
        return true;
    }

    private static void PutStock(SqliteConnection db, Terms terms, BucketTerms bucket)
    {
        using var insert = db.Repeated(
            "INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, tags) VALUES(?1, 0, 1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)", 9);
        foreach (var lot in bucket.Bucket.Stock.Where(l => l.Count > 0))
        {
            insert.Again(bucket.Id, lot.Prefix, lot.Count, lot.BytesPerObject, lot.Created.DayNumber,
                ProviderState.Midnight(lot.Created).ToUnixTimeMilliseconds(),
                terms.TierId(terms.Prices.Coldness(lot.Tier)), lot.InTierSince.DayNumber, TagText.Write(lot.Tags));
        }
    }
}
