using System.Diagnostics;
using System.Security.Cryptography;

namespace Ripen.Backup.Pools;

/// <summary>One step of a self-test.</summary>
/// <param name="What">Was tried.</param>
/// <param name="Milliseconds">It took.</param>
/// <param name="Worked">Whether it did.</param>
/// <param name="Why">It did not, and what to do.</param>
/// <param name="Bytes">Went there or came back; null for a step that moves none.</param>
public sealed record ProbeStep(string What, double Milliseconds, bool Worked, string? Why, long? Bytes);

/// <summary>Proves that a place takes, keeps, gives back and lets go of what a pool puts there.</summary>
public static class PlaceProbe
{
    public const string Folder = "probes/";

    private const int Bytes = 1 << 20;
    private const int FewBytes = 4096;

    /// <summary>Where nothing may be written, all that can be proved is that it can be looked at.</summary>
    public static async Task<IReadOnlyList<ProbeStep>> OfReadOnly(IPoolObjects objects, CancellationToken cancel)
    {
        var steps = new List<ProbeStep>();
        await Step(steps, "list", () => objects.List("", cancel));
        return steps;
    }

    /// <summary>Every step in turn; behind the first that does not work, only what was written is removed again.</summary>
    public static async Task<IReadOnlyList<ProbeStep>> Of(IPoolObjects objects, CancellationToken cancel)
    {
        var steps = new List<ProbeStep>();
        var key = $"{Folder}{Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16))}";
        var content = RandomNumberGenerator.GetBytes(Bytes);
        var small = $"{key}-small";
        var went =
            await Step("write 4 KiB", () => objects.Put(small, content.AsMemory(0, FewBytes), cancel), FewBytes)
            && await Step("read it back", async () => Same(await objects.Read(small, 0, FewBytes, cancel), content[..FewBytes]), FewBytes)
            && await Step("write 1 MiB", () => objects.Put(key, content, cancel), Bytes)
            && await Step(
                "refuse to overwrite",
                async () =>
                {
                    try
                    {
                        await objects.Put(key, content, cancel);
                    }
                    catch (RefusalException refusal) when (refusal.Code == "exists")
                    {
                        return;
                    }
                    throw new RefusalException(
                        RefusalKind.Conflict,
                        "overwrites",
                        "It took the same object twice: two runs could spoil each other's."
                    );
                }
            )
            && await Step("read it back and compare", async () => Same(await objects.Read(key, 0, Bytes, cancel), content), Bytes)
            && await Step("read its end", async () => Same(await objects.Read(key, -1000, 1000, cancel), content[^1000..]))
            && await Step(
                "list",
                async () =>
                {
                    if (!(await objects.List(Folder, cancel)).Contains(new PoolObject(key, Bytes)))
                        throw new RefusalException(RefusalKind.Damaged, "not-listed", "What was just written is not listed.");
                }
            );
        // What was written goes again, whatever did not work.
        var let = await Step(
            "delete",
            async () =>
            {
                await objects.Delete(small, cancel);
                await objects.Delete(key, cancel);
            }
        );
        if (went && let)
        {
            await Step(
                "is gone",
                async () =>
                {
                    if ((await objects.List(Folder, cancel)).Any(o => o.Key.StartsWith(key, StringComparison.Ordinal)))
                        throw new RefusalException(RefusalKind.Conflict, "stays", "It is still there: something keeps what is deleted.");
                }
            );
        }
        return steps;

        Task<bool> Step(string what, Func<Task> act, long? bytes = null) => PlaceProbe.Step(steps, what, act, bytes);
    }

    private static async Task<bool> Step(List<ProbeStep> steps, string what, Func<Task> act, long? bytes = null)
    {
        var begun = Stopwatch.GetTimestamp();
        string? why = null;
        try
        {
            await act();
        }
        catch (Exception error) when (error is RefusalException or IOException or UnauthorizedAccessException)
        {
            why = error.Message;
        }
        steps.Add(new ProbeStep(what, Stopwatch.GetElapsedTime(begun).TotalMilliseconds, why is null, why, bytes));
        return why is null;
    }

    private static void Same(byte[] read, byte[] written)
    {
        if (!read.AsSpan().SequenceEqual(written))
            throw new RefusalException(RefusalKind.Damaged, "differs", "What came back is not what was written.");
    }
}
