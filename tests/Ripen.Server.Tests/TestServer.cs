using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.Logging;

namespace Ripen.Server.Tests;

/// <summary>The server in this process, on a SQLite file of its own; stopping and starting again keeps the file.</summary>
public sealed class TestServer : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("ripen-server-").FullName;
    private WebApplicationFactory<Program> factory;

    public TestServer(bool demo = true)
    {
        Demo = demo;
        factory = Factory();
        Http = factory.CreateClient();
    }

    public HttpClient Http { get; private set; }

    public string Database => Path.Combine(folder, "ripen.db");

    private bool Demo { get; }

    public string ProviderFolder => Path.Combine(folder, "provider");

    /// <summary>Until <see cref="Restart"/>, so that somebody can work on its files.</summary>
    public void Stop()
    {
        Http.Dispose();
        factory.Dispose();
        SqliteConnection.ClearAllPools();
    }

    public void Restart()
    {
        Stop();
        factory = Factory();
        Http = factory.CreateClient();
    }

    public void Dispose()
    {
        Http.Dispose();
        factory.Dispose();
        SqliteConnection.ClearAllPools();
        Directory.Delete(folder, recursive: true);
    }

    public async Task<(JsonNode Body, string Tag)> Get(string path)
    {
        var response = await Http.GetAsync(new Uri(path, UriKind.Relative));
        response.EnsureSuccessStatusCode();
        return ((await response.Content.ReadFromJsonAsync<JsonNode>())!, response.Headers.ETag?.Tag ?? "");
    }

    public async Task<HttpResponseMessage> Send(HttpMethod method, string path, string? json = null, string? ifMatch = null)
    {
        using var request = new HttpRequestMessage(method, new Uri(path, UriKind.Relative));
        if (json is not null) request.Content = new StringContent(json, Encoding.UTF8, "application/json");
        if (ifMatch is not null) request.Headers.TryAddWithoutValidation("If-Match", ifMatch);
        return await Http.SendAsync(request);
    }

    private WebApplicationFactory<Program> Factory() => new WebApplicationFactory<Program>().WithWebHostBuilder(builder =>
    {
        builder.UseEnvironment("Production").UseContentRoot(AppContext.BaseDirectory).ConfigureLogging(logging => logging.ClearProviders());
        builder.UseSetting("Ripen:Database", Database);
        builder.UseSetting("Ripen:Demo", Demo.ToString());
        builder.UseSetting("Ripen:DemoPast", "false");
    });
}
