using Ripen.Provider.Clock;

namespace Ripen.Provider.Tests;

public sealed class ClockTests
{
    [Fact]
    public void The_clock_does_not_run_backwards()
    {
        using var provider = new TestProvider(TestProvider.Demo);
        var now = provider.Inside.Clock.Now;
        Assert.Equal(
            "clock-backwards",
            Assert.Throws<RefusalException>(() => provider.Inside.Clock.PassUntil(now.AddSeconds(-1), null, CancellationToken.None)).Code
        );
        Assert.Equal(now, provider.Inside.Clock.Now);
        provider.Inside.Clock.PassUntil(now, null, CancellationToken.None);
        Assert.Empty(provider.Inside.Clock.Runs(10));
    }

    [Fact]
    public void Stopping_keeps_whole_days_and_going_on_makes_the_same_ledger()
    {
        using var straight = new TestProvider(TestProvider.Demo);
        straight.PassDays(40);
        using var stopped = new TestProvider(TestProvider.Demo);
        var until = stopped.Inside.Clock.Now.AddDays(40);
        using var stop = new CancellationTokenSource();
        var days = 0;
        Assert.ThrowsAny<OperationCanceledException>(() =>
            stopped.Inside.Clock.PassUntil(
                until,
                _ =>
                {
                    if (++days == 17)
                        stop.Cancel();
                },
                stop.Token
            )
        );
        Assert.Equal(TestProvider.Demo.Today.AddDays(17), stopped.Inside.Clock.Today);
        Assert.Equal(17, stopped.Inside.Clock.Runs(100).Count);
        Assert.Null(stopped.Inside.Clock.Interrupted);
        stopped.Inside.Clock.PassUntil(until.AddHours(5), null, CancellationToken.None);
        Assert.Equal(until.AddHours(5), stopped.Inside.Clock.Now);
        Assert.Equal(
            straight.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null),
            stopped.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, null)
        );
        Assert.Equal(straight.Inside.Clock.Runs(100), stopped.Inside.Clock.Runs(100));
    }

    [Fact]
    public void Hours_close_a_day_only_when_they_pass_its_midnight()
    {
        using var provider = new TestProvider(TestProvider.Demo);
        for (var hour = 1; hour <= 25; hour++)
        {
            provider.Inside.Clock.PassUntil(provider.Inside.Clock.Now.AddHours(1), null, CancellationToken.None);
            Assert.Equal(hour < 24 ? 0 : 1, provider.Inside.Clock.Runs(10).Count);
        }
        Assert.Equal(1, provider.Inside.Clock.Now.Hour);
    }
}
