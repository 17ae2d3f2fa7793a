using Ripen.Core.Pricing;

namespace Ripen.Core.Redundancy;

/// <summary>Where one fragment lies: a region, a zone in it, a rack in that. Every fragment has a device of its own.</summary>
public readonly record struct FragmentPlace(int Region, int Zone, int Rack);

/// <summary>An object's fragments dealt over places: any <see cref="Needed"/> of them give the object back.</summary>
public sealed record Placement(IReadOnlyList<FragmentPlace> Fragments, int Needed)
{
    /// <summary>Zones that the fullest region needs, so that fragments lie as far apart as the scheme says.</summary>
    public int ZonesNeeded => Fragments.GroupBy(f => f.Region).Max(region => region.Select(f => f.Zone).Distinct().Count());

    /// <summary>Fragments of which all may be lost at once with nothing lost.</summary>
    public int Spare => Fragments.Count - Needed;

    /// <summary>Deals the fragments of <paramref name="scheme"/> in turn over its regions, in each over its zones, in each over its
    /// racks.</summary>
    public static Placement Of(Scheme scheme)
    {
        var needed = scheme.Coded?.Data ?? 1;
        var total = scheme.Coded is { } coded ? coded.Data + coded.Parity : scheme.Copies;
        var over =
            scheme.Over
            ?? scheme.Spread switch
            {
                Spread.Region => new Places { Regions = total },
                Spread.Zone => new Places { Zones = total },
                Spread.Rack => new Places { Racks = total },
                _ => new Places(),
            };
        return new Placement(
            [
                .. Enumerable
                    .Range(0, total)
                    .Select(i => new FragmentPlace(
                        i % over.Regions,
                        i / over.Regions % over.Zones,
                        i / over.Regions / over.Zones % over.Racks
                    )),
            ],
            needed
        );
    }

    /// <summary>The most devices that can be lost at once, whichever they are, with nothing lost.</summary>
    public int DevicesSurvived => Spare;

    public int RacksSurvived => Survived(f => f);

    public int ZonesSurvived => Survived(f => (f.Region, f.Zone));

    public int RegionsSurvived => Survived(f => f.Region);

    /// <summary>The worst case is the loss of the fullest places: how many of those fit into the spare fragments.</summary>
    private int Survived<T>(Func<FragmentPlace, T> place)
    {
        var lost = 0;
        return Fragments.GroupBy(place).Select(g => g.Count()).OrderDescending().TakeWhile(n => (lost += n) <= Spare).Count();
    }
}
