using System.Text.RegularExpressions;
using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Pricing;
using Ripen.Core.Scenarios;
using static Ripen.Core.Estates.Checks;

namespace Ripen.Core.Estates;

/// <summary>What must hold between the parts of an estate: unique names, references that lead somewhere, orders that rise.</summary>
internal static partial class EstateChecks
{
    public static void Check(Estate estate, Findings findings)
    {
        PriceBookChecks.Check(estate.PriceBook, estate.Today, "$.priceBook", findings);
        Unique(estate.Buckets, b => b.Name, i => $"$.buckets[{i}].name", "duplicate-name", findings);
        var buckets = Present(estate.Buckets).Select(b => b.Item).ToList();
        foreach (var (bucket, i) in Present(estate.Buckets))
        {
            CheckBucket(bucket, $"$.buckets[{i}]", estate.PriceBook, estate.Today, buckets, findings);
        }
        BackupChecks.Check(estate, findings);
        ArrayChecks.Check(estate.Arrays, "$.arrays", estate, findings);
        PriceBookChecks.CheckOffers(estate.Offers, "$.offers", findings);
        ScenarioReader.Check(estate.Scenarios, "$.scenarios", findings);
    }

    /// <param name="bucket">The bucket to check.</param>
    /// <param name="path">Its JSON path.</param>
    /// <param name="prices">The price book that it must fit.</param>
    /// <param name="today">The day on which its stock was counted.</param>
    /// <param name="buckets">All buckets, this one among them.</param>
    /// <param name="findings">Where problems go.</param>
    public static void CheckBucket(
        Bucket bucket,
        string path,
        PriceBook prices,
        DateOnly today,
        IReadOnlyList<Bucket> buckets,
        Findings findings
    )
    {
        findings.Require(
            NameShape().IsMatch(bucket.Name),
            "invalid-name",
            $"{path}.name",
            $"'{bucket.Name}' cannot be a bucket's name; use 3 to 63 lower-case letters, digits and hyphens, and begin and end with a "
                + "letter or digit."
        );
        Tenants.Check(bucket.Tenant, $"{path}.tenant", findings);
        Refer(bucket.Region, prices.Regions.Any(r => r?.Id == bucket.Region), "region", $"{path}.region", findings);
        Refer(bucket.Scheme, prices.Schemes.Any(s => s?.Id == bucket.Scheme), "scheme", $"{path}.scheme", findings);
        Offered(bucket.Tier, bucket, $"{path}.tier", path, prices, findings);
        var scheme = Present(prices.Schemes).Select(s => s.Item).FirstOrDefault(s => s.Id == bucket.Scheme);
        var devices = Present(prices.Regions).Select(r => r.Item).FirstOrDefault(r => r.Id == bucket.Region)?.Devices ?? [];
        findings.Require(
            scheme?.DeviceClass is not { } wanted || devices.Count == 0 || devices.Any(d => d?.Id == wanted),
            "no-such-devices",
            $"{path}.scheme",
            $"The scheme lies on devices of the class '{scheme?.DeviceClass}', and '{bucket.Region}' has none; choose another scheme, or add "
                + "them to the region.",
            $"{path}.region"
        );

        foreach (var (lot, i) in Present(bucket.Stock))
        {
            var at = $"{path}.stock[{i}]";
            Offered(lot.Tier, bucket, $"{at}.tier", path, prices, findings);
            findings.Require(
                lot.Created <= today,
                "date-order",
                $"{at}.created",
                "'created' must not be later than the estate's 'today'.",
                "$.today"
            );
            findings.Require(
                lot.Created <= lot.InTierSince,
                "date-order",
                $"{at}.inTierSince",
                "'inTierSince' must not be earlier than 'created'.",
                $"{at}.created"
            );
            findings.Require(
                lot.InTierSince <= today || lot.Created > today,
                "date-order",
                $"{at}.inTierSince",
                "'inTierSince' must not be later than the estate's 'today'.",
                "$.today",
                $"{at}.created"
            );
            LifecycleChecks.CheckVersion(lot, bucket, at, path, today, findings);
        }
        foreach (var (stream, i) in Present(bucket.Streams))
        {
            findings.Require(
                stream.ReplacedAfterDays is null || bucket.Versioning || bucket.Keep is null,
                "kept-and-replaced",
                $"{path}.streams[{i}].replacedAfterDays",
                "What is kept cannot be overwritten: switch versioning on, so that the earlier version stays, or drop the retention.",
                $"{path}.keep",
                $"{path}.versioning"
            );
        }
        Rises(bucket.Reads, r => r.FromAge, i => $"{path}.reads[{i}].fromAge", "'fromAge' must rise from entry to entry.", findings);

        Unique(bucket.Rules, r => r.Id, i => $"{path}.rules[{i}].id", "duplicate-id", findings);
        foreach (var (rule, i) in Present(bucket.Rules))
            LifecycleChecks.CheckRule(rule, bucket, path, $"{path}.rules[{i}]", prices, findings);

        if (bucket.Keep is { } keep)
            CheckKeep(keep, $"{path}.keep", findings);
        CheckHolds(bucket.Holds, $"{path}.holds", findings);
        foreach (var (copy, i) in Present(bucket.CopyTo))
        {
            var at = $"{path}.copyTo[{i}]";
            Refer(copy.Bucket, buckets.Any(b => b.Name == copy.Bucket), "bucket", $"{at}.bucket", findings);
            findings.Require(
                copy.Bucket != bucket.Name,
                "self-copy",
                $"{at}.bucket",
                "A bucket cannot copy to itself; name another bucket.",
                $"{path}.name"
            );
            CheckCopy(copy, bucket, at, path, prices, today, buckets.FirstOrDefault(b => b.Name == copy.Bucket), findings);
        }
    }

