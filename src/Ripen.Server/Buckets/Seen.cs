using System.Security.Cryptography;
using System.Text.Json;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Forecasting;
using Ripen.Server.Http;

namespace Ripen.Server.Buckets;

/// <summary>
/// Ties what is applied to what was shown: an answer about a draft bears a mark of its figures, and a change that sends the mark back is
/// refused when the figures are others by now. The log keeps the figures that the mark stands for.
/// </summary>
internal static class Seen
{
    /// <summary>Of the figures to a hundredth of a cent: the last digits of a sum depend on the way it was added up.</summary>
    public static string Mark(IReadOnlyList<YearChange> shown)
    {
        var figures = shown.Select(y =>
            new[] { y.BucketBefore, y.BucketAfter, y.EstateBefore, y.EstateAfter }.Select(money => Math.Round(money, 4))
        );
        return Convert.ToHexStringLower(SHA256.HashData(JsonSerializer.SerializeToUtf8Bytes(figures)))[..16];
    }

    /// <summary>Null when the mark is that of <paramref name="now"/>, or none was sent.</summary>
    public static ProblemHttpResult? Refusal(string? mark, IReadOnlyList<YearChange> now) =>
        mark is null || mark == Mark(now)
            ? null
            : Problems.Conflict(
                "shown-differs",
                "The consequences are no longer those that were shown, because the estate moved on meanwhile. Nothing was changed; look again."
            );
}
