using System.Globalization;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Core.Backups;
using Ripen.Data;
using Ripen.Provider;

namespace Ripen.Server.Backups;

/// <summary>What is brought back of a point, and where to.</summary>
/// <param name="Target">The id of the target that it comes from.</param>
/// <param name="Kind">A restore or a rehearsal.</param>
/// <param name="Under">The path of the point; empty for all of it.</param>
/// <param name="Into">The folder; null for nowhere.</param>
internal sealed record RestoreAim(string Target, RestoreKind Kind, string Under, string? Into);

/// <summary>Restores and rehearsals of a pool's points. Each leaves a record, however it ended.</summary>
internal sealed class Recorded(BackupJobs jobs, RestoreRecords records, SimulatedProvider provider, IActors actors, TimeProvider time)
{
    /// <summary>In the background.</summary>
    public BackupJob Start(Pool pool, Point point, RestoreAim aim, Func<IProgress<string>, CancellationToken, Task<RestoreResult>> work)
    {
        // Who asked is known here, and not in the background.
        var record = About(point, aim);
        return PointEndpoints.Begin(
            jobs,
            pool,
            aim.Target,
            KindOf(aim),
            Words(point, aim),
            async (tell, stop) => Told(await Ended(record, files => work(files, stop), files => tell(files, 0)))
        );
    }

    /// <summary>The same, when nothing is under way any more; on return it is over.</summary>
    public Task<RestoreResult> ToEnd(
        Point point,
        RestoreAim aim,
        Func<IProgress<string>, CancellationToken, Task<RestoreResult>> work,
        CancellationToken cancel
    )
    {
        var record = About(point, aim);
        return jobs.RunToEnd(
            aim.Target,
            KindOf(aim),
            Words(point, aim),
            async (tell, stop) =>
            {
                var result = await Ended(record, files => work(files, stop), files => tell(files, 0));
                return (result, Told(result));
            },
            cancel
        );
    }

    internal static JobKind KindOf(RestoreAim aim) => aim.Kind == RestoreKind.Rehearsal ? JobKind.Rehearsal : JobKind.Restore;

    internal static string Words(Point point, RestoreAim aim) =>
        string.Create(
            CultureInfo.InvariantCulture,
            $"{point.Workload} of {point.Taken:yyyy-MM-dd HH:mm} UTC{(aim.Into is null ? "" : $" into {aim.Into}")}"
        );

    private static Func<BackupJob, BackupJob> Told(RestoreResult result) =>
        job =>
            job with
            {
                Files = result.Files,
                Bytes = result.Bytes,
                Left = result.Left,
                Problems = [.. result.Problems.Take(Point.MostProblems)],
            };

    /// <summary>While the answer waits.</summary>
    public Task Of(Point point, RestoreAim aim, Func<IProgress<string>, Task<RestoreResult>> work) =>
        Ended(About(point, aim), work, _ => { });

    private RestoreRecord About(Point point, RestoreAim aim) =>
        new()
        {
            At = time.GetUtcNow(),
            Day = provider.Clock.Today,
            By = actors.Current.Name,
            Kind = aim.Kind,
            Target = aim.Target,
            Point = point.Id,
            Workload = point.Workload,
            Taken = point.Taken,
            Under = aim.Under,
            Into = aim.Into,
            Files = 0,
            Bytes = 0,
            Seconds = 0,
            Problems = 0,
        };

    private async Task<RestoreResult> Ended(RestoreRecord record, Func<IProgress<string>, Task<RestoreResult>> work, Action<long> tell)
    {
        var (begun, files) = (time.GetTimestamp(), 0L);
        try
        {
            var result = await work(new PointEndpoints.Told<string>(_ => tell(++files)));
            await Put(record with { Files = result.Files, Bytes = result.Bytes, Problems = result.Problems.Count });
            return result;
        }
        catch (Exception error)
        {
            await Put(record with { Files = files, Error = error is OperationCanceledException ? "It was stopped." : error.Message });
            throw;
        }

        Task Put(RestoreRecord ended) =>
            records.Add(ended with { Seconds = time.GetElapsedTime(begun).TotalSeconds }, CancellationToken.None);
    }
}
