using System.Text.Json;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;

namespace Ripen.Server.Scenarios;

/// <summary>What an estate costs under a scenario: as it stands first, then after each assumption; or what does not fit.</summary>
internal sealed record AssumedEstate(IReadOnlyList<ProjectedMoney> Chain, IReadOnlyList<Problem> Problems);

/// <summary>
/// One view's estate under scenarios: who changes one assumption, or looks from one scenario to the next, waits only for what is new. Of many
/// only the money is held; of the last one also what is used.
/// </summary>
internal sealed class AssumedEstates(EstateView view, CurrentEstate current)
{
    private readonly int most = Math.Clamp(200_000 / Math.Max(1, view.Estate.Buckets.Count), 8, 64);
    private readonly Lock looking = new();
    private readonly Dictionary<(string Assumptions, int Months), AssumedEstate> known = [];
    private readonly Dictionary<(string Offer, int Months), Checked<OfferMoney>> offered = [];
    private ((string Assumptions, int Months) Key, Projection Projection)? latest;

    public AssumedEstate Of(Scenario scenario, int months)
    {
        lock (looking)
            return Of(scenario.Assumptions, months);
    }

    public OfferMoney AsItStands(int months)
    {
        lock (looking)
            return OfferMoney.Of(Of([], months).Chain[0]);
    }

    /// <summary>The estate if one of its offers held, in the offer's currency; or why it cannot.</summary>
    public Checked<OfferMoney> Under(Offer offer, int months)
    {
        lock (looking)
        {
            if (offered.TryGetValue((offer.Id, months), out var known))
                return known;
            if (offered.Count >= most)
                offered.Clear();
            var under = offer.Of(view.Estate);
            return offered[(offer.Id, months)] = under.Ok
                ? new(OfferMoney.Of(ProjectedMoney.Of(view.Project(months).With(under.Value))))
                : new(under.Problems);
        }
    }

    /// <summary>The projection under a scenario, or what does not fit.</summary>
    public Checked<Projection> Project(Scenario scenario, int months)
    {
        lock (looking)
        {
            var assumed = Of(scenario.Assumptions, months);
            if (assumed.Problems.Count > 0)
                return new(assumed.Problems);
            var key = Key(scenario.Assumptions, months);
            if (Latest(key) is { } last)
                return new(last);
            var projection = view.Project(months).With(assumed.Chain[^1].Estate);
            latest = (key, projection);
            return new(projection);
        }
    }

    /// <summary>What would have to be changed to make a scenario come true, or what does not fit.</summary>
    public Checked<ScenarioParts> Parts(Scenario scenario)
    {
        var (estates, problems) = Assuming.Of(scenario, view.Estate, Hold);
        return problems.Count > 0 ? new(problems) : new(ScenarioParts.Of(view.Estate, estates.Count == 0 ? view.Estate : estates[^1]));
    }

    /// <summary>A bucket that an assumption before this one has made holds what that one said, and nothing that the provider knows of.</summary>
    private Bucket Hold(Bucket draft, Bucket held) =>
        view.Estate.Find(held.Name) is null ? draft with { Stock = held.Stock } : current.WithStock(draft, held);

    private AssumedEstate Of(IReadOnlyList<Assumption> assumptions, int months)
    {
        var key = Key(assumptions, months);
        if (known.TryGetValue(key, out var found))
            return found;
        var assumed =
            assumptions.Count == 0 ? new AssumedEstate([ProjectedMoney.Of(view.Project(months))], []) : Next(assumptions, months, key);
        if (known.Count >= most)
            known.Clear();
        return known[key] = assumed;
    }

    private AssumedEstate Next(IReadOnlyList<Assumption> assumptions, int months, (string, int) key)
    {
        var last = assumptions.Count - 1;
        IReadOnlyList<Assumption> others = [.. assumptions.Take(last)];
        var before = Of(others, months);
        if (before.Problems.Count > 0)
            return before;
        var after = Assuming.Of(assumptions[last], before.Chain[^1].Estate, $"$.assumptions[{last}]", Hold);
        if (!after.Ok)
            return new AssumedEstate(before.Chain, after.Problems);
        var projection = (Latest(Key(others, months)) ?? view.Project(months)).With(after.Value);
        latest = (key, projection);
        return new AssumedEstate([.. before.Chain, ProjectedMoney.Of(projection)], []);
    }

    private Projection? Latest((string, int) key) => latest is { } last && last.Key == key ? last.Projection : null;

    private static (string, int) Key(IReadOnlyList<Assumption> assumptions, int months) =>
        (JsonSerializer.Serialize(assumptions, EstateDocument.Json), months);
}
