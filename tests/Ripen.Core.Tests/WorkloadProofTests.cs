using Ripen.Core.Backups;

namespace Ripen.Core.Tests;

/// <summary>A restore is proved by a rehearsal of the last 90 days that compared every byte (model 9.6), and by nothing else.</summary>
public sealed class WorkloadProofTests
{
    private static readonly DateOnly Rehearsed = new(2026, 11, 2);

    private static RestoreRecord Record(DateOnly day) =>
        new()
        {
            At = new DateTimeOffset(2026, 11, 26, 9, 0, 0, TimeSpan.Zero),
            Day = day,
            By = "local",
            Kind = RestoreKind.Rehearsal,
            Target = "vault",
            Point = "2026-11-01",
            Workload = "payroll",
            Taken = new DateTimeOffset(2026, 11, 1, 0, 0, 0, TimeSpan.Zero),
            Files = 3,
            Bytes = 1000,
            Seconds = 2,
            Problems = 0,
        };

    private static WorkloadProof On(IEnumerable<RestoreRecord> records, DateOnly on) =>
        Assert.Single(
            WorkloadProof.On(
                [
                    new Workload
                    {
                        Id = "payroll",
                        Name = "Payroll",
                        Bytes = 1000,
                        Region = "aldmouth",
                    },
                ],
                records,
                on
            )
        );

    [Theory]
    [InlineData(0, Verdict.Met)]
    [InlineData(90, Verdict.Met)]
    [InlineData(91, Verdict.Missed)]
    [InlineData(-1, Verdict.Missed)]
    public void It_holds_for_ninety_days(int after, Verdict verdict) =>
        Assert.Equal(verdict, On([Record(Rehearsed)], Rehearsed.AddDays(after)).Verdict);

    [Fact]
    public void Only_a_whole_rehearsal_of_the_workload_without_a_problem_counts()
    {
        var good = Record(Rehearsed);
        RestoreRecord[] others =
        [
            good with
            {
                Kind = RestoreKind.Restore,
            },
            good with
            {
                Under = "notes",
            },
            good with
            {
                Problems = 1,
            },
            good with
            {
                Error = "It was stopped.",
            },
            good with
            {
                Workload = "crew-mail",
            },
        ];
        var none = On(others, Rehearsed);
        Assert.Equal((Verdict.Missed, null), (none.Verdict, none.Newest));
        var later = good with { Day = Rehearsed.AddDays(5) };
        Assert.Equal(later, On([good, later, .. others], Rehearsed.AddDays(30)).Newest);
    }
}
