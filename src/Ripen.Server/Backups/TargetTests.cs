using System.Text.Json;
using Ripen.Backup.Pools;
using Ripen.Core.Backups;
using Ripen.Data;

namespace Ripen.Server.Backups;

/// <summary>A self-test as it went.</summary>
/// <param name="At">When it began.</param>
/// <param name="Worked">Whether every step did.</param>
/// <param name="Steps">In their order; behind the first that did not work, only what was written is removed again.</param>
public sealed record TestReading(DateTimeOffset At, bool Worked, IReadOnlyList<ProbeStep> Steps);

/// <summary>Tests targets, by hand and on their schedules, and keeps what came of it.</summary>
internal sealed class TargetTests(
    CurrentEstate current,
    TargetPlaces places,
    TargetProbes probes,
    TimeProvider time,
    ILogger<TargetTests> log
) : BackgroundService
{
    private static readonly TimeSpan Look = TimeSpan.FromMinutes(1);

    public async Task<TestReading> Test(BackupTarget target, CancellationToken cancel)
    {
        var at = time.GetUtcNow();
        var steps = await Steps(target, cancel);
        var reading = new TestReading(at, steps.All(s => s.Worked), steps);
        await probes.Put(
            target.Id,
            new TargetProbe(at, reading.Worked, JsonSerializer.Serialize(steps, JsonSerializerOptions.Web)),
            cancel
        );
        return reading;
    }

    public static TestReading? Of(TargetProbe? probe) =>
        probe is null
            ? null
            : new TestReading(
                probe.At,
                probe.Worked,
                JsonSerializer.Deserialize<IReadOnlyList<ProbeStep>>(probe.Steps, JsonSerializerOptions.Web)!
            );

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Look, time);
        while (await timer.WaitForNextTickAsync(stoppingToken))
        {
            try
            {
                await TestDue(stoppingToken);
            }
            catch (Exception error) when (error is not OperationCanceledException)
            {
                log.LogError(error, "The scheduled self-tests of backup targets ended early.");
            }
        }
    }

    private async Task TestDue(CancellationToken cancel)
    {
        var targets = (await current.Get(cancel))?.Estate.Targets ?? [];
        var last = await probes.Last(cancel);
        foreach (var target in targets)
        {
            if (target.TestEveryHours is not { } hours)
                continue;
            if (!last.TryGetValue(target.Id, out var probe) || probe.At.AddHours(hours) <= time.GetUtcNow())
                await Test(target, cancel);
        }
    }

    private async Task<IReadOnlyList<ProbeStep>> Steps(BackupTarget target, CancellationToken cancel)
    {
        try
        {
            var objects = places.ObjectsOf(target);
            return target.Access == TargetAccess.ReadWrite
                ? await PlaceProbe.Of(objects, cancel)
                : await PlaceProbe.OfReadOnly(objects, cancel);
        }
        catch (RefusalException refusal)
        {
            return [new ProbeStep("find the place", 0, false, refusal.Message, null)];
        }
    }
}
