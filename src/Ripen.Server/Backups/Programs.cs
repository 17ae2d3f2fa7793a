using System.ComponentModel;
using System.Diagnostics;
using Ripen.Backup.Points;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>Runs what makes a workload consistent: programs that whoever looks after the server has put into one folder. A workload names
/// one of them, and can say nothing to it.</summary>
/// <param name="folder">Theirs; it need not be there.</param>
/// <param name="log">Told of what failed while something else did.</param>
internal sealed class Programs(string folder, ILogger<Programs> log)
{
    private const int MostWords = 2000;

    /// <summary>After so long a program is ended.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromMinutes(10);

    /// <param name="name">In the folder; null for nothing to run.</param>
    /// <param name="workload">Told to the program as RIPEN_WORKLOAD.</param>
    /// <param name="stop">Ends the program.</param>
    /// <exception cref="RefusalException">It is not there, cannot be started, or ends with another status than 0.</exception>
    private async Task Run(string? name, Workload workload, CancellationToken stop)
    {
        if (name is null)
            return;
        var path = Path.Combine(folder, name);
        if (Path.GetFileName(name) != name || !File.Exists(path))
            throw Failed(name, $"there is no such file in '{folder}'");
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(Patience);
        using var process = Start(path, name, workload);
        process.StandardInput.Close();
        try
        {
            var words = Task.WhenAll(
                process.StandardOutput.ReadToEndAsync(patience.Token),
                process.StandardError.ReadToEndAsync(patience.Token)
            );
            await process.WaitForExitAsync(patience.Token);
            if (process.ExitCode != 0)
            {
                var said = string.Join(' ', await words).Trim();
                throw Failed(name, $"it ended with {process.ExitCode}. {(said.Length > MostWords ? said[^MostWords..] : said)}".TrimEnd());
            }
        }
        catch (OperationCanceledException)
        {
            process.Kill(entireProcessTree: true);
            if (stop.IsCancellationRequested)
                throw;
            throw Failed(name, $"it was ended after {Wording.Span(Patience)}");
        }
    }

    /// <summary>Does something between a workload's two programs. What the first one stopped is set going again however that went.</summary>
    /// <returns>What was done, and that the second one failed.</returns>
    /// <exception cref="RefusalException">The first one failed; nothing was done.</exception>
    public async Task<(T Result, IReadOnlyList<RunProblem> Problems)> Around<T>(
        Workload workload,
        Func<Task<T>> act,
        CancellationToken stop
    )
    {
        var (before, after) = (workload.Source!.Before, workload.Source.After);
        T result;
        try
        {
            await Run(before, workload, stop);
            result = await act();
        }
        catch
        {
            if (await After() is { } failed)
                log.LogError("{Workload}: {Why}", workload.Id, failed.What);
            throw;
        }
        return (result, await After() is { } problem ? [problem] : []);

        async Task<RunProblem?> After()
        {
            try
            {
                await Run(after, workload, CancellationToken.None);
                return null;
            }
            catch (RefusalException failed)
            {
                return new RunProblem(after!, failed.Message);
            }
        }
    }

    private static Process Start(string path, string name, Workload workload)
    {
        try
        {
            return Process.Start(
                new ProcessStartInfo(path)
                {
                    RedirectStandardInput = true,
                    RedirectStandardOutput = true,
                    RedirectStandardError = true,
                    WorkingDirectory = Path.GetDirectoryName(path)!,
                    Environment = { ["RIPEN_WORKLOAD"] = workload.Id },
                }
            )!;
        }
        catch (Win32Exception error)
        {
            throw Failed(name, error.Message);
        }
    }

    private static RefusalException Failed(string name, string why) =>
        new(RefusalKind.Conflict, "program-failed", $"'{name}', which is to run with it, failed: {why}");
}
