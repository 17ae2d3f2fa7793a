using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Ageing;
using Ripen.Core.Forecasting;
using Ripen.Provider;
using Ripen.Provider.Replication;
using Ripen.Server.Http;

namespace Ripen.Server.Estates;

/// <summary>The age axis that all strips share: where log-like positions bend, the age at its end, and the first day of each histogram
/// bin.</summary>
public sealed record AgeAxis(double Knee, int Oldest, IReadOnlyList<int> BinStarts)
{
    internal static readonly AgeAxis OfAll = new(AgeBins.Knee, AgeBins.Oldest, AgeBins.Starts);
}

/// <summary>A bucket on a day. <see cref="MonthCost"/> is for the calendar month of that day, <see cref="Trend"/> for every month to the
/// horizon, as exactly as a line can be drawn.</summary>
public sealed record BoardRow(
    string Name,
    string Region,
    string Scheme,
    string? Tenant,
    string Tier,
    AgeStrip Strip,
    IReadOnlyList<TierContents> Contents,
    double Objects,
    double Bytes,
    double MonthCost,
    IReadOnlyList<float> Trend,
    IReadOnlyList<BucketMark> Marks
);

/// <summary>A stretch of the buckets that match, in order.</summary>
/// <param name="Day">The as-of day.</param>
/// <param name="Projected">Whether it lies after the estate's today.</param>
/// <param name="Month">That holds the day.</param>
/// <param name="Axis">That all strips share.</param>
/// <param name="InAll">Buckets of the estate.</param>
/// <param name="Matching">Buckets that match.</param>
/// <param name="Objects">Of those that match, as all sums here.</param>
/// <param name="Bytes">Theirs.</param>
/// <param name="MonthCost">Theirs; where all match, with what is agreed for the estate.</param>
/// <param name="Agreed">What of it is agreed.</param>
/// <param name="Trend">The same by month to the horizon.</param>
/// <param name="Offset">Of the first row among those that match.</param>
/// <param name="Buckets">The rows.</param>
public sealed record Board(
    DateOnly Day,
    bool Projected,
    Month Month,
    AgeAxis Axis,
    int InAll,
    int Matching,
    double Objects,
    double Bytes,
    double MonthCost,
    double Agreed,
    IReadOnlyList<double> Trend,
    int Offset,
    IReadOnlyList<BoardRow> Buckets
);

/// <summary>One bucket as the board shows it, with the axis of its strip.</summary>
public sealed record BucketOnBoard(DateOnly Day, bool Projected, Month Month, AgeAxis Axis, BoardRow Row);

internal static class BoardEndpoint
{
    /// <summary>What a question asks for, worked out; or why it cannot be asked.</summary>
    private sealed record Answer(EstateView View, BoardFigures Figures, List<int> Found, IReadOnlySet<string> Late);

    public static async Task<Results<Ok<Board>, ProblemHttpResult>> Read(
        CurrentEstate current,
        SimulatedProvider provider,
        [AsParameters] BoardQuery query,
        CancellationToken cancel
    )
    {
        var (wrong, answer) = await Ask(current, provider, query, cancel);
        if (answer is null)
            return wrong!;
        var (view, figures, found, late) = answer;
        var trend = figures.MoneyOf(found);
        return TypedResults.Ok(
            new Board(
                figures.Day,
                figures.Day > view.Estate.Today,
                Month.Of(figures.Day),
                AgeAxis.OfAll,
                view.Estate.Buckets.Count,
                found.Count,
                found.Sum(i => figures.Contents[i].Objects),
                found.Sum(i => figures.Contents[i].Bytes),
                trend[figures.Month],
                found.Count == view.Estate.Buckets.Count ? figures.Agreed : 0,
                trend,
                query.Offset,
                [.. found.Skip(query.Offset).Take(query.Limit).Select(i => Row(view, figures, i, late))]
            )
        );
    }

