using Ripen.Data;
using Ripen.Provider;

namespace Ripen.Server.Demo;

/// <summary>What a step of the demo's past works with.</summary>
internal sealed record DemoHands(CurrentEstate Current, EstateStore Store, SimulatedProvider Provider);

/// <summary>A step of the demo's past; done again after a crash it does no harm.</summary>
internal sealed record DemoStep(string What, Func<DemoHands, CancellationToken, Task> Do);

internal static class DemoPast
{
    /// <param name="whole">Whether ninety days are lived, or only the files are put there.</param>
    public static IReadOnlyList<DemoStep> Steps(bool whole) =>
    [
        new("the harbour offices' notices", (hands, _) => DemoContents.Put(hands.Provider.Objects)),
    ];
}
