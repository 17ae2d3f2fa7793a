using System.Diagnostics;

namespace Ripen.Server.Tests;

internal static class CommandLine
{
    /// <summary>Runs the built <c>ripen</c> as a shell would.</summary>
    public static Task<(int Code, string Output, string Errors)> Run(params string[] arguments) =>
        Run(new Dictionary<string, string>(), arguments);

    /// <summary>The same with variables of the environment.</summary>
    public static async Task<(int Code, string Output, string Errors)> Run(
        IReadOnlyDictionary<string, string> variables,
        params string[] arguments
    )
    {
        var start = new ProcessStartInfo(Published.CommandLine, arguments)
        {
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        foreach (var (name, value) in variables)
            start.Environment[name] = value;
        using var process = Process.Start(start)!;
        process.StandardInput.Close();
        var output = process.StandardOutput.ReadToEndAsync();
        var errors = process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, await output, await errors);
    }
}
