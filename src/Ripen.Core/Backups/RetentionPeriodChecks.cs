using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>What an organisation's list of retention periods must be like.</summary>
internal static class RetentionPeriodChecks
{
    private const int LongestName = 100;
    private const int LongestReason = 500;

    public static void Check(IReadOnlyList<RetentionPeriod> periods, string path, Findings findings)
    {
        foreach (var (period, i) in Checks.Present(periods))
        {
            var at = $"{path}[{i}]";
            findings.Require(
                period.Name.Trim().Length is > 0 and <= LongestName,
                "out-of-range",
                $"{at}.name",
                $"What a period is for has 1 to {LongestName} characters."
            );
            findings.Require(
                periods.Take(i).All(p => p?.Name != period.Name),
                "duplicate-name",
                $"{at}.name",
                $"'{period.Name}' is in the list already."
            );
            findings.Require(period.Days is null != period.Months is null, "one-of", at, "Say how long in one way: 'days' or 'months'.");
            findings.Require(
                (period.Because?.Length ?? 0) <= LongestReason,
                "out-of-range",
                $"{at}.because",
                $"A reason has {LongestReason} characters at most."
            );
        }
    }
}
