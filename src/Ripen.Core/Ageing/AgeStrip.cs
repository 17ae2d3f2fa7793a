using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Ageing;

/// <summary>A tier's band on a strip, by age in days; <see cref="To"/> is null where it has no end. By reading it begins only for what nobody
/// has read for so long.</summary>
public sealed record StripBand(string Tier, int From, int? To, bool ByReading = false);

/// <summary>A stay that ends before the tier's minimum: the ages [From, To) are charged although nothing lies there.</summary>
public sealed record ShortStay(string Tier, int From, int To, int StaysDays, int MinimumDays);

/// <summary>What happens by age to what lies under one prefix.</summary>
/// <param name="Prefix">Under which.</param>
/// <param name="Tags">That it carries; null for whatever tags.</param>
/// <param name="Applies">To which versions; ages of earlier ones count from the day on which they were superseded.</param>
/// <param name="Rules">The ids of the rules that begin there, in their order; each rule is in one lane.</param>
/// <param name="Bands">From young to old.</param>
/// <param name="ExpireAt">Age in days; null for never.</param>
/// <param name="ShortStays">Where a minimum stay is broken.</param>
/// <param name="Holds">The ids of legal holds that hold some of it today, whatever its age.</param>
public sealed record StripLane(
    string Prefix,
    IReadOnlyDictionary<string, string>? Tags,
    VersionKind Applies,
    IReadOnlyList<string> Rules,
    IReadOnlyList<StripBand> Bands,
    int? ExpireAt,
    IReadOnlyList<ShortStay> ShortStays,
    IReadOnlyList<string> Holds
);

/// <summary>A bucket drawn by the age of its data: a lane for each scope that has rules for current versions, in their order, one for data
/// that no rule covers, and the same for rules for earlier versions.</summary>
public sealed record AgeStrip(IReadOnlyList<StripLane> Lanes, int? KeepDays, DateOnly? KeepUntil)
{
    public static AgeStrip Of(Bucket bucket, PriceBook prices, DateOnly today)
    {
        var scopes = Scopes(bucket, VersionKind.Current);
        var data = bucket.Streams.Select(s => (s.Prefix, s.Tags)).Concat(bucket.Stock.Select(l => (l.Prefix, l.Tags)));
        if (scopes.Count == 0 || data.Any(d => !scopes.Any(s => s.Takes(d.Prefix, d.Tags))))
            scopes.Add(new Scope(""));
        return new AgeStrip(
            [
                .. scopes.Select(s => Lane(s, VersionKind.Current, bucket, prices, today)),
                .. Scopes(bucket, VersionKind.Earlier).Select(s => Lane(s, VersionKind.Earlier, bucket, prices, today)),
            ],
            bucket.Keep?.Days,
            bucket.Keep?.Until
        );
    }

    private static List<Scope> Scopes(Bucket bucket, VersionKind applies) =>
        [.. bucket.Rules.Where(r => r.Applies == applies).Select(r => r.Scope).DistinctBy(s => (s.Prefix, TagText.Write(s.Tags)))];

    private static StripLane Lane(Scope scope, VersionKind applies, Bucket bucket, PriceBook prices, DateOnly today)
    {
        // The lane is for objects of every size, and for versions that nothing spares.
        var ofAnySize = bucket with
        {
            Rules = [.. bucket.Rules.Select(r => r with { SmallestBytes = 0, LargestBytes = null, KeepNewest = 0 })],
        };
        var lifecycle = Lifecycle.Of(ofAnySize, new ObjectKind(scope.Prefix, scope.Tags, 0), prices, today);
        var over = applies == VersionKind.Current ? lifecycle.OverAt : lifecycle.EarlierExpireAt;
        int? expireAt = over == Lifecycle.Never ? null : over;
        var bands = new List<StripBand>();
        var (last, from) = (new AgeStep(0, prices.Coldness(bucket.Tier)), 0);
        foreach (var step in applies == VersionKind.Current ? lifecycle.Steps : lifecycle.EarlierSteps)
        {
            if (step.Tier <= last.Tier || step.Age >= over)
                continue;
            if (step.Age > from)
                bands.Add(Band(step.Age));
            (last, from) = (step, step.Age);
        }
        bands.Add(Band(expireAt));
        var rules = bucket.Rules.Where(r => r.Applies == applies && r.Scope.IsSame(scope)).Select(r => r.Id);
        return new StripLane(
            scope.Prefix,
            scope.Tags,
            applies,
            [.. rules],
            bands,
            expireAt,
            [.. bands.Where(Leaves).Select(b => Short(b, prices)).OfType<ShortStay>()],
            [.. bucket.Holds.Where(h => h.Placed <= today && !(h.Released <= today) && Meets(h.Prefix)).Select(h => h.Id)]
        );

        StripBand Band(int? to) => new(prices.Tiers[last.Tier].Id, from, to, last.ByReading);

        bool Meets(string prefix) =>
            prefix.StartsWith(scope.Prefix, StringComparison.Ordinal) || scope.Prefix.StartsWith(prefix, StringComparison.Ordinal);

        // What expires where versions are kept stays in its tier.
        bool Leaves(StripBand band) => applies == VersionKind.Earlier || !bucket.Versioning || band.To != expireAt;
    }

    private static ShortStay? Short(StripBand band, PriceBook prices)
    {
        var tier = prices.Tiers[prices.Coldness(band.Tier)];
        return band.To is { } to && tier.DaysShort(to - band.From) is var missing and > 0
            ? new ShortStay(band.Tier, to, to + missing, to - band.From, tier.MinimumStayDays)
            : null;
    }
}
