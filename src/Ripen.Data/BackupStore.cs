using System.Text.Json;
using Microsoft.EntityFrameworkCore;
using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;

namespace Ripen.Data;

/// <summary>A bucket that is changed together with something else.</summary>
/// <param name="Before">The bucket of this version.</param>
/// <param name="After">As it is to be; its streams' rates hold on <paramref name="Today"/>.</param>
/// <param name="Today">The provider's day.</param>
/// <param name="Version">The bucket's.</param>
public sealed record ChangedBucket(Bucket Before, Bucket After, DateOnly Today, long Version);

/// <summary>Changes of an estate's targets, workloads and plans: each one transaction, with its line in the change log.</summary>
public sealed class BackupStore(EstateStore estates, ChangeLog log)
{
    /// <summary>Adds a backup target, puts another in its place, or removes it; what lies in its pool is not touched.</summary>
    /// <param name="before">Null for a new one.</param>
    /// <param name="after">Valid, of the same id; null to remove it.</param>
    /// <param name="estateVersion">The version that was looked at.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The estate has another version.</exception>
    public Task ChangeTarget(BackupTarget? before, BackupTarget? after, long estateVersion, CancellationToken cancel = default) =>
        estates.Change(
            async db =>
            {
                await EstateStore.Bump(db, estateVersion, cancel);
                var last = await db.Targets.MaxAsync(t => (int?)t.Position, cancel) ?? -1;
                var row = before is null ? null : await db.Targets.IgnoreAutoIncludes().SingleAsync(t => t.Id == before.Id, cancel);
                if (row is null)
                    db.Add(BackupMapping.ToRow(after!, last + 1));
                else if (after is null)
                    db.Remove(row);
                else
                {
                    await db.TargetFolders.Where(f => f.TargetId == row.Id).ExecuteDeleteAsync(cancel);
                    var stored = BackupMapping.ToRow(after, row.Position);
                    db.Entry(row).CurrentValues.SetValues(stored);
                    row.MoreFolders = stored.MoreFolders;
                }
                Log(db, "target", (after ?? before)!.Id, before, after);
            },
            cancel
        );

    /// <summary>Adds a backup plan, puts another in its place, or removes it.</summary>
    /// <param name="before">Null for a new one.</param>
    /// <param name="after">Valid, of the same id; null to remove it. Its runs are not stored: who took them knows them.</param>
    /// <param name="estateVersion">The version that was looked at.</param>
    /// <param name="bucket">That ages otherwise with it; null for none.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The estate has another version.</exception>
    public Task ChangePlan(
        BackupPlan? before,
        BackupPlan? after,
        long estateVersion,
        ChangedBucket? bucket,
        CancellationToken cancel = default
    ) =>
        estates.Change(
            async db =>
            {
                await EstateStore.Bump(db, estateVersion, cancel);
                if (bucket is not null)
                {
                    var changing = await EstateStore.Find(db, bucket.After.Name, bucket.Version, cancel);
                    EstateStore.Fill(changing, bucket.After, bucket.Today, lifted: false);
                    log.Add(db, "bucket-changed", bucket.After.Name, ChangeLog.Document(bucket.Before), ChangeLog.Document(bucket.After));
                }
                var row = before is null
                    ? null
                    : await db
                        .Plans.Include(p => p.Targets)
                        .Include(p => p.Workloads)
                        .AsSplitQuery()
                        .SingleAsync(p => p.Id == before.Id, cancel);
                var last = await db.Plans.MaxAsync(p => (int?)p.Position, cancel) ?? -1;
                var stored = after?.WithoutRuns();
                if (row is null)
                    db.Add(BackupMapping.ToRow(stored!, last + 1));
                else if (stored is null)
                    db.Remove(row);
                else
                    BackupMapping.Fill(row, stored);
                Log(db, "plan", (after ?? before)!.Id, before?.WithoutRuns(), stored);
            },
            cancel
        );

