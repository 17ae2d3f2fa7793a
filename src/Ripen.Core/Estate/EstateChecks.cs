using System.Text.RegularExpressions;
using Ripen.Core.Pricing;

namespace Ripen.Core.Estates;

/// <summary>What must hold between the parts of an estate: unique names, references that lead somewhere, orders that rise.</summary>
internal static partial class EstateChecks
{
    public static void Check(Estate estate, Findings findings)
    {
        CheckPriceBook(estate.PriceBook, findings);
        Unique(estate.Buckets, b => b.Name, i => $"$.buckets[{i}].name", "duplicate-name", findings);
        var buckets = Present(estate.Buckets).Select(b => b.Item).ToList();
        foreach (var (bucket, i) in Present(estate.Buckets))
        {
            CheckBucket(bucket, $"$.buckets[{i}]", estate.PriceBook, estate.Today, buckets, findings);
        }
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
            $"'{bucket.Name}' cannot be a bucket's name; use 3 to 63 lower-case letters, digits and hyphens, and begin and end with a letter or digit."
        );
        Refer(bucket.Region, prices.Regions.Any(r => r?.Id == bucket.Region), "region", $"{path}.region", findings);
        Refer(bucket.Scheme, prices.Schemes.Any(s => s?.Id == bucket.Scheme), "scheme", $"{path}.scheme", findings);
        Offered(bucket.Tier, bucket, $"{path}.tier", path, prices, findings);

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
        }
        Rises(bucket.Reads, r => r.FromAge, i => $"{path}.reads[{i}].fromAge", "'fromAge' must rise from entry to entry.", findings);

        Unique(bucket.Rules, r => r.Id, i => $"{path}.rules[{i}].id", "duplicate-id", findings);
        foreach (var (rule, i) in Present(bucket.Rules))
            CheckRule(rule, bucket, path, $"{path}.rules[{i}]", prices, findings);

        if (bucket.Keep is { } keep)
            CheckKeep(keep, $"{path}.keep", findings);
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
        foreach (var (from, rule) in estate.Buckets.SelectMany(b => b.CopyTo.Where(c => c.Bucket == bucket.Name).Select(c => (b, c))))
        {
            findings.Require(
                rule.Tier is null || region.PriceOf(rule.Tier) is not null,
                "not-offered",
                "$.region",
                $"Copies from '{from.Name}' land in tier '{rule.Tier}', which has no price in region '{bucket.Region}'; change that copy rule first, or choose another region."
            );
            findings.Require(
                !rule.FollowDeletions || bucket.Versioning,
                "needs-versioning",
                "$.versioning",
                $"Deletions in '{from.Name}' follow into this bucket, which needs its versions; change that copy rule first."
            );
        }
        foreach (var tier in bucket.Stock.Select(l => l.Tier).Distinct().Where(t => region.PriceOf(t) is null))
        {
            findings.Require(
                false,
                "not-offered",
                "$.region",
                $"Objects lie in tier '{tier}' here, which has no price in region '{bucket.Region}'; move them to another tier first, or choose another region."
            );
        }
    }

    private static void CheckRule(LifecycleRule rule, Bucket bucket, string bucketPath, string at, PriceBook prices, Findings findings)
    {
        findings.Require(
            rule.Steps.Count > 0 || rule.ExpireAt is not null,
            "empty-rule",
            at,
            "A rule needs a step or an expiry; add one or remove the rule.",
            $"{at}.steps",
            $"{at}.expireAt"
        );
        foreach (var (step, i) in Present(rule.Steps))
        {
            Offered(step.Tier, bucket, $"{at}.steps[{i}].tier", bucketPath, prices, findings);
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
                    $"The step at age {later.Age} must go to a tier colder than '{earlier.Tier}', which objects reach at age {earlier.Age}.",
                    about
                );
            }
        }

        // Unreadable tiers are null here, unlike in a valid price book.
        int Place(string tier) => prices.Tiers.Select((t, i) => t?.Id == tier ? i : -1).DefaultIfEmpty(-1).Max();
    }

    private static void CheckPriceBook(PriceBook prices, Findings findings)
    {
        const string book = "$.priceBook";
        findings.Require(
            CurrencyShape().IsMatch(prices.Currency),
            "invalid-currency",
            $"{book}.currency",
            $"'{prices.Currency}' is not a currency code; write three capital letters (ISO 4217).",
            book
        );
        Unique(prices.Tiers, t => t.Id, i => $"{book}.tiers[{i}].id", "duplicate-id", findings);
        Unique(prices.Schemes, s => s.Id, i => $"{book}.schemes[{i}].id", "duplicate-id", findings);
        foreach (var (scheme, i) in Present(prices.Schemes))
            CheckScheme(scheme, $"{book}.schemes[{i}]", findings);
        Unique(prices.Regions, r => r.Id, i => $"{book}.regions[{i}].id", "duplicate-id", findings);
        Unique(prices.Transfers, t => $"{t.From} to {t.To}", i => $"{book}.transfers[{i}]", "duplicate-id", findings);
        foreach (var (region, i) in Present(prices.Regions))
        {
            var at = $"{book}.regions[{i}].prices";
            Unique(region.Prices, p => p.Tier, j => $"{at}[{j}].tier", "duplicate-id", findings);
            foreach (var (price, j) in Present(region.Prices))
            {
                Refer(price.Tier, prices.Tiers.Any(t => t?.Id == price.Tier), "tier", $"{at}[{j}].tier", findings);
                CheckBands(price.Storage, $"{at}[{j}].storage", findings);
            }
        }
        foreach (var (transfer, i) in Present(prices.Transfers))
        {
            Refer(transfer.From, prices.Regions.Any(r => r?.Id == transfer.From), "region", $"{book}.transfers[{i}].from", findings);
            Refer(transfer.To, prices.Regions.Any(r => r?.Id == transfer.To), "region", $"{book}.transfers[{i}].to", findings);
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

    internal static void CheckScheme(Scheme scheme, string at, Findings findings) =>
        findings.Require(
            scheme.Coded is null || scheme.Copies == 1,
            "coded-copies",
            $"{at}.copies",
            "A coded scheme has one copy, cut into fragments; write 1 or remove 'coded'.",
            $"{at}.coded"
        );

    private static void CheckBands(IReadOnlyList<StorageBand> bands, string at, Findings findings)
    {
        findings.Require(bands.Count > 0, "no-band", at, "Write at least one band with a price.");
        for (var i = 0; i < bands.Count; i++)
        {
            if (bands[i] is not { } band)
                continue;
            var last = i == bands.Count - 1;
            if (last)
                findings.Require(
                    band.UpTo is null,
                    "band-limit",
                    $"{at}[{i}].upTo",
                    "The last band has no limit; remove 'upTo' or add a band after it."
                );
            else
                findings.Require(
                    band.UpTo is not null,
                    "band-limit",
                    $"{at}[{i}]",
                    "Only the last band goes without 'upTo'; give this one a limit.",
                    $"{at}[{i}].upTo"
                );
            if (i > 0 && bands[i - 1]?.UpTo is { } below && band.UpTo is { } limit)
            {
                findings.Require(
                    below < limit,
                    "not-rising",
                    $"{at}[{i}].upTo",
                    "'upTo' must rise from band to band.",
                    $"{at}[{i - 1}].upTo"
                );
            }
        }
    }

    private static void Offered(string tier, Bucket bucket, string at, string bucketPath, PriceBook prices, Findings findings)
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

    private static void Refer(string id, bool known, string kind, string at, Findings findings) =>
        findings.Require(
            known,
            "unknown-reference",
            at,
            $"There is no {kind} '{id}'; correct the name or add it.",
            "$.priceBook",
            $"$.priceBook.{kind}s"
        );

    private static void Unique<T>(IReadOnlyList<T> items, Func<T, string> name, Func<int, string> at, string code, Findings findings)
        where T : class
    {
        var seen = new Dictionary<string, int>();
        foreach (var (item, i) in Present(items))
        {
            if (findings.IsBroken(at(i)) || name(item).Length == 0)
                continue;
            if (!seen.TryAdd(name(item), i))
                findings.Require(false, code, at(i), $"'{name(item)}' is there already, at {at(seen[name(item)])}; choose another.");
        }
    }

    private static void Rises<T>(IReadOnlyList<T> items, Func<T, int> value, Func<int, string> at, string message, Findings findings)
        where T : class
    {
        for (var i = 1; i < items.Count; i++)
        {
            if (items[i - 1] is { } before && items[i] is { } now)
                findings.Require(value(before) < value(now), "not-rising", at(i), message, at(i - 1));
        }
    }

    /// <summary>The elements that could be read, with their places in the document.</summary>
    private static IEnumerable<(T Item, int Index)> Present<T>(IReadOnlyList<T> items)
        where T : class
    {
        for (var i = 0; i < items.Count; i++)
        {
            if (items[i] is not null)
                yield return (items[i], i);
        }
    }

    [GeneratedRegex("^[a-z0-9][a-z0-9-]{1,61}[a-z0-9]\\z")]
    private static partial Regex NameShape();

    [GeneratedRegex("^[A-Z]{3}\\z")]
    private static partial Regex CurrencyShape();
}
