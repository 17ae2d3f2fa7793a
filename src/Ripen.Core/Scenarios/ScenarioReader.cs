using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Scenarios;

/// <summary>Which properties a scenario has in the estate document. Whether its assumptions fit the estate is looked at when they are
/// made.</summary>
internal static class ScenarioReader
{
    private const double MostTimes = 1e6;

    private static readonly string[] Kinds = ["growth", "reading", "prices", "offer", "priceBook", "place", "bucket", "plan", "packsAge"];

    /// <summary>Stands where none could be read, which is a problem by then.</summary>
    private static readonly Bucket Unread = new()
    {
        Name = "",
        Region = "",
        Scheme = "",
        Tier = "",
    };

    private static readonly (string, Charge)[] Charges =
    [
        .. Enum.GetValues<Charge>()
            .Where(c => c is not (Charge.EarlyLeave or Charge.Allowance or Charge.Discount))
            .Select(c => (c.Name(), c)),
    ];

    public static Scenario Scenario(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            Assumptions = o.List("assumptions", Assumption),
        };

    public static void Check(IReadOnlyList<Scenario> scenarios, string path, Findings findings)
    {
        Checks.Unique(scenarios, s => s.Id, i => $"{path}[{i}].id", "duplicate-id", findings);
        foreach (var (scenario, i) in Checks.Present(scenarios))
            Check(scenario, $"{path}[{i}]", findings);
    }

    public static void Check(Scenario scenario, string path, Findings findings)
    {
        foreach (var (of, i) in Checks.Present(scenario.Assumptions))
        {
            var at = $"{path}.assumptions[{i}]";
            object?[] all = [of.Growth, of.Reading, of.Prices, of.Offer, of.PriceBook, of.Place, of.Bucket, of.Plan, of.PacksAge];
            findings.Require(
                all.Count(a => a is not null) == 1,
                "not-one-assumption",
                at,
                $"An assumption is exactly one of: {string.Join(", ", Kinds)}; write several as entries of their own.",
                [.. Kinds.Select(k => $"{at}.{k}")]
            );
        }
    }

    private static Assumption Assumption(ObjectReader o) =>
        new()
        {
            Growth = o.Object("growth", Growth, optional: true),
            Reading = o.Object("reading", Reading, optional: true),
            Prices = o.Object("prices", Prices, optional: true),
            Offer = o.Has("offer") ? o.Id("offer") : null,
            PriceBook = o.Object("priceBook", EstateReader.PriceBook, optional: true),
            Place = o.Object("place", Place, optional: true),
            Bucket = o.Object("bucket", Bucket, optional: true),
            Plan = o.Object("plan", PlanReader.Plan, optional: true),
            PacksAge = o.Object(
                "packsAge",
                p => new PacksAssumption { Target = p.Id("target"), Steps = BucketReader.Steps(p) },
                optional: true
            ),
        };

    private static GrowthAssumption Growth(ObjectReader o) =>
        new()
        {
            Bucket = BucketName(o),
            Prefix = o.Text("prefix", ""),
            Arrivals = o.Number("arrivals", most: MostTimes, fallback: 1),
            YearlyGrowth = o.Number("yearlyGrowth", -Limits.YearlyGrowth, Limits.YearlyGrowth, fallback: 0),
        };

    private static ReadingAssumption Reading(ObjectReader o) =>
        new() { Bucket = BucketName(o), Times = o.Number("times", most: MostTimes) };

    private static PriceAssumption Prices(ObjectReader o) =>
        new()
        {
            From = o.Optional("from", n => o.Date(n)),
            Region = o.Has("region") ? o.Id("region") : null,
            Tier = o.Has("tier") ? o.Id("tier") : null,
            Charge = o.Optional("charge", n => o.Choice(n, Charges)),
            Times = o.Number("times", most: MostTimes),
        };

    private static PlaceAssumption Place(ObjectReader o) =>
        new()
        {
            Bucket = BucketName(o),
            Region = o.Has("region") ? o.Id("region") : null,
            Scheme = o.Has("scheme") ? o.Id("scheme") : null,
            Tier = o.Has("tier") ? o.Id("tier") : null,
        };

    private static BucketAssumption Bucket(ObjectReader o) =>
        new() { Stated = o.Date("stated"), As = o.Object("as", BucketReader.Bucket) ?? Unread };

    private static string? BucketName(ObjectReader o) => o.Has("bucket") ? o.Text("bucket") : null;
}
