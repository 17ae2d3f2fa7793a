using Ripen.Core.Pricing;
using static Ripen.Core.Estates.Checks;

namespace Ripen.Core.Estates;

/// <summary>What must hold of lifecycle rules, and of lots that are earlier versions.</summary>
internal static class LifecycleChecks
{
    public static void CheckRule(LifecycleRule rule, Bucket bucket, string bucketPath, string at, PriceBook prices, Findings findings)
    {
        findings.Require(
            rule.Steps.Count > 0 || rule.ExpireAt is not null,
            "empty-rule",
            at,
            "A rule needs a step or an expiry; add one or remove the rule.",
            $"{at}.steps",
            $"{at}.expireAt"
        );
        CheckVersions(rule, bucket, bucketPath, at, findings);
        foreach (var (step, i) in Present(rule.Steps))
        {
            EstateChecks.Offered(step.Tier, bucket, $"{at}.steps[{i}].tier", bucketPath, prices, findings);
            CheckAge(step, $"{at}.steps[{i}]", prices, findings);
            findings.Require(
                step.BundleTo is null || step.BundleTo >= rule.SmallestBytes,
                "bundle-too-small",
                $"{at}.steps[{i}].bundleTo",
                $"The rule leaves objects below {rule.SmallestBytes} bytes where they are, its bundles too; bundle into no fewer.",
                $"{at}.smallestBytes"
            );
        }
        var byAge = Present(rule.Steps).OrderBy(s => s.Item.Age).ToList();
        for (var i = 1; i < byAge.Count; i++)
        {
            var (earlier, before) = byAge[i - 1];
            var (later, now) = byAge[i];
            string[] about =
            [
                $"{at}.steps[{before}].age",
                $"{at}.steps[{before}].tier",
                $"{at}.steps[{now}].age",
                $"{at}.steps[{now}].tier",
            ];
            if (earlier.Age == later.Age)
            {
                findings.Require(
                    false,
                    "duplicate-age",
                    $"{at}.steps[{now}].age",
                    $"Two steps are at age {later.Age}; give them different ages or keep one.",
                    about
                );
            }
            else
            {
                var (warm, cold) = (Place(earlier.Tier), Place(later.Tier));
                findings.Require(
                    warm < 0 || cold < 0 || warm < cold,
                    "warming-step",
                    $"{at}.steps[{now}].tier",
                    $"The step at age {later.Age} must go to a tier colder than '{earlier.Tier}', which objects reach at age "
                        + $"{earlier.Age}.",
                    about
                );
            }
        }

        // Unreadable tiers are null here, unlike in a valid price book.
        int Place(string tier) => prices.Tiers.Select((t, i) => t?.Id == tier ? i : -1).DefaultIfEmpty(-1).Max();
    }

    /// <summary>What a rule says of versions, of sizes and of reading.</summary>
    private static void CheckVersions(LifecycleRule rule, Bucket bucket, string bucketPath, string at, Findings findings)
    {
        var isEarlier = rule.Applies == VersionKind.Earlier;
        findings.Require(
            !isEarlier || bucket.Versioning,
            "needs-versioning",
            $"{at}.applies",
            $"'{bucket.Name}' keeps no earlier versions; switch versioning on, or apply the rule to current ones.",
            $"{bucketPath}.versioning"
        );
        findings.Require(
            rule.KeepNewest == 0 || (isEarlier && bucket.Versioning),
            "needs-versioning",
            $"{at}.keepNewest",
            "'keepNewest' spares earlier versions: it wants \"applies\": \"earlier\" and a bucket with versioning.",
            $"{at}.applies",
            $"{bucketPath}.versioning"
        );
        findings.Require(
            rule.LargestBytes is null || rule.LargestBytes >= rule.SmallestBytes,
            "size-order",
            $"{at}.largestBytes",
            "'largestBytes' must not be below 'smallestBytes'.",
            $"{at}.smallestBytes"
        );
        findings.Require(
            !isEarlier || !Present(rule.Steps).Any(s => s.Item.Clock == StepClock.Read),
            "clock-of-earlier",
            $"{at}.steps",
            "Only current versions are read; steps of earlier versions count from the day on which they were superseded.",
            $"{at}.applies"
        );
        findings.Require(
            !rule.BackOnRead || Present(rule.Steps).Any(s => s.Item.Clock == StepClock.Read),
            "back-without-reading",
            $"{at}.backOnRead",
            "'backOnRead' wants a step by reading in the same rule.",
            $"{at}.steps"
        );
    }

    private static void CheckAge(Step step, string at, PriceBook prices, Findings findings)
    {
        var least = Present(prices.Tiers).Select(t => t.Item).FirstOrDefault(t => t.Id == step.Tier)?.LeastAge;
        var needed = step.Clock == StepClock.Read ? least?.Read ?? 0 : least?.Created ?? 0;
        var clock = step.Clock == StepClock.Read ? "the last reading" : "creation";
        findings.Require(
            step.Age >= needed,
            "below-least-age",
            $"{at}.age",
            $"'{step.Tier}' takes nothing before day {needed} from {clock}; the nearest age that works is {needed}.",
            $"{at}.tier",
            $"{at}.clock"
        );
    }

    public static void CheckVersion(Lot lot, Bucket bucket, string at, string bucketPath, DateOnly today, Findings findings)
    {
        findings.Require(
            !lot.Earlier || bucket.Versioning,
            "needs-versioning",
            $"{at}.earlier",
            $"'{bucket.Name}' keeps no earlier versions; switch versioning on.",
            $"{bucketPath}.versioning"
        );
        findings.Require(
            lot.Earlier == lot.SupersededOn is not null,
            "superseded-on",
            $"{at}.supersededOn",
            lot.Earlier ? "Say on which day the earlier version was superseded." : "Only an earlier version was superseded.",
            $"{at}.earlier"
        );
        findings.Require(
            lot.SupersededOn is not { } on || (lot.Created <= on && on <= today),
            "date-order",
            $"{at}.supersededOn",
            "'supersededOn' lies from 'created' to the estate's 'today'.",
            $"{at}.created",
            "$.today"
        );
        findings.Require(
            lot.LastRead is not { } read || (lot.Created <= read && read <= today),
            "date-order",
            $"{at}.lastRead",
            "'lastRead' lies from 'created' to the estate's 'today'.",
            $"{at}.created",
            "$.today"
        );
        findings.Require(
            lot.ReplacedOn is null || (lot.RewriteEvery is not null && !lot.Earlier),
            "replaced-on",
            $"{at}.replacedOn",
            "'replacedOn' is for current versions, and wants 'rewriteEvery' beside it.",
            $"{at}.rewriteEvery",
            $"{at}.earlier"
        );
    }
}
