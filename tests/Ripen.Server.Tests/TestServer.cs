using System.Collections.Concurrent;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Ripen.Data;

namespace Ripen.Server.Tests;

/// <summary>The server in this process, on a SQLite file of its own; stopping and starting again keeps the file.</summary>
public sealed class TestServer : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("ripen-server-").FullName;
    private WebApplicationFactory<Program> factory;

    /// <param name="demo">Loads the demo.</param>
    /// <param name="fill">Puts something into the server's folder before it starts.</param>
    public TestServer(bool demo = true, Action<string>? fill = null)
    {
        Demo = demo;
        fill?.Invoke(folder);
        factory = Factory();
        Http = Client();
    }

    public HttpClient Http { get; private set; }

    public string Database => Path.Combine(folder, "ripen.db");

    /// <summary>What the server's log told as an error, newest last.</summary>
    public ErrorLog Errors { get; } = new();

    /// <summary>The clock that the server looks at beside its provider's.</summary>
    public MinutesByHand Machine { get; } = new();

    private bool Demo { get; }

    public string ProviderFolder => Path.Combine(folder, "provider");

    /// <summary>Until <see cref="Restart"/>, so that somebody can work on its files.</summary>
    public void Stop()
    {
        Http.Dispose();
        factory.Dispose();
        WaitUntilItLetGo();
        Setup.LetGo(Database);
    }

    public void Restart()
    {
        Stop();
        factory = Factory();
        Http = Client();
    }

    public void Dispose()
    {
        Stop();
        Directory.Delete(folder, recursive: true);
    }

    /// <summary>
    /// The factory and the program both dispose of the host, and the one that comes second returns while the first is
    /// still at it; the provider's folder is free when that is done.
    /// </summary>
    private void WaitUntilItLetGo()
    {
        for (var tries = 0; Directory.Exists(ProviderFolder); tries++)
            try
            {
                using var free = new FileStream(
                    Path.Combine(ProviderFolder, "in-use"),
                    FileMode.OpenOrCreate,
                    FileAccess.ReadWrite,
                    FileShare.None
                );
                return;
            }
            catch (IOException) when (tries < 6000)
            {
                Thread.Sleep(20);
            }
    }

    public async Task<(JsonNode Body, string Tag)> Get(string path)
    {
        var response = await Http.GetAsync(new Uri(path, UriKind.Relative));
        response.EnsureSuccessStatusCode();
        return ((await response.Content.ReadFromJsonAsync<JsonNode>())!, response.Headers.ETag?.Tag ?? "");
    }

    /// <summary>What was asked for was done; the answer's body.</summary>
    /// <param name="method">Of the request.</param>
    /// <param name="path">Of the request.</param>
    /// <param name="order">Its body: JSON as text, or what becomes it; null for none.</param>
    /// <param name="tag">Its If-Match.</param>
    public async Task<JsonNode> Did(HttpMethod method, string path, object? order = null, string? tag = null)
    {
        var response = await Send(method, path, Json(order), tag);
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, text);
        return text.Length == 0 ? new JsonObject() : JsonNode.Parse(text)!;
    }

    /// <summary>Lets time pass on the provider's clock, and waits until it has.</summary>
    public async Task PassUntil(DateTimeOffset until)
    {
        await Did(HttpMethod.Post, "/api/clock/passages", new { until });
        var passage = await Stands();
        Assert.Null((string?)passage["error"]);
        Assert.Equal(until, (DateTimeOffset)passage["reached"]!);
    }

    public async Task Pass(TimeSpan time) => await PassUntil((DateTimeOffset)(await Get("/api/clock")).Body["now"]! + time);

    /// <summary>When no time passes any more, with all that is done on the way: the last passage.</summary>
    public async Task<JsonNode> Stands()
    {
        while (true)
        {
            if ((await Get("/api/clock")).Body["passage"] is { } passage && !(bool)passage["running"]!)
                return passage;
            await Task.Delay(20);
        }
    }

    /// <param name="day">yyyy-MM-dd; its first moment, UTC.</param>
    public Task PassUntil(string day) =>
        PassUntil(DateTimeOffset.Parse(day + "T00:00:00Z", System.Globalization.CultureInfo.InvariantCulture));

    /// <summary>It was refused; the first problem's code, or the refusal's.</summary>
    public async Task<(HttpStatusCode Status, string Code)> Refused(
        HttpMethod method,
        string path,
        object? order = null,
        string? tag = null
    )
    {
        var response = await Send(method, path, Json(order), tag);
        var problem = (await response.Content.ReadFromJsonAsync<JsonNode>())!;
        return (response.StatusCode, (string)(problem["problems"]?.AsArray().FirstOrDefault()?["code"] ?? problem["code"])!);
    }

    private static string? Json(object? order) => order as string ?? (order is null ? null : JsonSerializer.Serialize(order));

    public async Task<HttpResponseMessage> Send(HttpMethod method, string path, string? json = null, string? ifMatch = null)
    {
        using var request = new HttpRequestMessage(method, new Uri(path, UriKind.Relative));
        if (json is not null)
            request.Content = new StringContent(json, Encoding.UTF8, "application/json");
        if (ifMatch is not null)
            request.Headers.TryAddWithoutValidation("If-Match", ifMatch);
        return await Http.SendAsync(request);
    }

    /// <summary>A client that means what it sends.</summary>
    private HttpClient Client()
    {
        var client = factory.CreateClient();
        client.DefaultRequestHeaders.Add("Ripen-Request", "1");
        return client;
    }

    private WebApplicationFactory<Program> Factory() =>
        new WebApplicationFactory<Program>().WithWebHostBuilder(builder =>
        {
            builder
                .UseEnvironment("Production")
                .UseContentRoot(AppContext.BaseDirectory)
                .ConfigureLogging(logging => logging.ClearProviders().AddProvider(Errors));
            builder.UseSetting("Ripen:Database", Database);
            builder.UseSetting("Ripen:Demo", Demo.ToString());
            builder.UseSetting("Ripen:DemoPast", "false");
            builder.UseSetting("Ripen:NbdPort", "0");
            builder.ConfigureServices(services => services.AddSingleton<TimeProvider>(Machine));
        });
}

