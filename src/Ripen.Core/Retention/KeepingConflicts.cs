using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Core.Retention;

/// <summary>Where what a bucket keeps, what its rules let go and what is copied do not fit together.</summary>
/// <param name="Code">Stable, in kebab case.</param>
/// <param name="Bucket">Its name.</param>
/// <param name="Sentence">What does not fit, and what follows from it.</param>
/// <param name="Mending">What the draft changes; null where none mends it.</param>
/// <param name="Draft">The bucket as it would be, without its contents; it may be another than <paramref name="Bucket"/>.</param>
public sealed record KeepingConflict(string Code, string Bucket, string Sentence, string? Mending = null, Bucket? Draft = null);

/// <summary>Finds what does not fit together, in the estate's order.</summary>
public static class KeepingConflicts
{
    private const int UsualDaysOfVersions = 90;

    /// <param name="estate">Valid.</param>
    public static IReadOnlyList<KeepingConflict> Of(Estate estate) =>
        [.. estate.Buckets.SelectMany(b => Of(b, estate)).Select(c => c with { Draft = c.Draft?.WithoutContents() })];

    private static IEnumerable<KeepingConflict> Of(Bucket bucket, Estate estate) =>
        [
            .. Expiries(bucket),
            .. Endless(bucket, estate),
            .. Versions(bucket),
            .. FarCopies(bucket, estate),
            .. Occupied(bucket, estate),
            .. Idle(bucket, estate),
            .. StepsTooLate(bucket),
        ];

    private static IEnumerable<KeepingConflict> Expiries(Bucket bucket)
    {
        if (bucket.Keep?.Days is not { } days || bucket.Versioning)
            yield break;
        foreach (var rule in bucket.Rules.Where(r => r.Applies == VersionKind.Current && r.ExpireAt < days))
            yield return new(
                "expires-while-kept",
                bucket.Name,
                $"Rule '{rule.Id}' lets objects expire at day {rule.ExpireAt}, and they are kept until day {days}: they go at day {days}.",
                $"let them expire at day {days}",
                With(bucket, rule, rule with { ExpireAt = days })
            );
    }

    private static IEnumerable<KeepingConflict> Endless(Bucket bucket, Estate estate)
    {
        foreach (var hold in bucket.Holds.Where(h => h.Placed <= estate.Today && h.Released is null))
        {
            var held = bucket.Stock.Where(l => hold.Scope.Takes(l.Prefix, l.Tags)).ToList();
            var monthly = held.Sum(l =>
                KeepingCalendar.Monthly(bucket, estate.PriceBook.Coldness(l.Tier), l.BytesPerObject, estate.PriceBook, l.Count).Amount
            );
            yield return new(
                "kept-without-end",
                bucket.Name,
                $"The hold '{hold.Id}' has no end: it keeps {Wording.Objects(held.Sum(l => l.Count))}, "
                    + $"{Wording.Bytes(held.Sum(l => l.Count * l.BytesPerObject))}, for "
                    + $"{monthly:#,##0.00} {estate.PriceBook.Currency} a month, and what arrives. It ends by being released."
            );
        }
    }

    private static IEnumerable<KeepingConflict> Versions(Bucket bucket)
    {
        if (!bucket.Versioning || bucket.Rules.Any(r => r.Applies == VersionKind.Earlier && r.ExpireAt is not null))
            yield break;
        var id = Unused(bucket, "earlier-versions");
        yield return new(
            "versions-never-go",
            bucket.Name,
            "What is overwritten, deleted or expires stays as an earlier version, and no rule lets those go: they stay for good.",
            $"let earlier versions expire {UsualDaysOfVersions} days after they were superseded",
            bucket with
            {
                Rules =
                [
                    .. bucket.Rules,
                    new LifecycleRule
                    {
                        Id = id,
                        Applies = VersionKind.Earlier,
                        ExpireAt = UsualDaysOfVersions,
                        Steps = [],
                    },
                ],
            }
        );
    }

