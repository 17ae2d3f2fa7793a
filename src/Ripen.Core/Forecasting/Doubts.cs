using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Redundancy;
using Ripen.Core.Replication;

namespace Ripen.Core.Forecasting;

/// <summary>What is allowed in a valid bucket and yet probably not meant. Paths begin at the bucket.</summary>
public static class Doubts
{
    public static IReadOnlyList<Problem> Of(Bucket bucket, Estate estate)
    {
        var doubts = new List<Problem>();
        var prices = estate.PriceBook;
        string Name(string tier) => prices.Tiers[prices.Coldness(tier)].Name;
        for (var i = 0; i < bucket.Rules.Count; i++)
        {
            var rule = bucket.Rules[i];
            for (var j = 0; j < rule.Steps.Count; j++)
            {
                var (step, at) = (rule.Steps[j], $"$.rules[{i}].steps[{j}]");
                if (step.Age >= rule.ExpireAt)
                {
                    doubts.Add(
                        new(
                            "step-after-expiry",
                            $"{at}.age",
                            $"The step at day {step.Age} never happens: objects expire at day {rule.ExpireAt}."
                        )
                    );
                }
                if (prices.Coldness(step.Tier) <= prices.Coldness(bucket.Tier))
                {
                    doubts.Add(
                        new(
                            "step-not-colder",
                            $"{at}.tier",
                            $"{Name(step.Tier)} is no colder than {Name(bucket.Tier)}, where objects land; the step moves none of them."
                        )
                    );
                }
            }
            for (var k = 0; k < i; k++)
            {
                var other = bucket.Rules[k];
                if (rule.Applies == other.Applies && rule.Scope.Overlaps(other.Scope))
                {
                    doubts.Add(
                        new(
                            "rules-overlap",
                            $"$.rules[{i}]",
                            $"Rules '{other.Id}' and '{rule.Id}' cover the same objects; the coldest step and the earliest expiry count."
                        )
                    );
                }
            }
            if (bucket.Versioning && rule is { Applies: VersionKind.Current, ExpireAt: { } over } && !Goes(bucket, rule))
            {
                doubts.Add(
                    new(
                        "versions-never-go",
                        $"$.rules[{i}].expireAt",
                        $"'{bucket.Name}' keeps versions: what expires at day {over} becomes an earlier version and stays. Add a rule for "
                            + "earlier versions with an expiry, or switch versioning off, if it is to go."
                    )
                );
            }
            // Earlier versions are kept from creation and expire from the day on which they were superseded.
            if (rule.Applies == VersionKind.Earlier || bucket.Versioning)
                continue;
            if (rule.ExpireAt is { } age && bucket.Keep?.Days > age)
            {
                doubts.Add(
                    new(
                        "expiry-waits",
                        $"$.rules[{i}].expireAt",
                        $"Expiry at day {age} has to wait: retention holds every object until day {bucket.Keep.Days}."
                    )
                );
            }
            if (rule.ExpireAt is { } expiry && bucket.Keep?.Until is { } until && estate.Today.AddDays(expiry) < until)
            {
                doubts.Add(
                    new(
                        "expiry-waits",
                        $"$.rules[{i}].expireAt",
                        $"Expiry at day {expiry} has to wait for objects created before {until.AddDays(-expiry):yyyy-MM-dd}: the keep "
                            + $"rule holds everything until {until:yyyy-MM-dd}."
                    )
                );
            }
        }
        for (var i = 0; i < bucket.CopyTo.Count; i++)
            Copies(bucket, bucket.CopyTo[i], $"$.copyTo[{i}]", estate, doubts);
        var (region, scheme) = (prices.FindRegion(bucket.Region)!, prices.FindScheme(bucket.Scheme)!);
        var needed = Placement.Of(scheme).ZonesNeeded;
        if (region.Zones < needed)
        {
            doubts.Add(
                new(
                    "too-few-zones",
                    "$.scheme",
                    $"'{scheme.Name}' wants {needed} zones, and {region.Name} has {region.Zones}: the loss of one zone takes more "
                        + "than the scheme allows for."
                )
            );
        }
        foreach (var lane in AgeStrip.Of(bucket, prices, estate.Today).Lanes)
        {
            foreach (var stay in lane.ShortStays)
            {
                var where = lane.Prefix.Length == 0 ? "Objects" : $"Objects under '{lane.Prefix}'";
                doubts.Add(
                    new(
                        "minimum-stay",
                        "$.rules",
                        $"{where} stay {stay.StaysDays} days in {Name(stay.Tier)}, which charges for {stay.MinimumDays}: "
                            + $"{stay.MinimumDays - stay.StaysDays} days are paid for nothing."
                    )
                );
            }
        }
        return doubts;
    }

    /// <summary>Whether a rule for earlier versions lets go what the rule makes of current ones.</summary>
    private static bool Goes(Bucket bucket, LifecycleRule rule) =>
        bucket.Rules.Any(r =>
            r is { Applies: VersionKind.Earlier, ExpireAt: not null, KeepNewest: 0 } && r.Scope.Takes(rule.Prefix, rule.Tags)
        );

    private static void Copies(Bucket bucket, CopyRule rule, string at, Estate estate, List<Problem> doubts)
    {
        if (estate.Find(rule.Bucket) is not { } target)
            return;
        foreach (var side in new[] { bucket, target }.Where(b => !b.Versioning))
        {
            doubts.Add(
                new(
                    "copies-without-versions",
                    at,
                    $"'{side.Name}' keeps no versions: what is overwritten there is gone before anybody can compare; switch "
                        + "versioning on for both sides."
                )
            );
        }
        if (estate.PriceBook.FindTransfer(bucket.Region, target.Region) is not { MegabitsPerSecond: not null } line)
            return;
        var arriving = Backlog.Arriving(bucket, rule).Sum();
        if (arriving > line.BytesPerSecond)
        {
            doubts.Add(
                new(
                    "line-too-thin",
                    at,
                    $"The line from '{bucket.Region}' to '{target.Region}' carries "
                        + $"{Wording.Bytes(line.BytesPerSecond * 86400)} a day, and {Wording.Bytes(arriving * 86400)} arrive: the backlog never clears."
                )
            );
        }
    }
}
