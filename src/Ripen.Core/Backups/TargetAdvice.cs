namespace Ripen.Core.Backups;

/// <summary>What somebody needs of a backup target.</summary>
public sealed record TargetQuestions
{
    /// <summary>What writes the backups.</summary>
    public required BackupWriter Writer { get; init; }

    /// <summary>Whether what is kept must outlive the place where the data is.</summary>
    public required bool SurvivesThePlace { get; init; }

    /// <summary>A restore may take so long before its first byte.</summary>
    public required double WaitHours { get; init; }
}

/// <summary>Through what a program writes its backups.</summary>
public enum BackupWriter
{
    /// <summary>Ripen itself.</summary>
    Ripen,

    /// <summary>A program that writes to a disk or a file system.</summary>
    Disk,

    /// <summary>A program that knows only tape.</summary>
    Tape,
}

/// <summary>The kind of target that fits, and what each other one would lack.</summary>
/// <param name="Kind">That fits.</param>
/// <param name="Reasons">Why, and what to see to.</param>
public sealed record TargetAdvice(TargetKind Kind, IReadOnlyList<string> Reasons)
{
    /// <summary>A local directory survives nothing that takes its machine; so much is common practice (3-2-1).</summary>
    public static TargetAdvice Of(TargetQuestions asked) =>
        asked.Writer switch
        {
            BackupWriter.Tape => new(
                TargetKind.Cartridges,
                [
                    "The program opens a drive like a tape's device file and needs to know nothing else.",
                    asked.WaitHours > 0
                        ? "Full cartridges can be put away into a tier with a wait; bringing one back takes that wait."
                        : "Nothing may be put away into a tier with a wait: a restore must begin at once.",
                ]
            ),
            BackupWriter.Disk => new(
                TargetKind.Volume,
                [
                    "The program sees a disk as large as you like; what it writes is on the local journal at once and in the bucket a little later.",
                    "Give the journal what a window brings more than the line takes: see the sizing.",
                ]
            ),
            _ when asked.SurvivesThePlace => new(
                TargetKind.Bucket,
                [
                    "Equal content is stored once; choose a bucket in another region than the data.",
                    asked.WaitHours > 0
                        ? "Its packs may age into a tier with a wait, as long as that is within what a restore may take."
                        : "Keep its packs out of tiers with a wait.",
                ]
            ),
            _ => new(
                TargetKind.Directory,
                [
                    "Nothing is nearer or faster than a disk of this machine.",
                    "It goes with the machine: let a second target somewhere else hold a copy.",
                ]
            ),
        };
}
