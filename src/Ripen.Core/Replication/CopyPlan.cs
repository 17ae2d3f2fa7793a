using Ripen.Core.Estates;

namespace Ripen.Core.Replication;

/// <summary>
/// Changes of several buckets that belong together: what the estate is after them. Pure; nothing is stored. Paths in problems begin at the
/// order.
/// </summary>
public static class CopyPlans
{
    /// <summary>The estate with a new rule, or with a rule in the place of another.</summary>
    /// <param name="estate">Valid.</param>
    /// <param name="order">What is wanted.</param>
    /// <param name="replaces">The rule of the source that it takes the place of; null for a new one.</param>
    public static Checked<Estate> WithRule(Estate estate, CopyOrder order, CopyRule? replaces)
    {
        var findings = new Findings();
        var rule = order.Rule;
        findings.Require(estate.Find(order.Source) is not null, "unknown-reference", "$.source", $"There is no bucket '{order.Source}'.");
        findings.Require(
            order.NewBucket is null || (estate.Find(order.NewBucket.Name) is null && order.NewBucket.Name != order.Source),
            "duplicate-name",
            "$.newBucket.name",
            $"'{order.NewBucket?.Name}' is taken; choose another name."
        );
        findings.Require(
            order.NewBucket is null || order.NewBucket.Name == rule.Bucket,
            "unknown-reference",
            "$.rule.bucket",
            "The rule must copy to the bucket that is made for it."
        );
        if (findings.Problems.Count > 0)
            return new(findings.Problems);

        var source = estate.Find(order.Source)!;
        var target = order.NewBucket is { } made
            ? made with
            {
                Stock = [],
                CopyTo = [],
                Versioning = made.Versioning || order.SwitchVersioningOn,
            }
            : estate.Find(rule.Bucket);
        var at = replaces is null ? source.CopyTo.Count : source.CopyTo.ToList().FindIndex(c => ReferenceEquals(c, replaces));
        var rules = source.CopyTo.ToList();
        findings.Require(
            at >= 0,
            "other-source",
            "$.source",
            $"The rule that is to be changed does not copy from '{source.Name}': a rule keeps its source. Make another one."
        );
        if (findings.Problems.Count > 0)
            return new(findings.Problems);
        if (at < rules.Count)
            rules.RemoveAt(at);
        findings.Require(
            !rules.Any(rule.IsSame),
            "duplicate-rule",
            "$.rule",
            $"'{source.Name}' copies the same objects to '{rule.Bucket}' already; change that rule."
        );
        rules.Insert(at, rule with { Waiting = replaces is not null && rule.IsSame(replaces) ? replaces.Waiting : [] });
        var off = new[] { source, target }.OfType<Bucket>().Where(b => !b.Versioning).Select(b => $"'{b.Name}'").Distinct().ToList();
        findings.Require(
            off.Count == 0 || order.SwitchVersioningOn,
            "needs-versioning",
            "$.switchVersioningOn",
            $"Copies need versions on both sides, so that none is overwritten; switch versioning on for {string.Join(" and ", off)} "
                + "in the same change."
        );
        if (findings.Problems.Count > 0)
            return new(findings.Problems);

        var after = estate.With(source with { CopyTo = rules, Versioning = true }, source.Name);
        if (target is not null && target.Name != source.Name)
            after = order.NewBucket is null ? after.With(target with { Versioning = true }, target.Name) : after.With(target, null);
        return Check(after, source.Name, order.NewBucket?.Name, at);
    }

    /// <summary>The estate without the rule.</summary>
    public static Estate WithoutRule(Estate estate, string source, CopyRule rule)
    {
        var bucket = estate.Find(source)!;
        return estate.With(bucket with { CopyTo = [.. bucket.CopyTo.Where(c => !ReferenceEquals(c, rule))] }, source);
    }

