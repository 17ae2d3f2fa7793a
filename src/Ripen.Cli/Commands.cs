using System.CommandLine;
using Ripen.Core;
using Ripen.Core.Ageing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Files;

namespace Ripen.Cli;

/// <summary>The commands of <c>ripen</c>. Exit codes: 0 done, 1 a wrong command line, 2 an estate or file that cannot be used.</summary>
internal static class Commands
{
    private const int Unusable = 2;

    public static RootCommand Root()
    {
        var root = new RootCommand("Ripen: what storage costs as data ages.")
        {
            Check(),
            Forecast(),
            Schema(),
            PointCommands.Points(),
            PointCommands.RestoreEstimate(),
        };
        foreach (var command in ServerCommands.All())
            root.Add(command);
        return root;
    }

    internal static Argument<FileInfo> EstateFile() => new("ESTATE.json") { Description = "an estate document" };

    private static Command Check()
    {
        var file = EstateFile();
        var command = new Command("check", "Read an estate document and report every error in it.") { file };
        command.SetAction(parsed => WithEstate(parsed.GetRequiredValue(file), _ => 0));
        return command;
    }

    private static Command Forecast()
    {
        var file = EstateFile();
        var months = new Option<int>("--months") { Description = $"calendar months, 1 to {BillingCalendar.MostMonths}", Required = true };
        months.Validators.Add(result =>
        {
            if (result.Tokens.Count == 1 && result.GetValueOrDefault<int>() is < 1 or > BillingCalendar.MostMonths)
            {
                result.AddError($"--months must be from 1 to {BillingCalendar.MostMonths}.");
            }
        });
        var format = new Option<string>("--format")
        {
            Description = "csv (RFC 4180), json, focus (FOCUS 1.0 as CSV), xlsx or parquet",
            DefaultValueFactory = _ => "csv",
        };
        format.AcceptOnlyFromAmong("csv", "json", "focus", "xlsx", "parquet");
        var output = new Option<FileInfo?>("--out") { Description = "write to this file instead of standard output" };

        var command = new Command("forecast", "Print what the estate uses and costs, month by month.") { file, months, format, output };
        command.SetAction(parsed =>
            WithEstate(
                parsed.GetRequiredValue(file),
                estate =>
                {
                    var projection = Projection.Of(estate, parsed.GetRequiredValue(months));
                    var rows = projection.Rows();
                    var of = new BillOf(estate.Name, estate, IsProjected: true);
                    switch (parsed.GetValue(format))
                    {
                        case "json":
                            return Write(writer => ForecastFiles.WriteJson(rows, writer), parsed.GetValue(output));
                        case "focus":
                            return Write(writer => FocusFile.Write(rows.Select(BillLine.Of), of, writer), parsed.GetValue(output));
                        case "xlsx":
                            return WriteBytes(to => Workbook.Write([.. rows.Select(BillLine.Of)], of, to), parsed.GetValue(output));
                        case "parquet":
                            return WriteBytes(
                                to => ParquetFile.Write(rows.Select(BillLine.Of), to, CancellationToken.None).GetAwaiter().GetResult(),
                                parsed.GetValue(output)
                            );
                        default:
                            return WriteBytes(to => ForecastFiles.WriteCsv(projection, to), parsed.GetValue(output));
                    }
                }
            )
        );
        return command;
    }

    private static Command Schema()
    {
        var command = new Command("schema", "Print the JSON Schema of the estate document.");
        command.SetAction(_ => Write(writer => writer.Write(EstateDocument.Schema()), null));
        return command;
    }

    internal static int WithEstate(FileInfo file, Func<Estate, int> use)
    {
        string json;
        try
        {
            json = File.ReadAllText(file.FullName);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            Console.Error.WriteLine($"{file}: cannot be read: {e.Message}");
            return Unusable;
        }
        var estate = EstateDocument.Read(json);
        if (estate.Ok)
            return use(estate.Value);
        foreach (var problem in estate.Problems)
            Console.Error.WriteLine($"{file}: {problem.Path}: {problem.Code}: {problem.Message}");
        return Unusable;
    }

    /// <summary>Writes to a file whole or not at all: next to it first, then in its place.</summary>
    private static int Write(Action<TextWriter> write, FileInfo? output) =>
        WriteBytes(
            stream =>
            {
                using var writer = new StreamWriter(stream, leaveOpen: true);
                write(writer);
            },
            output
        );

    private static int WriteBytes(Action<Stream> write, FileInfo? output)
    {
        if (output is null)
        {
            using var console = Console.OpenStandardOutput();
            write(console);
            return 0;
        }
        var part = output.FullName + ".part";
        try
        {
            using (var file = File.Create(part))
                write(file);
            File.Move(part, output.FullName, overwrite: true);
            return 0;
        }
        catch (RefusalException refusal)
        {
            File.Delete(part);
            Console.Error.WriteLine(refusal.Message);
            return Unusable;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            File.Delete(part);
            Console.Error.WriteLine($"{output}: cannot be written: {e.Message}");
            return Unusable;
        }
    }
}
