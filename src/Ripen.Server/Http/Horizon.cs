using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Forecasting;

namespace Ripen.Server.Http;

/// <summary>How far the screens look ahead, in calendar months.</summary>
internal static class Horizon
{
    public const int Default = 120;
    private const int Longest = 360;

    /// <summary>Every calendar month of the screens' horizon, the first being that of <paramref name="today"/>.</summary>
    public static IReadOnlyList<Month> Months(DateOnly today) =>
        [.. Enumerable.Range(0, Default).Select(m => Month.Of(today.AddMonths(m)))];

    /// <summary>The last day of the last of so many months.</summary>
    public static DateOnly LastDay(DateOnly today, int months) => new DateOnly(today.Year, today.Month, 1).AddMonths(months).AddDays(-1);

    public static ProblemHttpResult? Check(int months) =>
        months is >= 1 and <= Longest
            ? null
            : Problems.Invalid("out-of-range", "?months", $"The horizon must be from 1 to {Longest} months.");

    /// <summary>The estate, or why it cannot be looked at so far ahead, or at that bucket of it.</summary>
    public static async Task<(EstateView? View, ProblemHttpResult? Wrong)> Look(
        CurrentEstate current,
        int months,
        string? bucket,
        CancellationToken cancel
    )
    {
        if (Check(months) is { } wrong)
            return (null, wrong);
        if (await current.Get(cancel) is not { } view)
            return (null, Problems.NoEstate());
        return bucket is not null && view.Estate.Find(bucket) is null ? (null, Problems.NoBucket(bucket)) : (view, null);
    }
}