    private static void CheckCopy(
        CopyRule copy,
        Bucket from,
        string at,
        string path,
        PriceBook prices,
        DateOnly today,
        Bucket? to,
        Findings findings
    )
    {
        if (to is not null && copy.Tier is { } tier)
            Offered(tier, to, $"{at}.tier", path, prices, findings);
        findings.Require(
            !copy.FollowDeletions || (from.Versioning && to is not { Versioning: false }),
            "needs-versioning",
            $"{at}.followDeletions",
            $"Deletions follow only where both sides keep versions; switch versioning on for '{from.Name}' and '{copy.Bucket}'.",
            $"{path}.versioning"
        );
        foreach (var (lot, i) in Present(copy.Waiting))
        {
            var lotAt = $"{at}.waiting[{i}]";
            findings.Require(
                lot.Created <= lot.Since,
                "date-order",
                $"{lotAt}.since",
                "'since' must not be earlier than 'created'.",
                $"{lotAt}.created"
            );
            findings.Require(
                lot.Since <= today,
                "date-order",
                $"{lotAt}.since",
                "'since' must not be later than the estate's 'today'.",
                "$.today",
                $"{lotAt}.created"
            );
        }
    }

    /// <summary>What lies in a bucket, and what other buckets copy there, must have a price where the bucket is to be, and keep the
    /// versions that they count on.</summary>
    public static void CheckHeld(Bucket bucket, Estate estate, Findings findings)
    {
        if (estate.PriceBook.FindRegion(bucket.Region) is not { } region)
            return;
        foreach (var (from, rule) in estate.CopiedInto(bucket.Name))
        {
            findings.Require(
                rule.Tier is null || region.PriceOf(rule.Tier) is not null,
                "not-offered",
                "$.region",
                $"Copies from '{from.Name}' land in tier '{rule.Tier}', which has no price in region '{bucket.Region}'; change that "
                    + "replication rule first, or choose another region."
            );
            findings.Require(
                !rule.FollowDeletions || bucket.Versioning,
                "needs-versioning",
                "$.versioning",
                $"Deletions in '{from.Name}' follow into this bucket, which needs its versions; change that replication rule first."
            );
        }
        foreach (var tier in bucket.Stock.Select(l => l.Tier).Distinct().Where(t => region.PriceOf(t) is null))
        {
            findings.Require(
                false,
                "not-offered",
                "$.region",
                $"Objects lie in tier '{tier}' here, which has no price in region '{bucket.Region}'; move them to another tier first, "
                    + "or choose another region."
            );
        }
    }

    public static void CheckHolds(IReadOnlyList<Hold> holds, string path, Findings findings)
    {
        Unique(holds, h => h.Id, i => $"{path}[{i}].id", "duplicate-id", findings);
        foreach (var (hold, i) in Present(holds))
        {
            findings.Require(
                hold.Released is null || hold.Placed <= hold.Released,
                "date-order",
                $"{path}[{i}].released",
                "'released' must not be earlier than 'placed'.",
                $"{path}[{i}].placed"
            );
        }
    }

    public static void CheckKeep(KeepRule keep, string path, Findings findings) =>
        findings.Require(
            keep.Days is null != keep.Until is null,
            "keep-period",
            path,
            "Write either 'days' or 'until', one of the two.",
            $"{path}.days",
            $"{path}.until"
        );

    public static void Offered(string tier, Bucket bucket, string at, string bucketPath, PriceBook prices, Findings findings)
    {
        var known = prices.Tiers.Any(t => t?.Id == tier);
        Refer(tier, known, "tier", at, findings);
        var region = prices.Regions.FirstOrDefault(r => r?.Id == bucket.Region);
        findings.Require(
            !known || region is null || region.Prices.Any(p => p?.Tier == tier),
            "not-offered",
            at,
            $"Tier '{tier}' has no price in region '{bucket.Region}'; choose a tier that is offered there or add its price.",
            "$.priceBook.regions",
            $"{bucketPath}.region"
        );
    }

    [GeneratedRegex("^[a-z0-9][a-z0-9-]{1,61}[a-z0-9]\\z")]
    private static partial Regex NameShape();
}
