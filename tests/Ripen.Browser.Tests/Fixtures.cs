namespace Ripen.Browser.Tests;

/// <summary>One server with the demo estate and one browser for all tests of a class; each test works in a bucket of its own.</summary>
public sealed class DemoFixture : IAsyncLifetime
{
    public RunningRipen Ripen { get; private set; } = null!;

    public async ValueTask InitializeAsync() => Ripen = await RunningRipen.Start();

    public ValueTask DisposeAsync() => Ripen.DisposeAsync();
}
