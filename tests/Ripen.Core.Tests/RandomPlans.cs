using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Tests;

/// <summary>Random estates with workloads, targets and plans: every cadence and retention, chains, sealed buckets, copies that follow or
/// stay, lines that do not keep up.</summary>
internal static class RandomPlans
{
    private static readonly string[] Prefixes = ["a/t/", "c/", "p/"];

    public static Gen<Estate> Estate { get; } =
        from estate in RandomEstates.Estate
        from follows in Gen.Elements(true, false)
        from workloads in Gen.CollectToList(Enumerable.Range(0, 2), Workload)
        from targets in Gen.CollectToList(Enumerable.Range(0, 3), i => Target(i, estate.Buckets.Count))
        from plans in Gen.CollectToList(Enumerable.Range(0, 2), i => Plan(i, estate.Today))
        select Valid(
            estate with
            {
                Buckets = [.. estate.Buckets.Select(b => With(b, follows, targets))],
                Workloads = workloads,
                Targets = targets,
                Plans = plans,
            }
        );

    public static void Check(int times, Func<Estate, string?> difference) =>
        Prop.ForAll(
                Arb.From(Estate),
                estate =>
                {
                    if (difference(estate) is { } found)
                        Assert.Fail(found + Environment.NewLine + EstateDocument.Write(estate));
                }
            )
            .Check(Randomly.Draws(times));

    /// <summary>What is generated is what a document may hold: names, ages and steps of random estates apart.</summary>
    private static Estate Valid(Estate estate)
    {
        var findings = new Findings();
        PlanChecks.Check(estate, findings);
        return findings.Problems.Count == 0 ? estate : throw new InvalidOperationException(findings.Problems[0].ToString());
    }

    /// <summary>What a target holds may not expire; deletions follow only between buckets with versions.</summary>
    private static Bucket With(Bucket bucket, bool follows, List<BackupTarget> targets)
    {
        var own = targets.Where(t => t.Bucket == bucket.Name).Select(t => t.Prefix).ToList();
        return bucket with
        {
            Versioning = true,
            CopyTo = [.. bucket.CopyTo.Select((c, i) => c with { FollowDeletions = follows ^ (i == 1) })],
            Rules =
            [
                .. bucket.Rules.Select(r =>
                    own.Any(p => p.StartsWith(r.Prefix, StringComparison.Ordinal) || r.Prefix.StartsWith(p, StringComparison.Ordinal))
                        ? r with
                        {
                            ExpireAt = null,
                        }
                        : r
                ),
            ],
        };
    }

    private static Gen<Workload> Workload(int i) =>
        from bytes in Gen.Elements(0.0, 5e9, 3e11)
        from growth in Gen.Elements(0, 0.4, -0.6)
        from changing in Gen.Elements(0, 0.3, 1)
        from daily in Gen.Elements(0, 0.01, 0.3)
        from unique in Gen.Elements(1, 0.8)
        from compression in Gen.Elements(1, 0.5)
        from encrypted in Gen.Frequency((3, Gen.Constant(false)), (1, Gen.Constant(true)))
        select new Workload
        {
            Id = $"work-{i}",
            Name = $"Work {i}",
            Bytes = bytes,
            YearlyGrowth = growth,
            Changing = changing,
            DailyChange = Math.Min(daily, changing),
            Unique = unique,
            Compression = compression,
            EncryptedAtSource = encrypted,
            Region = "near",
        };

    private static Gen<BackupTarget> Target(int i, int buckets) =>
        from bucket in Gen.Choose(0, buckets - 1)
        from pack in Gen.Elements(900L, 65_536L, 3_000_000L, 200_000_000L)
        from deduplicates in Gen.Elements(true, false)
        from compresses in Gen.Elements(true, false)
        select new BackupTarget
        {
            Id = $"target-{i}",
            Name = $"Target {i}",
            Kind = TargetKind.Bucket,
            Bucket = $"bucket-{bucket}",
            Prefix = Prefixes[i],
            PackBytes = pack,
            Deduplicates = deduplicates,
            Compresses = compresses,
        };

    private static Gen<BackupPlan> Plan(int i, DateOnly today) =>
        from target in Gen.Choose(0, 2)
        from first in Gen.Elements<int?>(null, -40, 0, 17)
        from every in Cadence
        from full in Gen.Elements<int?>(null, 1, 3, 8)
        from keep in Keep(today)
        from copied in Gen.Elements(true, false)
        from copyEvery in Gen.OneOf(Gen.Constant<Cadence?>(null), Cadence.Select(c => (Cadence?)c))
        from copyKeep in Keep(today)
        from past in Past(today)
        from copyPast in Past(today)
        select new BackupPlan
        {
            Id = $"plan-{i}",
            Workloads = i == 0 ? ["work-0", "work-1"] : ["work-0"],
            Target = $"target-{target}",
            From = first is { } days ? today.AddDays(days) : null,
            Every = every,
            Full = full is { } n ? new FullRuns { Every = n } : null,
            Keep = keep,
            Runs = [new PastRuns { Workload = "work-0", Days = past }],
            Copies = copied
                ?
                [
                    new PlanCopy
                    {
                        Target = $"target-{(target + 1) % 3}",
                        Workloads = i == 0 ? ["work-0"] : null,
                        Every = copyEvery,
                        Keep = copyKeep,
                        Runs = [new PastRuns { Workload = "work-0", Days = copyPast }],
                    },
                ]
                : [],
        };

    private static Gen<Cadence> Cadence { get; } =
        Gen.OneOf(
            Gen.Elements(1, 2, 5).Select(n => new Cadence { Days = n }),
            Gen.Elements<DayOfWeek[]>([DayOfWeek.Sunday], [DayOfWeek.Monday, DayOfWeek.Thursday]).Select(d => new Cadence { Weekdays = d }),
            Gen.Elements(1, 31).Select(n => new Cadence { MonthDay = n })
        );

    private static Gen<PointRetention> Keep(DateOnly today) =>
        Gen.OneOf(
            Gen.Elements(0, 1, 9, 60).Select(n => new PointRetention { Days = n }),
            Gen.Elements(1, 2).Select(n => new PointRetention { Months = n }),
            Gen.Elements(-5, 30, 100).Select(n => new PointRetention { Until = today.AddDays(n) }),
            from daily in Gen.Elements<int?>(null, 0, 3)
            from weekly in Gen.Elements<int?>(null, 2)
            from monthly in Gen.Elements<int?>(null, 1, 3)
            select new PointRetention
            {
                Daily = daily,
                Weekly = weekly,
                Monthly = monthly,
                Yearly = 1,
            }
        );

    private static Gen<IReadOnlyList<DateOnly>> Past(DateOnly today) =>
        Gen.Elements<int[]>([], [-1], [-70, -33, -32, -7, -2], [-400, -90])
            .Select<int[], IReadOnlyList<DateOnly>>(days => [.. days.Select(d => today.AddDays(d))]);
}
