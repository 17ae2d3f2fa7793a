using Ripen.Core.Arrays;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider;

namespace Ripen.Server.Demo;

/// <summary>The demo's storage array in the harbour hall, and the bucket that its untouched data leaves for.</summary>
internal static class DemoArrays
{
    public static readonly Bucket Bucket = new()
    {
        Name = "hall-shelf",
        Region = "aldmouth",
        Scheme = "three-zones",
        Tier = "counter",
        Rules =
        [
            new LifecycleRule
            {
                Id = "from-the-hall",
                Prefix = "hall-array/",
                Steps = [new Step { Age = 14, Tier = "pantry" }, new Step { Age = 90, Tier = "cellar" }],
            },
        ],
    };

    /// <summary>Puts the array into the estate, as somebody does who has measured it.</summary>
    public static Task<bool> Make(DemoHands hands, CancellationToken cancel) =>
        hands.Current.Change(
            async view =>
            {
                if (view!.Estate.Arrays.Count > 0)
                    return true;
                IReadOnlyList<LocalArray> arrays = [Hall(view.Estate.Today)];
                await hands.Current.Apply(
                    new PlannedChange(view.Estate with { Arrays = arrays }),
                    () => hands.Backups.ChangeArrays([], arrays, view.Version, cancel)
                );
                return true;
            },
            cancel
        );

    private static LocalArray Hall(DateOnly today) =>
        new()
        {
            Id = "hall-array",
            Name = "Array in the harbour hall",
            Region = "aldmouth",
            CapacityBytes = 48e12,
            PricePerUnitMonth = new UnitPrice(0.052),
            Bucket = Bucket.Name,
            Leaving =
            [
                new LeavingRule
                {
                    Id = "untouched-drawings",
                    Volume = "drawings",
                    SmallestBytes = 64_000,
                    AfterDays = 120,
                },
                new LeavingRule
                {
                    Id = "only-snapshots",
                    OnlyInSnapshots = true,
                    AfterDays = 30,
                },
            ],
            Volumes =
            [
                Volume("drawings", "Drawings of hulls and quays", 11e12, 6_500_000, today, 1.0),
                Volume("crew-share", "Crew's shares", 6e12, 900_000, today, 0.55),
                Volume("survey-video", "Survey videos", 14e12, 1_400_000_000, today, 1.6),
                Volume("boot", "Machines' boot volumes", 1.2e12, 40_000_000, today, 0.4) with
                {
                    StaysBecause = "machines start from it, before any bucket can be reached",
                },
                Volume("ticket-log", "Ticket database's log", 0.8e12, 64_000_000, today, 0.05) with
                {
                    StaysBecause = "it is written all day, and nothing of it rests",
                },
            ],
        };

    /// <summary>Bytes by days since anybody used them: much is young, and a part is as old as the volume; some is in snapshots only.</summary>
    private static ArrayVolume Volume(string id, string name, double bytes, long size, DateOnly today, double oldness)
    {
        int[] ages = [1, 3, 7, 14, 25, 40, 60, 85, 110, 114, 124, 150, 200, 280, 400, 600, 900, 1300, 1900];
        var weights = Array.ConvertAll(ages, age => Math.Pow(age + 4, oldness - 1.05) * Math.Log(1 + ((age + 8.0) / (age + 1))));
        var data = ages.Zip(
                weights,
                (age, weight) =>
                    new ArrayData
                    {
                        Folder = age < 365 ? "now/" : "before/",
                        Files = Math.Max(1, (long)(bytes * weight / weights.Sum() / size)),
                        BytesPerFile = size,
                        LastUsed = today.AddDays(-age),
                    }
            )
            .ToList();
        ArrayData Snapshots(int age, double share) =>
            new()
            {
                Files = Math.Max(1, (long)(bytes * share / size)),
                BytesPerFile = size,
                LastUsed = today.AddDays(-age),
                OnlyInSnapshots = true,
            };
        return new ArrayVolume
        {
            Id = id,
            Name = name,
            Data = [.. data, Snapshots(24, 0.02), Snapshots(45, 0.03)],
        };
    }
}