    /// <summary>
    /// The copy takes the place of its original: streams and the reading habit move, and what is written there is copied back. The rule
    /// that brought the copies stays, so that what still waits arrives.
    /// </summary>
    public static Checked<Estate> SwitchOver(Estate estate, string from, string to)
    {
        var (old, next, problem) = Pair(estate, from, to);
        if (problem is not null)
            return new([problem]);
        if (old!.CopyTo.FirstOrDefault(c => c.Bucket == to) is not { } forward)
            return Refuse("no-copy-rule", $"'{from}' does not copy to '{to}'; keep them equal first.");
        if (next!.Streams.Count > 0)
            return Refuse("has-workload", $"'{to}' has a workload of its own; move the streams by hand on the two sheets.");
        if (!next.Versioning)
            return Refuse("needs-versioning", $"'{to}' keeps no versions; switch versioning on there first.");
        var back = new CopyRule
        {
            Bucket = from,
            Prefix = forward.Prefix,
            Tags = forward.Tags,
            FollowDeletions = forward.FollowDeletions,
            AllowedLagHours = forward.AllowedLagHours,
        };
        var takesReads = next.Reads.Count == 0;
        var after = estate
            .With(old with { Streams = [], Reads = takesReads ? [] : old.Reads }, from)
            .With(
                next with
                {
                    Streams = old.Streams,
                    Reads = takesReads ? old.Reads : next.Reads,
                    CopyTo = next.CopyTo.Any(c => c.Bucket == from) ? next.CopyTo : [.. next.CopyTo, back],
                },
                to
            );
        return Check(after, to, null, after.Find(to)!.CopyTo.Count - 1);
    }

    /// <summary>What <see cref="SwitchOver"/> did, taken back: streams and reads go to the original again, and the rule back to it
    /// goes.</summary>
    public static Checked<Estate> SwitchBack(Estate estate, string from, string to)
    {
        var (old, next, problem) = Pair(estate, from, to);
        if (problem is not null)
            return new([problem]);
        if (old!.Streams.Count > 0)
            return Refuse("has-workload", $"'{from}' has a workload of its own; move the streams by hand on the two sheets.");
        var takesReads = old.Reads.Count == 0;
        var after = estate
            .With(old with { Streams = next!.Streams, Reads = takesReads ? next.Reads : old.Reads }, from)
            .With(
                next with
                {
                    Streams = [],
                    Reads = takesReads ? [] : next.Reads,
                    CopyTo = [.. next.CopyTo.Where(c => c.Bucket != from)],
                },
                to
            );
        return new(after);
    }

    /// <summary>The estate without the bucket, and without the rule that copies back to it.</summary>
    public static Checked<Estate> Drop(Estate estate, string from, string to)
    {
        var (_, next, problem) = Pair(estate, from, to);
        if (problem is not null)
            return new([problem]);
        var others = estate.Buckets.Where(b => b.Name != to && b.CopyTo.Any(c => c.Bucket == from)).Select(b => b.Name).ToList();
        if (others.Count > 0)
            return Refuse(
                "copies-arrive",
                $"'{from}' receives copies from {string.Join(", ", others)}; remove those replication rules first."
            );
        var without = estate.With(next! with { CopyTo = [.. next.CopyTo.Where(c => c.Bucket != from)] }, to);
        return new(without with { Buckets = [.. without.Buckets.Where(b => b.Name != from)] });
    }

    private static Checked<Estate> Refuse(string code, string message) => new([new Problem(code, "$", message)]);

    private static (Bucket? From, Bucket? To, Problem? Problem) Pair(Estate estate, string from, string to)
    {
        var missing =
            estate.Find(from) is null ? from
            : estate.Find(to) is null ? to
            : from == to ? to
            : null;
        return (
            estate.Find(from),
            estate.Find(to),
            missing is null
                ? null
                : new Problem("no-bucket", "$", from == to ? "A bucket cannot move to itself." : $"There is no bucket '{missing}'.")
        );
    }

    private static Checked<Estate> Check(Estate after, string source, string? made, int ruleAt)
    {
        var findings = new Findings();
        EstateChecks.CheckBucket(after.Find(source)!, "$.source", after.PriceBook, after.Today, after.Buckets, findings);
        if (made is not null)
            EstateChecks.CheckBucket(after.Find(made)!, "$.newBucket", after.PriceBook, after.Today, after.Buckets, findings);
        var own = $"$.source.copyTo[{ruleAt}]";
        return findings.Problems.Count == 0
            ? new(after)
            : new([
                .. findings.Problems.Select(p =>
                    p.Path.StartsWith(own, StringComparison.Ordinal) ? p with { Path = "$.rule" + p.Path[own.Length..] } : p
                ),
            ]);
    }
}