    /// <summary>Adds a workload, puts another in its place, or removes it.</summary>
    /// <param name="before">Null for a new one.</param>
    /// <param name="after">Valid, of the same id, with its bytes of <paramref name="today"/>; null to remove it.</param>
    /// <param name="today">The provider's day.</param>
    /// <param name="estateVersion">The version that was looked at.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The estate has another version.</exception>
    public Task ChangeWorkload(Workload? before, Workload? after, DateOnly today, long estateVersion, CancellationToken cancel = default) =>
        estates.Change(
            async db =>
            {
                await EstateStore.Bump(db, estateVersion, cancel);
                // Bytes are stored as of the day of the estate's document, as those of all others are.
                var stated = (await db.Estates.SingleAsync(cancel)).Today;
                var row = before is null ? null : await db.Workloads.SingleAsync(w => w.Id == before.Id, cancel);
                var last = await db.Workloads.MaxAsync(w => (int?)w.Position, cancel) ?? -1;
                if (row is null)
                    db.Add(BackupMapping.ToRow(after!.AsOf(stated, today), last + 1));
                else if (after is null)
                    db.Remove(row);
                else
                    db.Entry(row).CurrentValues.SetValues(BackupMapping.ToRow(after.AsOf(stated, today), row.Position));
                Log(db, "workload", (after ?? before)!.Id, before, after);
            },
            cancel
        );

    /// <summary>Puts a list of retention periods in the place of the one there is.</summary>
    /// <param name="before">The list that was looked at.</param>
    /// <param name="after">Valid.</param>
    /// <param name="estateVersion">The version that was looked at.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <exception cref="RefusalException">The estate has another version.</exception>
    public Task ChangePeriods(
        IReadOnlyList<RetentionPeriod> before,
        IReadOnlyList<RetentionPeriod> after,
        long estateVersion,
        CancellationToken cancel = default
    ) => ChangeList("retention periods", before, after, (row, text) => row.RetentionPeriods = text, estateVersion, cancel);

    /// <summary>Puts a list of machines that carry in the place of the one there is.</summary>
    /// <inheritdoc cref="ChangePeriods"/>
    public Task ChangeCarriers(
        IReadOnlyList<CarrierMachine> before,
        IReadOnlyList<CarrierMachine> after,
        long estateVersion,
        CancellationToken cancel = default
    ) => ChangeList("machines that carry", before, after, (row, text) => row.Carriers = text, estateVersion, cancel);

    /// <summary>Puts a list of local arrays in the place of the one there is.</summary>
    /// <inheritdoc cref="ChangePeriods"/>
    public Task ChangeArrays(
        IReadOnlyList<LocalArray> before,
        IReadOnlyList<LocalArray> after,
        long estateVersion,
        CancellationToken cancel = default
    ) => ChangeList("local arrays", before, after, (row, text) => row.Arrays = text, estateVersion, cancel);

    /// <summary>Puts a list of offers in the place of the one there is.</summary>
    /// <inheritdoc cref="ChangePeriods"/>
    public Task ChangeOffers(
        IReadOnlyList<Offer> before,
        IReadOnlyList<Offer> after,
        long estateVersion,
        CancellationToken cancel = default
    ) => ChangeList("offers", before, after, (row, text) => row.Offers = text, estateVersion, cancel);

    /// <summary>Puts a list of scenarios in the place of the one there is.</summary>
    /// <inheritdoc cref="ChangePeriods"/>
    public Task ChangeScenarios(
        IReadOnlyList<Scenario> before,
        IReadOnlyList<Scenario> after,
        long estateVersion,
        CancellationToken cancel = default
    ) => ChangeList("scenarios", before, after, (row, text) => row.Scenarios = text, estateVersion, cancel);

    private Task ChangeList<T>(
        string what,
        IReadOnlyList<T> before,
        IReadOnlyList<T> after,
        Action<EstateRow, string?> set,
        long estateVersion,
        CancellationToken cancel
    ) =>
        estates.Change(
            async db =>
            {
                await EstateStore.Bump(db, estateVersion, cancel);
                set(await db.Estates.SingleAsync(cancel), Mapping.ToText(after));
                Log(db, "list", what, new { List = before }, new { List = after });
            },
            cancel
        );

    private void Log<T>(RipenDb db, string what, string id, T? before, T? after)
        where T : class =>
        log.Add(
            db,
            before is null ? $"{what}-made"
                : after is null ? $"{what}-removed"
                : $"{what}-changed",
            id,
            before is null ? null : JsonSerializer.Serialize(before, EstateDocument.Json),
            after is null ? null : JsonSerializer.Serialize(after, EstateDocument.Json)
        );
}
