using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using Ripen.Server.Tests;

namespace Ripen.Browser.Tests;

/// <summary>The real server on a free port with a database of its own, and a headless browser that looks at it.</summary>
public sealed class RunningRipen : IAsyncDisposable
{
    private readonly string folder;
    private readonly bool demo;
    private Process server;
    private readonly ChromeDriverService driverService;

    private RunningRipen(Process server, string folder, Uri address, bool demo)
    {
        this.server = server;
        this.folder = folder;
        this.demo = demo;
        Address = address;
        driverService = ChromeDriverService.CreateDefaultService("/usr/bin", "chromedriver");
        var options = new ChromeOptions { BinaryLocation = "/usr/bin/chromium" };
        options.AddArguments(
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--no-first-run",
            $"--user-data-dir={Path.Combine(folder, "browser")}",
            "--window-size=1280,800"
        );
        options.AddUserProfilePreference("download.default_directory", folder);
        Browser = new ChromeDriver(driverService, options);
    }

    public Uri Address { get; }

    public IWebDriver Browser { get; }

    /// <summary>Where downloads go.</summary>
    public string Folder => folder;

    public static async Task<RunningRipen> Start(bool demo = true)
    {
        var folder = Directory.CreateTempSubdirectory("ripen-browser-").FullName;
        var address = new Uri($"http://127.0.0.1:{FreePort()}");
        var server = Launch(folder, address, demo);
        await Ready(address);
        return new RunningRipen(server, folder, address, demo);
    }

    /// <summary>The server goes, and nobody answers at its address.</summary>
    public async Task StopServer()
    {
        server.Kill();
        await server.WaitForExitAsync();
        server.Dispose();
    }

    /// <summary>It comes again, with the same files at the same address.</summary>
    public async Task StartServer()
    {
        server = Launch(folder, Address, demo);
        await Ready(Address);
    }

    private static Process Launch(string folder, Uri address, bool demo)
    {
        var server = Process.Start(
            new ProcessStartInfo(
                Published.Server,
                [
                    $"--urls={address}",
                    $"--Ripen:Database={Path.Combine(folder, "ripen.db")}",
                    $"--Ripen:Demo={demo}",
                    "--Ripen:DemoPast=false",
                    "--Ripen:NbdPort=0",
                ]
            )
            {
                RedirectStandardOutput = true,
            }
        )!;
        server.OutputDataReceived += (_, _) => { };
        server.BeginOutputReadLine();
        return server;
    }

    private static async Task Ready(Uri address)
    {
        using var client = new HttpClient { BaseAddress = address };
        for (var attempt = 0; ; attempt++)
        {
            try
            {
                await client.GetStringAsync("/health");
                return;
            }
            catch (HttpRequestException) when (attempt < 600)
            {
                await Task.Delay(100);
            }
        }
    }

    public async ValueTask DisposeAsync()
    {
        Browser.Quit();
        driverService.Dispose();
        server.Kill();
        await server.WaitForExitAsync();
        server.Dispose();
        Directory.Delete(folder, recursive: true);
    }

    private static int FreePort()
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return ((IPEndPoint)listener.LocalEndpoint).Port;
    }
}
