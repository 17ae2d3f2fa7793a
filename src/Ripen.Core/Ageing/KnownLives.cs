using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Ageing;

/// <summary>
/// What becomes of each object, and of packs, in one bucket: the same however much arrives. Told once for all computations of the bucket that
/// differ in growth alone.
/// </summary>
internal sealed class KnownLives
{
    private readonly Dictionary<(ObjectKind Kind, Standing Standing, int Ages), ReadLife> read = [];
    private readonly Dictionary<int, PackUsage> packs = [];

    /// <param name="kind">Of objects that arrive, and have no retention of their own.</param>
    /// <param name="standing">On the day they arrive.</param>
    /// <param name="ages">How many are looked at.</param>
    /// <param name="tell">Where it is not known.</param>
    public ReadLife Of(ObjectKind kind, Standing standing, int ages, Func<ReadLife> tell) =>
        read.TryGetValue((kind, standing, ages), out var known) ? known : read[(kind, standing, ages)] = tell();

    /// <param name="place">Among the bucket's packs that are told by times alone, and not by how much is carried.</param>
    /// <param name="tell">Where it is not known.</param>
    public PackUsage Of(int place, Func<PackUsage> tell) => packs.TryGetValue(place, out var known) ? known : packs[place] = tell();
}
