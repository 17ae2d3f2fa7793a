using System.Globalization;
using System.Security.Cryptography;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Runs;

/// <summary>
/// Says that a run is at work in a pool, so that nothing it may rely on is removed, or that a prune is, so that no other is: an object,
/// renewed while it lives. One that was not renewed for long is of a process that was killed.
/// </summary>
internal sealed class RunLease : IAsyncDisposable
{
    private const string Runs = "leases/";
    private const string Prunes = "prunes/";

    private const string TimeShape = "yyyyMMdd'T'HHmmssfff'Z'";

    private static readonly TimeSpan Renewed = TimeSpan.FromMinutes(5);

    /// <summary>After so long without being renewed a lease is nobody's.</summary>
    public static readonly TimeSpan Life = TimeSpan.FromHours(1);

    private readonly IPoolObjects objects;
    private readonly TimeProvider clock;
    private readonly string prefix;
    private readonly List<string> written = [];
    private readonly ITimer timer;
    private readonly SemaphoreSlim writing = new(1);
    private DateTimeOffset last;

    private RunLease(IPoolObjects objects, string folder, TimeProvider clock)
    {
        (this.objects, this.clock) = (objects, clock);
        prefix =
            $"{folder}{clock.GetUtcNow().UtcDateTime.ToString(TimeShape, CultureInfo.InvariantCulture)}-{Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8))}/";
        timer = clock.CreateTimer(_ => _ = Renew(CancellationToken.None), null, Renewed, Renewed);
    }

    /// <summary>The lease is there on return: whatever is looked at from then on is looked at under it.</summary>
    public static Task<RunLease> Begin(IPoolObjects objects, TimeProvider clock, CancellationToken cancel) =>
        Begin(objects, Runs, clock, cancel);

    /// <summary>The lease of the only prune.</summary>
    /// <exception cref="RefusalException">Another is at work.</exception>
    public static async Task<RunLease> Alone(IPoolObjects objects, TimeProvider clock, CancellationToken cancel)
    {
        var lease = await Begin(objects, Prunes, clock, cancel);
        // Each is there before it looks: of two, one at least sees the other. Whoever sees another yields, both of them if need be: which was
        // first is not to be known from the clocks of two machines, nor from one clock within a millisecond.
        if ((await Alive(objects, Prunes, clock, cancel)).All(l => $"{l}/" == lease.prefix))
            return lease;
        await lease.DisposeAsync();
        throw new RefusalException(RefusalKind.Conflict, "under-way", "Another prune is at work in this pool; wait for it.");
    }

    public static async Task<bool> IsAnyAlive(IPoolObjects objects, TimeProvider clock, CancellationToken cancel) =>
        (await Alive(objects, Runs, clock, cancel)).Any();

    private static async Task<IEnumerable<string>> Alive(IPoolObjects objects, string folder, TimeProvider clock, CancellationToken cancel)
    {
        var now = clock.GetUtcNow();
        return (await objects.List(folder, cancel))
            .Select(o => o.Key.LastIndexOf('/') is var at && now - Time(o.Key[(at + 1)..]) < Life ? o.Key[..at] : null)
            .OfType<string>()
            .Distinct();
    }

    private static async Task<RunLease> Begin(IPoolObjects objects, string folder, TimeProvider clock, CancellationToken cancel)
    {
        var lease = new RunLease(objects, folder, clock);
        await lease.Put(cancel);
        return lease;
    }

    /// <exception cref="RefusalException">This process slept for so long that others may have taken it for dead.</exception>
    public void Demand()
    {
        if (clock.GetUtcNow() - last >= Life)
            throw new RefusalException(
                RefusalKind.Conflict,
                "lease-lost",
                "The run was asleep for too long: what it relied on may have been removed. Nothing was stored as a point; run it again."
            );
    }

    private async Task Renew(CancellationToken cancel)
    {
        try
        {
            await Put(cancel);
        }
        catch (Exception error) when (error is RefusalException or IOException)
        {
            // The next renewal may go through; if none does, the run notices by itself.
        }
    }

    private async Task Put(CancellationToken cancel)
    {
        await writing.WaitAsync(cancel);
        try
        {
            var now = clock.GetUtcNow();
            var key = $"{prefix}{now.UtcDateTime.ToString(TimeShape, CultureInfo.InvariantCulture)}";
            await objects.Put(key, "1"u8.ToArray(), cancel);
            written.Add(key);
            last = now;
        }
        finally
        {
            writing.Release();
        }
    }

    public async ValueTask DisposeAsync()
    {
        await timer.DisposeAsync();
        await writing.WaitAsync();
        foreach (var key in written)
        {
            try
            {
                await objects.Delete(key, CancellationToken.None);
            }
            catch (Exception error) when (error is RefusalException or IOException)
            {
                // It ends by itself.
            }
        }
        writing.Dispose();
    }

    private static DateTimeOffset? Time(string text) =>
        text.Length >= 19
        && DateTimeOffset.TryParseExact(text[..19], TimeShape, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out var at)
            ? at
            : null;
}
