using System.Diagnostics;
using System.Net;
using System.Net.Sockets;

namespace Ripen.Server.Tests;

/// <summary>The built server as a process of its own, on a folder that outlives it.</summary>
internal sealed class ServerProcess : IAsyncDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("ripen-process-").FullName;
    private Process? process;

    public string Folder => folder;

    /// <summary>Where contents are while they come.</summary>
    public string Incoming => Path.Combine(folder, "provider", "incoming");

    public HttpClient Http { get; private set; } = new();

    public Uri Address => Http.BaseAddress!;

    public async Task Start()
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        var address = new Uri($"http://127.0.0.1:{((IPEndPoint)listener.LocalEndpoint).Port}");
        listener.Stop();
        process = Process.Start(
            new ProcessStartInfo(
                Published.Server,
                [
                    $"--urls={address}",
                    $"--Ripen:Database={Path.Combine(folder, "ripen.db")}",
                    "--Ripen:Demo=true",
                    "--Ripen:DemoPast=false",
                    "--Ripen:NbdPort=0",
                ]
            )
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            }
        )!;
        process.BeginOutputReadLine();
        process.BeginErrorReadLine();
        Http.Dispose();
        Http = new HttpClient { BaseAddress = address };
        Http.DefaultRequestHeaders.Add("Ripen-Request", "1");
        for (var attempt = 0; ; attempt++)
        {
            try
            {
                await Http.GetStringAsync("/health");
                return;
            }
            catch (HttpRequestException) when (attempt < 1200)
            {
                await Task.Delay(50);
            }
        }
    }

    /// <summary>SIGKILL: nothing of the process gets to run any more.</summary>
    public async Task Kill()
    {
        if (process is null)
            return;
        process.Kill();
        await process.WaitForExitAsync();
        process.Dispose();
        process = null;
    }

    public async ValueTask DisposeAsync()
    {
        await Kill();
        Http.Dispose();
        Directory.Delete(folder, recursive: true);
    }
}