    private static IEnumerable<KeepingConflict> FarCopies(Bucket bucket, Estate estate)
    {
        foreach (var copy in bucket.CopyTo)
        {
            var far = estate.Find(copy.Bucket)!;
            var own = ExpiryOf(bucket, copy.Prefix);
            foreach (var rule in far.Rules.Where(r => r.Applies == VersionKind.Current && Meets(r.Prefix, copy.Prefix)))
            {
                if (rule.ExpireAt is not { } goes || goes >= (own ?? int.MaxValue))
                    continue;
                yield return new(
                    "copy-goes-first",
                    bucket.Name,
                    $"The copies in '{far.Name}' expire at day {goes} by rule '{rule.Id}', and their originals "
                        + (own is { } at ? $"at day {at}." : "never."),
                    own is { } until ? $"let the copies expire at day {until}" : "let the copies stay",
                    With(far, rule, rule with { ExpireAt = own })
                );
            }
            if (KeepRules.Weakens(bucket.Keep, far.Keep, estate.Today))
                yield return new(
                    "copy-kept-less",
                    bucket.Name,
                    $"'{bucket.Name}' is kept ({KeepRules.Words(bucket.Keep!)}, {bucket.Keep!.Strength.ToString().ToLowerInvariant()}), and the "
                        + $"copies in '{far.Name}' "
                        + (
                            far.Keep is { } less
                                ? $"less ({KeepRules.Words(less)}, {less.Strength.ToString().ToLowerInvariant()})."
                                : "are not."
                        ),
                    KeepRules.Weakens(far.Keep, bucket.Keep, estate.Today) ? null : $"keep '{far.Name}' as long",
                    KeepRules.Weakens(far.Keep, bucket.Keep, estate.Today)
                        ? null
                        : far with
                        {
                            Keep = bucket.Keep,
                            // What is kept is overwritten only where the earlier version stays.
                            Versioning = far.Versioning || far.Streams.Any(s => s.ReplacedAfterDays is not null),
                        }
                );
        }
    }

    private static IEnumerable<KeepingConflict> Occupied(Bucket bucket, Estate estate)
    {
        if (KeepingCalendar.LastKept(bucket, estate.Today) is { } last && last < Ageing.Lifecycle.Never)
            yield return new(
                "not-empty-before",
                bucket.Name,
                $"The bucket cannot be emptied or deleted before {estate.Today.AddDays(last):yyyy-MM-dd}, even if nothing more arrives."
            );
    }

    private static IEnumerable<KeepingConflict> Idle(Bucket bucket, Estate estate)
    {
        foreach (var rule in bucket.Rules)
        {
            var isFound =
                rule.Applies == VersionKind.Earlier
                || bucket.Stock.Any(l => rule.Scope.Takes(l.Prefix, l.Tags))
                || bucket.Streams.Any(s => rule.Scope.Takes(s.Prefix, s.Tags))
                || estate.Targets.Any(t => t.Bucket == bucket.Name && Meets(rule.Prefix, t.Prefix))
                || estate
                    .CopiedInto(bucket.Name)
                    .Any(c =>
                        c.From.Stock.Any(l => rule.Scope.Takes(l.Prefix, l.Tags) && c.Rule.Scope.Takes(l.Prefix, l.Tags))
                        || c.From.Streams.Any(s => rule.Scope.Takes(s.Prefix, s.Tags) && c.Rule.Scope.Takes(s.Prefix, s.Tags))
                    );
            if (!isFound)
                yield return new(
                    "finds-nothing",
                    bucket.Name,
                    $"Rule '{rule.Id}' finds nothing: neither what lies there nor what arrives is of its prefix and tags.",
                    "leave the rule out",
                    bucket with
                    {
                        Rules = [.. bucket.Rules.Where(r => r != rule)],
                    }
                );
        }
    }

    private static IEnumerable<KeepingConflict> StepsTooLate(Bucket bucket)
    {
        foreach (var rule in bucket.Rules.Where(r => r.Applies == VersionKind.Current && !bucket.Versioning))
        {
            if (rule.ExpireAt is not { } expires)
                continue;
            var gone = Math.Max(expires, bucket.Keep?.Days ?? 0);
            var late = rule.Steps.Where(s => s.Clock == StepClock.Created && s.Age >= gone).ToList();
            if (late.Count > 0)
                yield return new(
                    "step-never-comes",
                    bucket.Name,
                    $"Rule '{rule.Id}' moves objects to {string.Join(", ", late.Select(s => $"'{s.Tier}' at day {s.Age}"))}, and they are gone at "
                        + $"day {gone}.",
                    "leave the step out",
                    With(bucket, rule, rule with { Steps = [.. rule.Steps.Except(late)] })
                );
        }
    }

    /// <summary>The earliest expiry that a rule gives to anything of the prefix; null for none.</summary>
    private static int? ExpiryOf(Bucket bucket, string prefix) =>
        bucket.Rules.Where(r => r.Applies == VersionKind.Current && Meets(r.Prefix, prefix)).Min(r => r.ExpireAt);

    private static bool Meets(string one, string other) =>
        one.StartsWith(other, StringComparison.Ordinal) || other.StartsWith(one, StringComparison.Ordinal);

    private static Bucket With(Bucket bucket, LifecycleRule before, LifecycleRule after) =>
        bucket with
        {
            Rules = [.. bucket.Rules.Select(r => r == before ? after : r).Where(r => r.Steps.Count > 0 || r.ExpireAt is not null)],
        };

    private static string Unused(Bucket bucket, string id)
    {
        var name = id;
        for (var n = 2; bucket.Rules.Any(r => r.Id == name); n++)
            name = $"{id}-{n}";
        return name;
    }
}