    public static async Task<Results<Ok<IReadOnlyList<string>>, ProblemHttpResult>> Names(
        CurrentEstate current,
        SimulatedProvider provider,
        [AsParameters] BoardQuery query,
        CancellationToken cancel
    )
    {
        var (wrong, answer) = await Ask(current, provider, query, cancel);
        return answer is null
            ? wrong!
            : TypedResults.Ok<IReadOnlyList<string>>([.. answer.Found.Select(i => answer.View.Estate.Buckets[i].Name)]);
    }

    private static async Task<(ProblemHttpResult? Wrong, Answer? Answer)> Ask(
        CurrentEstate current,
        SimulatedProvider provider,
        BoardQuery query,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return (Problems.NoEstate(), null);
        if (Wrong(query, view) is { } wrong)
            return (wrong, null);
        if (NamedValues.Read<BoardOrder>(query.Sort) is not { } order)
            return (Problems.Invalid("unknown-value", "?sort", $"There is no order '{query.Sort}'."), null);
        var marks = new List<BucketMark>();
        foreach (var state in query.State ?? [])
        {
            if (NamedValues.Read<BucketMark>(state) is not { } mark)
                return (Problems.Invalid("unknown-value", "?state", $"There is no state '{state}'."), null);
            marks.Add(mark);
        }
        var late = LateSources(view, provider);
        var figures = view.Figures(query.Months, query.On ?? view.Estate.Today);
        return (null, new Answer(view, figures, figures.Find(query, marks, order, late), late));
    }

    public static async Task<Results<Ok<BucketOnBoard>, ProblemHttpResult>> ReadOne(
        string name,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel,
        [Description("The as-of day, from the estate's today to the horizon.")] DateOnly? on = null
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (Wrong(new BoardQuery { On = on }, view) is { } wrong)
            return wrong;
        if (view.Estate.Buckets.Select((b, i) => (b.Name, Place: i)).FirstOrDefault(b => b.Name == name) is not { Name: not null } found)
            return Problems.NoBucket(name);
        var figures = view.Figures(Horizon.Default, on ?? view.Estate.Today);
        return TypedResults.Ok(
            new BucketOnBoard(
                figures.Day,
                figures.Day > view.Estate.Today,
                Month.Of(figures.Day),
                AgeAxis.OfAll,
                Row(view, figures, found.Place, LateSources(view, provider))
            )
        );
    }

    private static ProblemHttpResult? Wrong(BoardQuery query, EstateView view)
    {
        if (Horizon.Check(query.Months) is { } wrong)
            return wrong;
        var last = Horizon.LastDay(view.Estate.Today, query.Months);
        if (query.On is { } day && (day < view.Estate.Today || day > last))
        {
            return Problems.Invalid(
                "out-of-range",
                "?on",
                $"The as-of day must lie between {view.Estate.Today:yyyy-MM-dd} and {last:yyyy-MM-dd}."
            );
        }
        return query.Offset < 0 ? Problems.Invalid("out-of-range", "?offset", "The offset is 0 or more.")
            : query.Limit is < 1 or > BoardQuery.MostRows
                ? Problems.Invalid("out-of-range", "?limit", $"The limit is from 1 to {BoardQuery.MostRows}.")
            : null;
    }

    private static BoardRow Row(EstateView view, BoardFigures figures, int i, IReadOnlySet<string> late)
    {
        var (bucket, contents) = (view.Estate.Buckets[i], figures.Contents[i]);
        return new BoardRow(
            bucket.Name,
            bucket.Region,
            bucket.Scheme,
            bucket.Tenant,
            bucket.Tier,
            AgeStrip.Of(bucket, view.Estate.PriceBook, view.Estate.Today),
            contents.Tiers,
            contents.Objects,
            contents.Bytes,
            figures.Money[i][figures.Month],
            Array.ConvertAll(figures.Money[i], m => (float)m),
            [.. figures.MarksOf(i, late)]
        );
    }

    private static IReadOnlySet<string> LateSources(EstateView view, SimulatedProvider provider) =>
        view.LateSources(
            provider.Clock.Now,
            () => provider.Copies.Rules().Where(r => r.Standing == CopyStanding.Late).Select(r => r.Bucket).ToHashSet()
        );
}
