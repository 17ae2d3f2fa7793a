using System.Globalization;
using System.Text.Json.Serialization;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;

namespace Ripen.Server.Backups;

/// <summary>The plan's point whose restore is rehearsed.</summary>
public sealed record PlannedRehearsal(
    [property: JsonRequired] string Plan,
    [property: JsonRequired] string Workload,
    [property: JsonRequired] string Target,
    [property: JsonRequired] DateOnly Taken
);

/// <summary>Rehearsals of plans' points: what they read is read at the provider and charged, their hours are counted and not waited
/// for.</summary>
public sealed class Rehearsals(SimulatedProvider provider, RestoreRecords records, IActors actors, TimeProvider time)
{
    private const double SecondsAnHour = 3600;

    /// <param name="estate">As it stands, with the plans' runs.</param>
    /// <param name="order">Which point.</param>
    /// <param name="cancel">Stops before anything is read.</param>
    /// <exception cref="RefusalException">There is no such point, its target is locked, or its bucket's region is lost.</exception>
    public async Task<RestoreRecord> Of(Estate estate, PlannedRehearsal order, CancellationToken cancel)
    {
        if (order.Taken >= estate.Today)
            throw new RefusalException(
                RefusalKind.NotFound,
                "no-point",
                $"The point of {order.Taken:yyyy-MM-dd} is not taken yet: its day is not over."
            );
        if (estate.Workloads.Any(w => w.Id == order.Workload && w.Source is not null))
            throw new RefusalException(
                RefusalKind.Conflict,
                "has-content",
                $"This point has what '{order.Workload}' held: rehearse it in its target, where every byte of it is read and compared."
            );
        var question = new RestoreQuestion
        {
            Plan = order.Plan,
            Workload = order.Workload,
            Target = order.Target,
            Taken = order.Taken,
            On = estate.Today,
        };
        var estimate = RestoreEstimate.Of(estate, question);
        var reads = RestoreEstimate.Reads(estate, question);
        GuardedObjects.DemandReading(estate.Targets.First(t => t.Id == order.Target));
        cancel.ThrowIfCancellationRequested();
        var record = new RestoreRecord
        {
            At = time.GetUtcNow(),
            Day = estate.Today,
            By = actors.Current.Name,
            Kind = RestoreKind.Rehearsal,
            Target = order.Target,
            Point = order.Taken.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            Workload = order.Workload,
            Taken = new DateTimeOffset(order.Taken, TimeOnly.MinValue, TimeSpan.Zero),
            Files = 0,
            Bytes = estimate.ContentBytes,
            Seconds = estimate.Hours * SecondsAnHour,
            Money = reads.Count > 0 ? provider.ReadPacks(order.Target, reads) : 0,
            Problems = 0,
        };
        await records.Add(record, CancellationToken.None);
        return record;
    }
}
