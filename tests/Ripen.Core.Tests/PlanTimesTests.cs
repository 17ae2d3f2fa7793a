using System.Globalization;
using Ripen.Core.Backups;

namespace Ripen.Core.Tests;

/// <summary>
/// Against the summer time of the European Union (directive 2000/84/EC: it begins and ends at 01:00 UTC on the last Sundays of March and
/// October) and offsets of the IANA time zone database.
/// </summary>
public sealed class PlanTimesTests
{
    private static readonly BackupPlan Plan = new()
    {
        Id = "nightly",
        Workloads = ["files"],
        Target = "vault",
        From = new DateOnly(2026, 3, 1),
        Every = new Cadence { Days = 1 },
        Keep = new PointRetention { Days = 7 },
    };

    private static DateTimeOffset Utc(string text) =>
        DateTimeOffset.Parse(text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal);

    private static string[] Due(BackupPlan plan, string after, string until) =>
        [.. PlanTimes.Due(plan, plan.Every, Utc(after), Utc(until)).Select(d => $"{d.UtcDateTime:yyyy-MM-dd HH:mm}")];

    private static BackupPlan At(string zone, params string[] times) =>
        Plan with
        {
            Zone = zone,
            At = [.. times.Select(t => TimeOnly.ParseExact(t, "HH:mm", CultureInfo.InvariantCulture))],
        };

    [Fact]
    public void Without_times_it_is_due_when_its_day_begins() =>
        Assert.Equal(["2026-03-02 00:00", "2026-03-03 00:00"], Due(Plan, "2026-03-01 00:00", "2026-03-03 00:00"));

    [Fact]
    public void A_time_that_is_skipped_is_as_much_later_as_the_clocks_are_put_forward() =>
        // 28 March 02:30 is UTC+1, 29 March has no 02:30 (03:30 is UTC+2), from then on UTC+2.
        Assert.Equal(
            ["2026-03-28 01:30", "2026-03-29 01:30", "2026-03-30 00:30"],
            Due(At("Europe/Berlin", "02:30"), "2026-03-27 12:00", "2026-03-30 12:00")
        );

    [Fact]
    public void A_time_that_comes_twice_is_the_first_of_the_two() =>
        Assert.Equal(
            ["2026-10-24 00:30", "2026-10-25 00:30", "2026-10-26 01:30"],
            Due(At("Europe/Berlin", "02:30"), "2026-10-23 12:00", "2026-10-26 12:00")
        );

    [Fact]
    public void Days_are_those_of_the_zone() =>
        // Sunday 8 March 01:00 in Auckland (UTC+13) is Saturday noon in UTC.
        Assert.Equal(
            ["2026-03-07 12:00", "2026-03-14 12:00"],
            Due(
                At("Pacific/Auckland", "01:00") with
                {
                    Every = new Cadence { Weekdays = [DayOfWeek.Sunday] },
                },
                "2026-03-02 00:00",
                "2026-03-20 00:00"
            )
        );

    [Fact]
    public void Several_times_a_day_come_in_order_and_only_after_the_instant() =>
        // Kathmandu is UTC+5:45.
        Assert.Equal(
            ["2026-03-05 13:00", "2026-03-05 18:15", "2026-03-06 00:15"],
            Due(At("Asia/Kathmandu", "00:00", "06:00", "18:45"), "2026-03-05 00:15", "2026-03-06 00:15")
        );

    [Fact]
    public void Before_its_first_day_and_while_it_is_paused_it_is_never_due()
    {
        Assert.Equal(["2026-03-01 00:00"], Due(Plan, "2026-02-01 00:00", "2026-03-01 23:59"));
        Assert.Empty(Due(Plan with { Paused = true }, "2026-02-01 00:00", "2027-03-01 00:00"));
    }
}
