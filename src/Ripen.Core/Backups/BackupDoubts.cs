using Ripen.Core.Estates;

namespace Ripen.Core.Backups;

/// <summary>Something that is allowed and that a person should know of before it is done.</summary>
/// <param name="Code">Stable, in kebab case.</param>
/// <param name="Sentence">What follows, and what to do.</param>
public sealed record BackupDoubt(string Code, string Sentence);

/// <summary>What one should know of a target before anything lies in it. What would lose a pool is refused
/// (<see cref="BackupChecks"/>) and not doubted.</summary>
public static class BackupDoubts
{
    /// <summary>Most important first; empty where there is nothing to say.</summary>
    /// <param name="target">Valid in <paramref name="estate"/>.</param>
    public static IReadOnlyList<BackupDoubt> Of(BackupTarget target, Estate estate)
    {
        var doubts = new List<BackupDoubt>();
        if (target.Bucket is null)
        {
            doubts.Add(
                new(
                    "same-machine",
                    "The directory stands on this machine: what takes the machine takes the backups of its folders with it. "
                        + "Let another target hold a copy."
                )
            );
            InClear(target, estate, doubts);
            return doubts;
        }
        InClear(target, estate, doubts);
        var bucket = estate.Find(target.Bucket)!;
        Kept(bucket, estate, doubts);
        Near(target, bucket, estate, doubts);
        Waits(bucket, target, estate, doubts);
        ListsWait(bucket, target, estate, doubts);
        Stays(bucket, estate, doubts);
        Journal(target, bucket, estate, doubts);
        return doubts;
    }

    private static void InClear(BackupTarget target, Estate estate, List<BackupDoubt> doubts)
    {
        var places = target.SpillTo.Append(target.MakeRoom?.To);
        var clear = estate.Targets.Where(t => target.Encrypts && !t.Encrypts && places.Contains(t.Id)).Select(t => t.Name).ToList();
        if (clear.Count > 0)
            doubts.Add(
                new(
                    "goes-in-clear",
                    $"What goes on, or is moved, to {string.Join(", ", clear)} lies there unencrypted: whoever reaches that place can read it."
                )
            );
    }

    private static void Kept(Bucket bucket, Estate estate, List<BackupDoubt> doubts)
    {
        if (bucket.Keep is not { } keep)
            return;
        var month = TargetCosts.TerabyteMonth(bucket, bucket.Tier, estate.PriceBook);
        doubts.Add(
            new(
                "kept-longer",
                keep.Days is { } days
                    ? $"'{bucket.Name}' keeps every object for {Wording.Count(days)} days: what no restore point needs any more cannot be pruned "
                        + $"before, and each TB of it costs {month * days / TargetCosts.MonthDays:0.##} {estate.PriceBook.Currency} until then."
                    : $"'{bucket.Name}' keeps every object until {keep.Until:yyyy-MM-dd}: nothing can be pruned before that day, and each TB that no "
                        + $"restore point needs any more costs {month:0.##} {estate.PriceBook.Currency} in 30 days."
            )
        );
    }

    private static void Near(BackupTarget target, Bucket bucket, Estate estate, List<BackupDoubt> doubts)
    {
        var near = estate.Workloads.Where(w => w.Region == bucket.Region).Select(w => w.Name).ToList();
        var elsewhere = bucket.CopyTo.Any(rule =>
            (rule.Tags is null && target.Prefix.StartsWith(rule.Prefix, StringComparison.Ordinal))
            && estate.Find(rule.Bucket)?.Region != bucket.Region
        );
        if (near.Count > 0 && !elsewhere)
            doubts.Add(
                new(
                    "same-place",
                    $"{string.Join(", ", near)} and this target are both in {estate.PriceBook.RegionName(bucket.Region)}, and no copy of it is "
                        + "elsewhere: what takes the region takes both. Copy the bucket to another region."
                )
            );
    }

    private static void Waits(Bucket bucket, BackupTarget target, Estate estate, List<BackupDoubt> doubts)
    {
        var steps = bucket.Rules.Where(r => Overlap(r.Prefix, target.Prefix)).SelectMany(r => r.Steps);
        foreach (
            var (tier, age) in steps
                .Select(s => (s.Tier, s.Age))
                .Prepend((bucket.Tier, 0))
                .GroupBy(s => s.Item1)
                .Select(g => (g.Key, g.Min(s => s.Item2)))
        )
        {
            var wait = estate.PriceBook.Tiers.First(t => t.Id == tier);
            if (wait.WaitHours <= 0)
                continue;
            var late = estate.Workloads.Where(w => w.RtoHours < wait.WaitHours).Select(w => $"{w.Name} ({w.RtoHours:0.##} h)").ToList();
            doubts.Add(
                new(
                    "waits",
                    $"{(age == 0 ? "What arrives lies in" : $"After {age} days packs lie in")} {wait.Name}, and a restore waits {wait.WaitHours:0.##} h for it"
                        + (late.Count > 0 ? $": longer than a restore may take of {string.Join(", ", late)}." : ".")
                )
            );
        }
    }

    private static void ListsWait(Bucket bucket, BackupTarget target, Estate estate, List<BackupDoubt> doubts)
    {
        if (!target.HoldsPool || estate.Plans.Where(p => p.LeadsTo(target.Id)).SelectMany(p => p.Workloads).All(w => !IsReal(w)))
            return;
        var waits = estate.PriceBook.Tiers.Where(t => t.WaitHours > 0).Select(t => t.Id).ToHashSet();
        var far = bucket
            .Rules.Where(r => target.Prefix.StartsWith(r.Prefix, StringComparison.Ordinal) && r.Steps.Any(s => waits.Contains(s.Tier)))
            .Select(r => r.Id)
            .ToList();
        if (far.Count > 0)
            doubts.Add(
                new(
                    "lists-wait",
                    $"{string.Join(", ", far)} moves the lists of what points hold to where reading takes a wait as well: runs, looking into points "
                        + $"and restores will fail. Let it begin with '{target.Prefix}{BackupTarget.PackFolder}'."
                )
            );

        bool IsReal(string workload) => estate.Workloads.First(w => w.Id == workload).Source is not null;
    }

    private static void Stays(Bucket bucket, Estate estate, List<BackupDoubt> doubts)
    {
        var tier = estate.PriceBook.Tiers.First(t => t.Id == bucket.Tier);
        if (tier.MinimumStayDays > 0)
            doubts.Add(
                new("minimum-stay", $"{tier.Name} charges {tier.MinimumStayDays} days of every object: what goes sooner saves nothing.")
            );
    }

    private static void Journal(BackupTarget target, Bucket bucket, Estate estate, List<BackupDoubt> doubts)
    {
        var away = estate.Workloads.Where(w => w.Region != bucket.Region).Select(w => w.Name).ToList();
        if (target.Local is { Region: { } at } && at == bucket.Region && away.Count > 0)
            doubts.Add(
                new(
                    "journal-far",
                    $"The journal stands beside the bucket in {estate.PriceBook.RegionName(at)}, and not beside what writes ({string.Join(", ", away)}): "
                        + "every write still waits for the line, so it gains little. Let it stand where the writer is."
                )
            );
    }

    private static bool Overlap(string a, string b) =>
        a.StartsWith(b, StringComparison.Ordinal) || b.StartsWith(a, StringComparison.Ordinal);
}
