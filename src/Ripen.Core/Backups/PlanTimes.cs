using NodaTime;
using NodaTime.TimeZones;

namespace Ripen.Core.Backups;

/// <summary>At which instants plans' runs of workloads with a source are due: on due days, at times of day of a time zone.</summary>
public static class PlanTimes
{
    public const int HoursADay = 24;

    private static readonly IDateTimeZoneProvider Zones = DateTimeZoneProviders.Tzdb;

    public static bool IsZone(string id) => Zones.GetZoneOrNull(id) is not null;

    /// <summary>By name, as the time zone database has them.</summary>
    public static IReadOnlyList<string> AllZones => Zones.Ids;

    /// <summary>The longest time from one run to the next, in hours, of a plan that runs every day at these times of day.</summary>
    public static double LongestApart(IReadOnlyList<TimeOnly> times)
    {
        var hours = times.Count == 0 ? [0] : times.Select(t => t.ToTimeSpan().TotalHours).ToList();
        return hours.Zip(hours.Skip(1).Append(hours[0] + HoursADay)).Max(p => p.Second - p.First);
    }

    /// <summary>
    /// Instants in (<paramref name="after"/>, <paramref name="until"/>], ascending. A time of day that a zone's clocks skip is as much later as
    /// they are put forward; one that they show twice is the first of the two.
    /// </summary>
    /// <param name="plan">Its first day stated; a paused one is never due.</param>
    /// <param name="every">The plan's cadence, or a copy's.</param>
    /// <param name="after">Not itself.</param>
    /// <param name="until">Itself too.</param>
    public static IEnumerable<DateTimeOffset> Due(BackupPlan plan, Cadence every, DateTimeOffset after, DateTimeOffset until)
    {
        if (plan.Paused || plan.From is not { } from)
            yield break;
        var zone = plan.Zone is { } id ? Zones[id] : DateTimeZone.Utc;
        var first = DayOf(after, zone);
        var last = DayOf(until, zone);
        IReadOnlyList<TimeOnly> times = plan.At.Count > 0 ? plan.At : [TimeOnly.MinValue];
        for (var day = first > from ? first : from; day <= last; day = day.AddDays(1))
        {
            if (!every.IsDue(day, from))
                continue;
            foreach (var time in times)
            {
                var local = LocalDateTime.FromDateTime(day.ToDateTime(time));
                var at = zone.ResolveLocal(local, Resolvers.LenientResolver).ToDateTimeOffset().ToUniversalTime();
                if (at > after && at <= until)
                    yield return at;
            }
        }
    }

    private static DateOnly DayOf(DateTimeOffset instant, DateTimeZone zone) =>
        Instant.FromDateTimeOffset(instant).InZone(zone).Date.ToDateOnly();
}
