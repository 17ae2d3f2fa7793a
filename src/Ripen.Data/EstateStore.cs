using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;

namespace Ripen.Data;

/// <summary>
/// Keeps the estate in SQLite. Every call that changes something is one transaction: all of it is stored, its line in the
/// change log too, or nothing is.
/// </summary>
public sealed class EstateStore(IDbContextFactory<RipenDb> databases, ChangeLog log)
{
    /// <summary>Fewer than the parameters that a statement of SQLite may have.</summary>
    private const int MostNamesAtOnce = 10_000;

    /// <summary>Creates the database or brings it to the newest migration; write-ahead logging is on from then.</summary>
    public async Task Prepare(CancellationToken cancel = default)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        await ReleaseAbandonedLock(db, cancel);
        await db.Database.MigrateAsync(cancel);
        await db.Database.ExecuteSqlRawAsync("PRAGMA journal_mode = WAL;", cancel);
    }

    /// <summary>The version of the stored estate, or 0 when there is none.</summary>
    public async Task<long> Version(CancellationToken cancel = default) => (await Standing(cancel))?.Version ?? 0;

    /// <summary>Null when there is no estate.</summary>
    public async Task<StoreStanding?> Standing(CancellationToken cancel = default)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        return await db
            .Estates.Select(e => new StoreStanding(
                e.Identity,
                e.Version,
                e.Mark,
                e.ImportVersion,
                e.AdoptedVersion,
                e.AdoptedMark,
                e.DemoSteps
            ))
            .SingleOrDefaultAsync(cancel);
    }

    /// <summary>The whole estate, or null when there is none.</summary>
    /// <param name="known">What was loaded before from this very database, by the only process that changes it: buckets of the same
    /// version are taken over from there, as is an equal price book.</param>
    /// <param name="cancel">Stops.</param>
    public async Task<StoredEstate?> Load(StoredEstate? known = null, CancellationToken cancel = default)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        await using var reading = await db.Database.BeginTransactionAsync(cancel);
        if (await db.Estates.AsNoTracking().SingleOrDefaultAsync(cancel) is not { } row)
            return null;
        if (known?.Identity != row.Identity || known.ImportVersion != row.ImportVersion || known.Version > row.Version)
            known = null;
        var stamps = await db
            .Buckets.AsNoTracking()
            .OrderBy(b => b.Position)
            .Select(b => new { b.Name, Stamp = new StoredBucket(b.Version, b.StatedOn, b.StockVersion, b.LiftVersion) })
            .ToListAsync(cancel);
        var newer = stamps.Where(s => known?.Buckets.GetValueOrDefault(s.Name) != s.Stamp).Select(s => s.Name).ToList();
        var rows = known is null
            ? await Whole(db.Buckets).AsNoTracking().ToDictionaryAsync(b => b.Name, cancel)
            : await Rows(db, newer, cancel);
        var prices = Mapping.ToPriceBook(
            row,
            await db.Tiers.AsNoTracking().OrderBy(t => t.Position).ToListAsync(cancel),
            await db.Schemes.AsNoTracking().OrderBy(s => s.Position).ToListAsync(cancel),
            await db
                .Regions.Include(r => r.Prices)
                    .ThenInclude(p => p.Bands)
                .AsSplitQuery()
                .AsNoTracking()
                .OrderBy(r => r.Position)
                .ToListAsync(cancel),
            await db.Transfers.AsNoTracking().OrderBy(t => t.Position).ToListAsync(cancel)
        );
        return new StoredEstate(
            new Estate
            {
                Name = row.Name,
                Today = row.Today,
                PriceBook = known is not null && Text(known.Estate.PriceBook) == Text(prices) ? known.Estate.PriceBook : prices,
                Buckets =
                [
                    .. stamps.Select(s =>
                        rows.TryGetValue(s.Name, out var read) ? BucketMapping.ToBucket(read) : known!.Estate.Find(s.Name)!
                    ),
                ],
                Workloads =
                [
                    .. (await db.Workloads.AsNoTracking().OrderBy(w => w.Position).ToListAsync(cancel)).Select(BackupMapping.ToWorkload),
                ],
                Targets =
                [
                    .. (await db.Targets.AsNoTracking().OrderBy(t => t.Position).ToListAsync(cancel)).Select(BackupMapping.ToTarget),
                ],
                Plans = [.. (await db.Plans.AsNoTracking().OrderBy(p => p.Position).ToListAsync(cancel)).Select(BackupMapping.ToPlan)],
                Carriers = Mapping.ToList<CarrierMachine>(row.Carriers),
                Arrays = Mapping.ToList<LocalArray>(row.Arrays),
                RetentionPeriods = Mapping.ToList<RetentionPeriod>(row.RetentionPeriods),
                Offers = Mapping.ToList<Offer>(row.Offers),
                Scenarios = Mapping.ToList<Scenario>(row.Scenarios),
            },
            row.Version,
            row.ImportVersion,
            stamps.ToDictionary(s => s.Name, s => s.Stamp),
            row.Identity,
            row.Mark
        );
    }

    /// <summary>Stores <paramref name="estate"/> in the place of the one whose version is <paramref name="replaces"/> (0: none).</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="replaces">The version that was looked at.</param>
    /// <param name="isDemo">Whether it is the demo, whose past is still to be lived.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The stored estate has another version.</exception>
    public Task Replace(Estate estate, long replaces, bool isDemo = false, CancellationToken cancel = default) =>
        Change(
            async db =>
            {
                var before = await db.Estates.AsNoTracking().SingleOrDefaultAsync(cancel);
                if ((before?.Version ?? 0) != replaces)
                    throw RefusalException.Stale("The estate");
                await Put(
                    db,
                    estate,
                    row =>
                    {
                        row.Version = row.ImportVersion = replaces + 1;
                        row.Mark = NewMark();
                        row.Identity = before?.Identity ?? NewMark();
                        (row.AdoptedVersion, row.AdoptedMark) = (before?.AdoptedVersion ?? 0, before?.AdoptedMark ?? "");
                        row.DemoSteps = isDemo ? 0 : null;
                    },
                    (bucket, i) => BucketMapping.ToRow(bucket, i, estate.Today, replaces + 1),
                    cancel
                );
                log.Add(db, "estate-imported", estate.Name, null, EstateDocument.Write(estate));
            },
            cancel
        );

    /// <summary>Takes the plan of a provider's folder in the place of what is stored, versions and identity too: the two are one
    /// again.</summary>
    /// <param name="kept">The folder's plan.</param>
    /// <param name="givenUp">What the database said, for the log; null when it said nothing.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    public Task Restore(StoredEstate kept, Estate? givenUp, CancellationToken cancel = default) =>
        Change(
            async db =>
            {
                await Put(
                    db,
                    kept.Estate,
                    row =>
                    {
                        (row.Version, row.ImportVersion, row.Identity, row.Mark) = (
                            kept.Version,
                            kept.ImportVersion,
                            kept.Identity,
                            kept.Mark
                        );
                        (row.AdoptedVersion, row.AdoptedMark) = (kept.Version, kept.Mark);
                    },
                    (bucket, i) =>
                    {
                        var known = kept.Buckets[bucket.Name];
                        var row = BucketMapping.ToRow(bucket, i, known.StatedOn, known.StockVersion);
                        row.LiftVersion = known.LiftVersion;
                        return row;
                    },
                    cancel
                );
                log.Add(
                    db,
                    "folder-taken",
                    kept.Estate.Name,
                    givenUp is null ? null : EstateDocument.Write(givenUp),
                    EstateDocument.Write(kept.Estate)
                );
            },
            cancel
        );

    /// <summary>Makes the stored estate the one that a folder follows next, whatever it followed until now; nothing is emptied for
    /// it.</summary>
    /// <param name="folderVersion">Of the folder's plan.</param>
    /// <param name="folderImport">Of its last import.</param>
    /// <param name="givenUp">What the folder followed, for the log; null when it followed nothing.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    public Task Prevail(long folderVersion, long folderImport, Estate? givenUp, CancellationToken cancel = default) =>
        Change(
            async db =>
            {
                var row = await db.Estates.SingleAsync(cancel);
                (row.Version, row.Mark) = (Math.Max(row.Version, folderVersion) + 1, NewMark());
                if (folderImport > 0)
                    row.ImportVersion = folderImport;
                log.Add(db, "database-taken", row.Name, givenUp is null ? null : EstateDocument.Write(givenUp), null);
            },
            cancel
        );

    /// <summary>Remembers that a provider's folder took up this version.</summary>
    public Task Adopted(long version, string mark, CancellationToken cancel = default) =>
        Change(
            async db =>
                await db
                    .Estates.Where(e => e.AdoptedVersion != version || e.AdoptedMark != mark)
                    .ExecuteUpdateAsync(e => e.SetProperty(x => x.AdoptedVersion, version).SetProperty(x => x.AdoptedMark, mark), cancel),
            cancel
        );

    /// <summary>Remembers how many steps of the demo's past were done; null when all were.</summary>
    public Task DemoReached(int? steps, CancellationToken cancel = default) =>
        Change(async db => await db.Estates.ExecuteUpdateAsync(e => e.SetProperty(x => x.DemoSteps, steps), cancel), cancel);

    /// <summary>Forgets the lots, at rest and waiting, that the provider took over with the estate of this version; they are in its index
    /// now.</summary>
    public Task HandedOver(long version, CancellationToken cancel = default) =>
        Change(
            async db =>
            {
                await db.Set<LotRow>()
                    .Where(l => db.Buckets.Any(b => b.Name == EF.Property<string>(l, "Bucket") && b.StockVersion <= version))
                    .ExecuteDeleteAsync(cancel);
                await db.Set<CopyRow>()
                    .Where(c => db.Buckets.Any(b => b.Name == EF.Property<string>(c, "Bucket") && b.StockVersion <= version))
                    .ExecuteUpdateAsync(c => c.SetProperty(x => x.Waiting, (string?)null), cancel);
            },
            cancel
        );

    /// <summary>Adds a bucket that is valid in the estate of this version, and logs what <paramref name="shown"/> said that it would
    /// cost.</summary>
    /// <exception cref="RefusalException">The estate has another version.</exception>
    public Task Add(
        Bucket bucket,
        DateOnly today,
        long estateVersion,
        IReadOnlyList<YearChange> shown,
        CancellationToken cancel = default
    ) =>
        Change(
            async db =>
            {
                await Bump(db, estateVersion, cancel);
                var last = await db.Buckets.MaxAsync(b => (int?)b.Position, cancel) ?? -1;
                db.Add(BucketMapping.ToRow(bucket, last + 1, today, estateVersion + 1));
                log.Add(db, "bucket-made", bucket.Name, null, ChangeLog.Document(bucket), shown);
            },
            cancel
        );

    /// <summary>
    /// Stores <paramref name="after"/> in the place of <paramref name="before"/>, the bucket of version <paramref name="version"/>; its
    /// streams' rates hold on <paramref name="today"/>. Its stock is the provider's and not looked at.
    /// </summary>
    /// <exception cref="RefusalException">The bucket or the estate has another version, or is gone.</exception>
    /// <exception cref="RefusalException">The keep rule would be weaker.</exception>
    public Task Change(
        Bucket before,
        Bucket after,
        DateOnly today,
        long version,
        long estateVersion,
        IReadOnlyList<YearChange> shown,
        CancellationToken cancel = default
    ) =>
        Change(
            async db =>
            {
                await Bump(db, estateVersion, cancel);
                Fill(await Find(db, after.Name, version, cancel), after, today, lifted: false);
                log.Add(db, "bucket-changed", after.Name, ChangeLog.Document(before), ChangeLog.Document(after), shown);
            },
            cancel
        );

    /// <summary>Lifts a bucket's liftable keep rule, or puts a weaker one in its place: a change of its own, with a reason, that the log
    /// keeps.</summary>
    /// <param name="before">The bucket of this version.</param>
    /// <param name="after">The rule from now on; null for none.</param>
    /// <param name="reason">Not empty.</param>
    /// <param name="today">The provider's day.</param>
    /// <param name="version">The bucket's.</param>
    /// <param name="estateVersion">The estate's.</param>
    /// <param name="shown">The cost that was seen.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The rule is sealed; the bucket or the estate has another version.</exception>
    public Task Lift(
        Bucket before,
        KeepRule? after,
        string reason,
        DateOnly today,
        long version,
        long estateVersion,
        IReadOnlyList<YearChange> shown,
        CancellationToken cancel = default
    ) =>
        Change(
            async db =>
            {
                await Bump(db, estateVersion, cancel);
                var row = await Find(db, before.Name, version, cancel);
                var lifted = before with { Keep = after };
                Fill(row, lifted, today, lifted: true);
                row.LiftVersion = estateVersion + 1;
                log.Add(db, "keep-rule-lifted", before.Name, ChangeLog.Document(before), ChangeLog.Document(lifted), shown, reason);
            },
            cancel
        );

    /// <summary>Places or releases legal holds: a change of its own, with a reason that the log keeps.</summary>
    /// <param name="before">The bucket of this version.</param>
    /// <param name="after">With other holds.</param>
    /// <param name="isRelease">Whether one is released; else one is placed.</param>
    /// <param name="reason">Not empty.</param>
    /// <param name="today">The provider's day.</param>
    /// <param name="version">The bucket's.</param>
    /// <param name="estateVersion">The estate's.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The bucket or the estate has another version.</exception>
    public Task ChangeHolds(
        Bucket before,
        Bucket after,
        bool isRelease,
        string reason,
        DateOnly today,
        long version,
        long estateVersion,
        CancellationToken cancel = default
    ) =>
        Change(
            async db =>
            {
                await Bump(db, estateVersion, cancel);
                Fill(await Find(db, after.Name, version, cancel), after, today, lifted: false);
                var kind = isRelease ? "hold-released" : "hold-placed";
                log.Add(db, kind, after.Name, ChangeLog.Document(before), ChangeLog.Document(after), reason: reason);
            },
            cancel
        );

    /// <summary>Removes the bucket of version <paramref name="version"/>. Nothing may copy to it.</summary>
    /// <exception cref="RefusalException">The bucket or the estate has another version, or is gone.</exception>
    public Task Delete(Bucket bucket, long version, long estateVersion, CancellationToken cancel = default) =>
        Change(
            async db =>
            {
                await Bump(db, estateVersion, cancel);
                db.Remove(await Find(db, bucket.Name, version, cancel));
                log.Add(db, "bucket-deleted", bucket.Name, ChangeLog.Document(bucket), null);
            },
            cancel
        );

    /// <summary>Stores changes of several buckets that belong together: all of them or none. Their lines in the log are of one
    /// kind.</summary>
    /// <param name="before">The estate of version <paramref name="estateVersion"/>.</param>
    /// <param name="after">Valid; buckets that are the very same as before are left alone.</param>
    /// <param name="kind">What the log calls the change.</param>
    /// <param name="estateVersion">The version that was changed.</param>
    /// <param name="shown">What was said that it would cost, by bucket.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The estate has another version.</exception>
    public Task ChangeTogether(
        Estate before,
        Estate after,
        string kind,
        long estateVersion,
        Func<string, IReadOnlyList<YearChange>> shown,
        CancellationToken cancel = default
    ) =>
        Change(
            async db =>
            {
                await Bump(db, estateVersion, cancel);
                var last = await db.Buckets.MaxAsync(r => (int?)r.Position, cancel) ?? -1;
                var gone = before.Buckets.Where(b => after.Find(b.Name) is null).ToList();
                var changed = before.Buckets.Where(b => after.Find(b.Name) is { } now && !ReferenceEquals(now, b));
                var rows = await Rows(db, [.. gone.Concat(changed).Select(b => b.Name)], cancel);
                foreach (var bucket in gone)
                {
                    db.Remove(rows[bucket.Name]);
                    log.Add(db, "bucket-deleted", bucket.Name, ChangeLog.Document(bucket), null);
                }
                foreach (var bucket in after.Buckets)
                {
                    var was = before.Find(bucket.Name);
                    if (ReferenceEquals(was, bucket))
                        continue;
                    if (was is null)
                    {
                        db.Add(BucketMapping.ToRow(bucket, ++last, before.Today, estateVersion + 1));
                    }
                    else
                    {
                        Fill(rows[bucket.Name], bucket, before.Today, lifted: false);
                    }
                    log.Add(
                        db,
                        was is null ? "bucket-made" : kind,
                        bucket.Name,
                        was is null ? null : ChangeLog.Document(was),
                        ChangeLog.Document(bucket),
                        shown(bucket.Name)
                    );
                }
            },
            cancel
        );

    /// <summary>Puts a price book in the place of the one in force.</summary>
    /// <param name="before">In force.</param>
    /// <param name="after">Fits the estate.</param>
    /// <param name="estateVersion">That was looked at.</param>
    /// <param name="shown">The cost that was seen.</param>
    /// <param name="line">The only one that is otherwise; null for a change of any prices.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The estate has another version.</exception>
    public Task ChangePrices(
        PriceBook before,
        PriceBook after,
        long estateVersion,
        IReadOnlyList<YearChange> shown,
        Transfer? line = null,
        CancellationToken cancel = default
    ) =>
        Change(
            async db =>
            {
                await Bump(db, estateVersion, cancel);
                await Put(db, after, cancel);
                var (kind, name) = line is null ? ("prices-changed", "prices") : ("line-changed", $"{line.From} – {line.To}");
                log.Add(
                    db,
                    kind,
                    name,
                    line is null ? Text(before) : Text(before.FindTransfer(line.From, line.To)),
                    line is null ? Text(after) : Text(line),
                    shown
                );
            },
            cancel
        );

    private static async Task Put(RipenDb db, PriceBook prices, CancellationToken cancel)
    {
        await db.Transfers.ExecuteDeleteAsync(cancel);
        await db.Set<TierPriceRow>().ExecuteDeleteAsync(cancel);
        var estate = await db.Estates.SingleAsync(cancel);
        estate.PriceChanges = Mapping.ToText(prices.Changes);
        estate.EarlierPrices = Mapping.ToText(prices.Earlier);
        estate.Agreements = Mapping.ToText(prices.Agreements);
        // Buckets refer to these, so they are written over and not anew.
        Write(db, await db.Tiers.ToListAsync(cancel), [.. prices.Tiers.Select(Mapping.ToRow)], t => t.Id);
        Write(db, await db.Schemes.ToListAsync(cancel), [.. prices.Schemes.Select(Mapping.ToRow)], s => s.Id);
        List<RegionRow> regions = [.. prices.Regions.Select(Mapping.ToRow)];
        foreach (var price in regions.SelectMany(r => r.Prices.Select(p => (r.Id, Row: p))))
            price.Row.RegionId = price.Id;
        db.AddRange(regions.SelectMany(r => r.Prices));
        foreach (var region in regions)
            region.Prices = [];
        Write(db, await db.Regions.ToListAsync(cancel), regions, r => r.Id);
        db.AddRange(prices.Transfers.Select(Mapping.ToRow));
    }

    private static void Write<T>(RipenDb db, List<T> stored, List<T> wanted, Func<T, string> id)
        where T : class
    {
        foreach (var row in wanted)
        {
            if (stored.Find(s => id(s) == id(row)) is { } known)
                db.Entry(known).CurrentValues.SetValues(row);
            else
                db.Add(row);
        }
        db.RemoveRange(stored.Where(s => wanted.TrueForAll(w => id(w) != id(s))));
    }

    internal async Task Change(Func<RipenDb, Task> change, CancellationToken cancel)
    {
        await using var db = await databases.CreateDbContextAsync(cancel);
        await using var transaction = await db.Database.BeginTransactionAsync(cancel);
        try
        {
            await change(db);
            await db.SaveChangesAsync(cancel);
        }
        catch (DbUpdateConcurrencyException)
        {
            throw RefusalException.Stale("This");
        }
        await transaction.CommitAsync(cancel);
    }

    internal static async Task Bump(RipenDb db, long version, CancellationToken cancel)
    {
        var estate = await db.Estates.SingleOrDefaultAsync(cancel);
        if (estate is null || estate.Version != version)
            throw RefusalException.Stale("The estate");
        estate.Version++;
        estate.Mark = NewMark();
    }

    private static string? Text<T>(T? part)
        where T : class => part is null ? null : JsonSerializer.Serialize(part, EstateDocument.Json);

    private static string NewMark() => Guid.NewGuid().ToString("N");

    /// <summary>Another process may have died while it migrated: its lock would keep everybody out for ever, and nobody else has this file
    /// open.</summary>
    private static async Task ReleaseAbandonedLock(RipenDb db, CancellationToken cancel)
    {
        await db.Database.OpenConnectionAsync(cancel);
        try
        {
            var exists = await db
                .Database.SqlQueryRaw<int>("SELECT count(*) AS Value FROM sqlite_master WHERE name = '__EFMigrationsLock'")
                .SingleAsync(cancel);
            if (exists > 0)
                await db.Database.ExecuteSqlRawAsync("DELETE FROM __EFMigrationsLock", cancel);
        }
        finally
        {
            await db.Database.CloseConnectionAsync();
        }
    }

    /// <summary>Everything goes and the estate comes, in one transaction.</summary>
    private static async Task Put(
        RipenDb db,
        Estate estate,
        Action<EstateRow> describe,
        Func<Bucket, int, BucketRow> toRow,
        CancellationToken cancel
    )
    {
        await db.Plans.ExecuteDeleteAsync(cancel);
        await db.Targets.ExecuteDeleteAsync(cancel);
        await db.Workloads.ExecuteDeleteAsync(cancel);
        // Copies refer to buckets, which a database empties in an order of its own.
        await db.Set<CopyRow>().ExecuteDeleteAsync(cancel);
        await db.Buckets.ExecuteDeleteAsync(cancel);
        await db.Transfers.ExecuteDeleteAsync(cancel);
        await db.Regions.ExecuteDeleteAsync(cancel);
        await db.Schemes.ExecuteDeleteAsync(cancel);
        await db.Tiers.ExecuteDeleteAsync(cancel);
        await db.Estates.ExecuteDeleteAsync(cancel);
        db.ChangeTracker.Clear();
        var row = Mapping.ToRow(estate);
        describe(row);
        db.Add(row);
        db.AddRange(estate.PriceBook.Tiers.Select(Mapping.ToRow));
        db.AddRange(estate.PriceBook.Schemes.Select(Mapping.ToRow));
        db.AddRange(estate.PriceBook.Regions.Select(Mapping.ToRow));
        db.AddRange(estate.PriceBook.Transfers.Select(Mapping.ToRow));
        db.AddRange(estate.Buckets.Select(toRow));
        db.AddRange(estate.Workloads.Select(BackupMapping.ToRow));
        db.AddRange(estate.Targets.Select(BackupMapping.ToRow));
        db.AddRange(estate.Plans.Select((p, i) => BackupMapping.ToRow(p.Begun(estate.Today), i)));
    }

    /// <summary>The only place where a stored bucket is written anew: its keep rule never becomes weaker but by being lifted.</summary>
    internal static void Fill(BucketRow row, Bucket bucket, DateOnly today, bool lifted)
    {
        if (KeepRules.Refusal(bucket.Name, BucketMapping.ToKeep(row), bucket.Keep, today, lifted) is { } refusal)
            throw refusal;
        BucketMapping.Fill(row, bucket, today);
        row.Version++;
    }

    internal static async Task<BucketRow> Find(RipenDb db, string name, long version, CancellationToken cancel)
    {
        var row = await Whole(db.Buckets).SingleOrDefaultAsync(b => b.Name == name, cancel);
        return row?.Version == version ? row : throw RefusalException.Stale($"Bucket '{name}'");
    }

    /// <summary>The rows of these buckets with all that belongs to them, by name.</summary>
    private static async Task<Dictionary<string, BucketRow>> Rows(RipenDb db, List<string> names, CancellationToken cancel)
    {
        var rows = new Dictionary<string, BucketRow>(names.Count);
        foreach (var some in names.Chunk(MostNamesAtOnce))
        {
            foreach (var row in await Whole(db.Buckets.Where(b => some.Contains(b.Name))).ToListAsync(cancel))
                rows[row.Name] = row;
        }
        return rows;
    }

    private static IQueryable<BucketRow> Whole(IQueryable<BucketRow> buckets) =>
        buckets
            .Include(b => b.Stock)
            .Include(b => b.Streams)
            .Include(b => b.Reads)
            .Include(b => b.Rules)
                .ThenInclude(r => r.Steps)
            .Include(b => b.Copies)
            .AsSplitQuery();
}
