using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Redundancy;

namespace Ripen.Core.Advice;

/// <summary>How data is worked with: as whole objects over HTTP, as files that people share and edit in place, or as the disk of a
/// machine.</summary>
public enum DataUse
{
    WholeObjects,
    SharedFiles,
    MachineDisk,
}

/// <summary>What somebody knows of data that needs a place.</summary>
public sealed record StorageQuestions
{
    public required DataUse Use { get; init; }

    /// <summary>0 or more; fractions are fine.</summary>
    public required double ObjectsPerDay { get; init; }
    public required long BytesPerObject { get; init; }

    /// <summary>Days until it may go; null for never.</summary>
    public int? GoneAfterDays { get; init; }

    /// <summary>The share of what is there that is read in a month, 0 or more; 1 is everything once.</summary>
    public required double ShareReadPerMonth { get; init; }

    /// <summary>Hours that a reader can wait for the first byte.</summary>
    public required double MostWaitHours { get; init; }

    /// <summary>What may be lost at once without losing data.</summary>
    public required Spread Survives { get; init; }

    /// <summary>The region nearest to those who use it; null when they are everywhere.</summary>
    public string? Region { get; init; }
}

/// <summary>A region, tier and scheme that would do, and what the fifth year costs there (growth and other charges as today),
/// money.</summary>
/// <param name="Region">The id.</param>
/// <param name="Tier">The id.</param>
/// <param name="Scheme">The id.</param>
/// <param name="CostAYear">What the terms make.</param>
/// <param name="Terms">The year's quantities, with the price of each.</param>
public sealed record StorageChoice(string Region, string Tier, string Scheme, double CostAYear, IReadOnlyList<PricedTerm> Terms);

/// <summary>The kind of storage, why, the choices from cheapest on, and a bucket that is filled in with the first of them; null when none
/// will do.</summary>
public sealed record StorageAdvice(DataUse Kind, IReadOnlyList<string> Reasons, IReadOnlyList<StorageChoice> Choices, Bucket? Draft)
{
    private const int Months = 60;
    private const int ChoicesShown = 6;

    /// <summary>Weighs every region, tier and scheme that meet the demands by their projected cost.</summary>
    /// <param name="estate">Whose price book is asked, and whose bucket names are taken.</param>
    /// <param name="asked">Valid by <see cref="Check"/>.</param>
    public static StorageAdvice Of(Estate estate, StorageQuestions asked)
    {
        var book = estate.PriceBook;
        var schemes = book.Schemes.Where(s => Survives(s, asked.Survives)).ToList();
        var regions = book.Regions.Where(r => asked.Region is null || r.Id == asked.Region).ToList();
        var tiers = book.Tiers.Where(t => t.WaitHours <= asked.MostWaitHours).ToList();
        var choices = (
            from region in regions
            from tier in tiers
            where region.PriceOf(tier.Id) is not null
            from scheme in schemes
            where !(region.Zones < Placement.Of(scheme).ZonesNeeded)
            let bucket = Bucket(estate, asked, region.Id, tier.Id, scheme.Id)
            let terms = FifthYear(estate, bucket)
            select new StorageChoice(region.Id, tier.Id, scheme.Id, terms.Sum(t => t.Amount), terms) into choice
            orderby choice.CostAYear, book.Coldness(choice.Tier)
            select choice
        ).ToList();
        return new StorageAdvice(
            asked.Use,
            [.. WhyKind(asked.Use), .. WhyChoice(book, asked, schemes, tiers, choices)],
            [.. choices.Take(ChoicesShown)],
            choices.Count == 0 ? null : Bucket(estate, asked, choices[0].Region, choices[0].Tier, choices[0].Scheme)
        );
    }

    /// <summary>What is wrong with the questions; paths begin at them.</summary>
    public static IReadOnlyList<Problem> Check(StorageQuestions asked, PriceBook book)
    {
        var problems = new List<Problem>();
        void Range(double value, double most, string name)
        {
            if (!(value >= 0 && value <= most))
                problems.Add(new("out-of-range", $"$.{name}", $"'{name}' must be from 0 to {most:#,0}."));
        }
        Range(asked.ObjectsPerDay, 1e12, "objectsPerDay");
        Range(asked.BytesPerObject, 1e14, "bytesPerObject");
        Range(asked.ShareReadPerMonth, 1e6, "shareReadPerMonth");
        Range(asked.MostWaitHours, 1e6, "mostWaitHours");
        if (asked.GoneAfterDays is < 1 or > 1_000_000)
            problems.Add(new("out-of-range", "$.goneAfterDays", "'goneAfterDays' must be from 1 to 1,000,000; leave it out for never."));
        if (asked.Region is { } region && book.FindRegion(region) is null)
            problems.Add(new("unknown-reference", "$.region", $"There is no region '{region}'; leave it out for any."));
        return problems;
    }

