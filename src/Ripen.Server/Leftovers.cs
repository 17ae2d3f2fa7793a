namespace Ripen.Server;

/// <summary>What a long piece of work leaves behind in memory.</summary>
internal static class Leftovers
{
    /// <summary>Gives it back to the machine, which takes some hundredths of a second: large arrays would stay until memory is short here, and
    /// not until it is short for others.</summary>
    public static void GiveBack() => GC.Collect(GC.MaxGeneration, GCCollectionMode.Aggressive, blocking: true, compacting: true);
}