/// <summary>The machine's clock. What is looked after every minute, targets that test themselves above all, writes and costs something: no test of
/// figures may depend on whether the machine needed a minute for it, so that minutes end when a test says so.</summary>
public sealed class MinutesByHand : TimeProvider
{
    private readonly ConcurrentDictionary<Minutes, Action> everyMinute = [];
    private TimeSpan later;

    public override DateTimeOffset GetUtcNow() => base.GetUtcNow() + later;

    /// <summary>It is so much later, and everything that looks every minute looks once.</summary>
    public void Pass(TimeSpan time)
    {
        later += time;
        foreach (var look in everyMinute.Values)
            look();
    }

    public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan dueTime, TimeSpan period)
    {
        if (period < TimeSpan.FromMinutes(1))
            return base.CreateTimer(callback, state, dueTime, period);
        var timer = new Minutes(this);
        everyMinute[timer] = () => callback(state);
        return timer;
    }

    private sealed class Minutes(MinutesByHand clock) : ITimer
    {
        public bool Change(TimeSpan dueTime, TimeSpan period) => true;

        public void Dispose() => clock.everyMinute.TryRemove(this, out _);

        public ValueTask DisposeAsync()
        {
            Dispose();
            return ValueTask.CompletedTask;
        }
    }
}

/// <summary>Keeps what a server logs as an error.</summary>
public sealed class ErrorLog : ILoggerProvider, ILogger
{
    private readonly List<string> told = [];

    public string Newest
    {
        get
        {
            lock (told)
                return told.Count == 0 ? "nothing was logged" : told[^1];
        }
    }

    public ILogger CreateLogger(string categoryName) => this;

    public IDisposable? BeginScope<TState>(TState state)
        where TState : notnull => null;

    public bool IsEnabled(LogLevel logLevel) => logLevel >= LogLevel.Error;

    public void Log<TState>(
        LogLevel logLevel,
        EventId eventId,
        TState state,
        Exception? exception,
        Func<TState, Exception?, string> formatter
    )
    {
        if (logLevel < LogLevel.Error)
            return;
        lock (told)
            told.Add($"{formatter(state, exception)} {exception}");
    }

    public void Dispose() { }
}
