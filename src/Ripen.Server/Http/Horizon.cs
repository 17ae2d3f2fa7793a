using Microsoft.AspNetCore.Http.HttpResults;

namespace Ripen.Server.Http;

/// <summary>How far the screens look ahead, in calendar months.</summary>
internal static class Horizon
{
    public const int Default = 120;
    private const int Longest = 360;

    public static ProblemHttpResult? Check(int months) =>
        months is >= 1 and <= Longest
            ? null
            : Problems.Invalid("out-of-range", "?months", $"The horizon must be from 1 to {Longest} months.");
}
