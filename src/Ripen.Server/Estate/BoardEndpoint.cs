using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Ageing;
using Ripen.Core.Forecasting;
using Ripen.Server.Http;

namespace Ripen.Server.Estates;

/// <summary>The age axis that all strips share: where log-like positions bend, the age at its end, and the first day of each histogram
/// bin.</summary>
public sealed record AgeAxis(double Knee, int Oldest, IReadOnlyList<int> BinStarts);

/// <summary>A bucket on a day. <see cref="MonthCost"/> is for the calendar month of that day, <see cref="Trend"/> for every month to the
/// horizon, as exactly as a line can be drawn.</summary>
public sealed record BoardRow(
    string Name,
    string Region,
    string Scheme,
    string Tier,
    AgeStrip Strip,
    IReadOnlyList<TierContents> Contents,
    double Objects,
    double Bytes,
    double MonthCost,
    IReadOnlyList<float> Trend
);

public sealed record Board(
    DateOnly Day,
    bool Projected,
    Month Month,
    IReadOnlyList<Month> Months,
    AgeAxis Axis,
    double Objects,
    double Bytes,
    double MonthCost,
    IReadOnlyList<double> Trend,
    IReadOnlyList<BoardRow> Buckets
);

internal static class BoardEndpoint
{
    public static async Task<Results<Ok<Board>, ProblemHttpResult>> Read(
        CurrentEstate current,
        CancellationToken cancel,
        [Description("The as-of day, from the estate's today to the horizon.")] DateOnly? on = null,
        [Description("The horizon in calendar months, 1 to 360.")] int months = Horizon.Default
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (Horizon.Check(months) is { } wrong)
            return wrong;
        var projection = view.Project(months);
        var (estate, calendar) = (view.Estate, projection.Calendar);
        var day = on ?? estate.Today;
        var last = estate.Today.AddDays(calendar.Days - 1);
        if (day < estate.Today || day > last)
        {
            return Problems.Invalid(
                "out-of-range",
                "?on",
                $"The as-of day must lie between {estate.Today:yyyy-MM-dd} and {last:yyyy-MM-dd}."
            );
        }
        var month = calendar.MonthOf(day.DayNumber - estate.Today.DayNumber);
        var trends = projection.MoneyByBucket();
        var rows = estate
            .Buckets.AsParallel()
            .AsOrdered()
            .Select(
                (bucket, i) =>
                {
                    var contents = Snapshot.Of(bucket, estate, day, projection.Copies);
                    var trend = trends[i];
                    return new BoardRow(
                        bucket.Name,
                        bucket.Region,
                        bucket.Scheme,
                        bucket.Tier,
                        AgeStrip.Of(bucket, estate.PriceBook, estate.Today),
                        contents.Tiers,
                        contents.Objects,
                        contents.Bytes,
                        trend[month],
                        Array.ConvertAll(trend, m => (float)m)
                    );
                }
            )
            .ToList();
        var total = Enumerable.Range(0, months).Select(m => trends.Sum(t => t[m])).ToArray();
        return TypedResults.Ok(
            new Board(
                day,
                day > estate.Today,
                Month.Of(day),
                [.. Enumerable.Range(0, months).Select(m => Month.Of(calendar.Date(m)))],
                new AgeAxis(AgeBins.Knee, AgeBins.Oldest, AgeBins.Starts),
                rows.Sum(r => r.Objects),
                rows.Sum(r => r.Bytes),
                total[month],
                total,
                rows
            )
        );
    }
}