    private static bool Survives(Scheme scheme, Spread part)
    {
        var placement = Placement.Of(scheme);
        return part switch
            {
                Spread.Region => placement.RegionsSurvived,
                Spread.Zone => placement.ZonesSurvived,
                Spread.Rack => placement.RacksSurvived,
                _ => placement.DevicesSurvived,
            } > 0;
    }

    /// <summary>The bucket is alone, so that it fills every price's bands itself.</summary>
    private static IReadOnlyList<PricedTerm> FifthYear(Estate estate, Bucket bucket) =>
        PricedTerm.OfLastYear(Projection.Of(estate.Alone(bucket), Months), 0);

    private static Bucket Bucket(Estate estate, StorageQuestions asked, string region, string tier, string scheme) =>
        new()
        {
            Name = FreeName(estate),
            Region = region,
            Tier = tier,
            Scheme = scheme,
            Streams =
                asked.ObjectsPerDay == 0
                    ? []
                    : [new ObjectStream { ObjectsPerDay = asked.ObjectsPerDay, BytesPerObject = asked.BytesPerObject }],
            Reads =
                asked.ShareReadPerMonth == 0
                    ? []
                    : [new ReadBand { FromAge = 0, ShareOfObjectsPerDay = asked.ShareReadPerMonth * 12 / 365 }],
            Rules = asked.GoneAfterDays is { } days ? [new LifecycleRule { Id = "expiry", ExpireAt = days }] : [],
        };

    private static string FreeName(Estate estate)
    {
        var n = estate.Buckets.Count + 1;
        while (estate.Find($"bucket-{n}") is not null)
            n++;
        return $"bucket-{n}";
    }

    private static IEnumerable<string> WhyKind(DataUse use) =>
        use switch
        {
            DataUse.WholeObjects =>
            [
                "What is written whole, read whole and never edited in place needs no more, and it is the only kind whose price falls "
                    + "as data ages.",
            ],
            DataUse.SharedFiles =>
            [
                "People open, edit and lock parts of files in place, which whole objects cannot do.",
                "The bucket below holds what the share puts away: what nobody edits any more, and its backups.",
            ],
            _ =>
            [
                "A machine writes small pieces anywhere on its disk, thousands of times a second, and waits for each.",
                "The bucket below is for the volume's backups, not for the volume.",
            ],
        };

    private static IEnumerable<string> WhyChoice(
        PriceBook book,
        StorageQuestions asked,
        List<Scheme> schemes,
        List<Tier> tiers,
        List<StorageChoice> choices
    )
    {
        if (schemes.Count == 0)
            yield return $"No scheme of the price book survives the loss of a {Name(asked.Survives)}: add one, or copy the bucket to "
                + "another region.";
        if (tiers.Count == 0)
            yield return $"No tier gives the first byte within {asked.MostWaitHours:0.##} hours.";
        if (choices.Count == 0)
            yield break;
        var best = choices[0];
        var tier = book.Tiers[book.Coldness(best.Tier)];
        yield return $"Of {choices.Count} choices that meet the demands, {tier.Name} in {book.FindRegion(best.Region)!.Name} costs "
            + "least in the fifth year, storage, requests and recalls together.";
        foreach (var slow in book.Tiers.Except(tiers))
            yield return $"{slow.Name} would be cheaper to store in, but the first byte takes {slow.WaitHours:0.##} hours.";
        if (asked.GoneAfterDays < tier.MinimumStayDays)
            yield return $"{tier.Name} charges for {tier.MinimumStayDays} days, and data goes after {asked.GoneAfterDays}: that is "
                + "counted in.";
        if (asked.BytesPerObject < tier.MinimumObjectBytes)
            yield return $"{tier.Name} bills every object as at least {tier.MinimumObjectBytes:#,0} bytes: bundle small ones first.";
        yield return $"{book.FindScheme(best.Scheme)!.Name} is the cheapest scheme that survives the loss of a {Name(asked.Survives)}.";
    }

    private static string Name(Spread part) => part.ToString().ToLowerInvariant();
}
