namespace Ripen.Server;

/// <summary>What a long piece of work leaves behind in memory.</summary>
internal static class Leftovers
{
    /// <summary>In a larger heap, all stand still for longer than what is left behind is worth.</summary>
    private const long LargestHeap = 1L << 28;

    /// <summary>Gives it back to the machine, for which all stand still a moment: large arrays would stay until memory is short here, and not
    /// until it is short for others.</summary>
    public static void GiveBack()
    {
        if (GC.GetTotalMemory(forceFullCollection: false) < LargestHeap)
            GC.Collect(GC.MaxGeneration, GCCollectionMode.Aggressive, blocking: true, compacting: true);
    }
}
