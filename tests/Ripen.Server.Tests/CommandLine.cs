using System.Diagnostics;

namespace Ripen.Server.Tests;

internal static class CommandLine
{
    /// <summary>Runs the built <c>ripen</c> as a shell would.</summary>
    public static async Task<(int Code, string Output, string Errors)> Run(params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo(Published.CommandLine, arguments) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        var output = process.StandardOutput.ReadToEndAsync();
        var errors = process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, await output, await errors);
    }
}
