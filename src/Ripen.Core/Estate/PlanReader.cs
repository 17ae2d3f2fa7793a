using Ripen.Core.Backups;

namespace Ripen.Core.Estates;

/// <summary>Which properties a backup plan has in the estate document, their types, ranges and defaults.</summary>
internal static class PlanReader
{
    private static readonly (string, DayOfWeek)[] Weekdays =
    [
        .. Enum.GetValues<DayOfWeek>().Select(d => (d.ToString().ToLowerInvariant(), d)),
    ];

    public static BackupPlan Plan(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Has("name") ? o.Text("name") : null,
            Workloads = o.Ids("workloads"),
            Target = o.Id("target"),
            From = o.Optional("from", n => o.Date(n)),
            Every = o.Object("every", Cadence) ?? Nothing,
            At = o.Times("at"),
            Zone = o.Has("zone") ? o.Text("zone") : null,
            WindowHours = o.Optional("windowHours", n => o.Number(n, 0, PlanTimes.HoursADay, above: true)),
            RehearseEveryDays = o.Optional("rehearseEveryDays", n => o.Days(n, least: 1)),
            Paused = o.Flag("paused"),
            Full = o.Object("full", f => new FullRuns { Every = (int)f.Whole("every", 1, 10_000) }, optional: true),
            Carrier = o.Has("carrier") ? o.Id("carrier") : null,
            Keep = o.Object("keep", Keep) ?? new PointRetention(),
            Copies = o.List("copies", Copy),
            Runs = o.List("runs", Runs),
        };

    private static readonly Cadence Nothing = new() { Days = 1 };

    private static PlanCopy Copy(ObjectReader o) =>
        new()
        {
            Target = o.Id("target"),
            Workloads = o.Has("workloads") ? o.Ids("workloads") : null,
            Every = o.Object("every", Cadence, optional: true),
            Carrier = o.Has("carrier") ? o.Id("carrier") : null,
            Keep = o.Object("keep", Keep) ?? new PointRetention(),
            Runs = o.List("runs", Runs),
        };

    private static Cadence Cadence(ObjectReader o) =>
        new()
        {
            Days = o.Optional("days", n => o.Days(n, least: 1)),
            Weekdays = o.Has("weekdays") ? o.Choices("weekdays", Weekdays) : null,
            MonthDay = o.Optional("monthDay", n => (int)o.Whole(n, 1, 31)),
        };

    private static PointRetention Keep(ObjectReader o) =>
        new()
        {
            Days = o.Optional("days", n => o.Days(n)),
            Months = o.Optional("months", n => o.Days(n, least: 1)),
            Until = o.Optional("until", n => o.Date(n)),
            Daily = o.Optional("daily", n => o.Days(n)),
            Weekly = o.Optional("weekly", n => o.Days(n)),
            Monthly = o.Optional("monthly", n => o.Days(n)),
            Yearly = o.Optional("yearly", n => o.Days(n)),
            Sealed = o.Flag("sealed"),
        };

    public static CarrierMachine Carrier(ObjectReader o) =>
        new()
        {
            Id = o.Id("id"),
            Name = o.Text("name"),
            Region = o.Id("region"),
            BytesPerSecond = o.Number("bytesPerSecond", most: Limits.Whole, above: true),
        };

    public static RetentionPeriod Period(ObjectReader o) =>
        new()
        {
            Name = o.Text("name"),
            Days = o.Optional("days", n => o.Days(n, least: 1)),
            Months = o.Optional("months", n => o.Days(n, least: 1)),
            Because = o.Has("because") ? o.Text("because") : null,
        };

    private static PastRuns Runs(ObjectReader o) => new() { Workload = o.Id("workload"), Days = o.Dates("days") };
}
