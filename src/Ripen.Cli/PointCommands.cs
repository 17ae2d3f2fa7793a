using System.CommandLine;
using Ripen.Core;
using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Cli;

/// <summary>Commands on an estate document's backup plans: its restore points on a day, and what a restore takes.</summary>
internal static class PointCommands
{
    private const int Unusable = 2;

    public static Command Points()
    {
        var file = Commands.EstateFile();
        var on = new Option<DateOnly>("--on") { Description = "the day, after its runs", Required = true };
        var format = new Option<string>("--format") { Description = "csv (RFC 4180) or json", DefaultValueFactory = _ => "csv" };
        format.AcceptOnlyFromAmong("csv", "json");
        var command = new Command("points", "Print the restore points that an estate's plans have on a day.") { file, on, format };
        command.SetAction(parsed =>
            Commands.WithEstate(
                parsed.GetRequiredValue(file),
                estate =>
                {
                    var points = RestorePoints.On(estate, parsed.GetRequiredValue(on));
                    if (parsed.GetValue(format) == "json")
                        RestorePoints.WriteJson(points, Console.Out);
                    else
                        RestorePoints.WriteCsv(points, Console.Out);
                    return 0;
                }
            )
        );
        return command;
    }

    public static Command RestoreEstimate()
    {
        var file = Commands.EstateFile();
        var plan = new Option<string>("--plan") { Description = "the plan's id", Required = true };
        var workload = new Option<string>("--workload") { Description = "the workload's id", Required = true };
        var target = new Option<string>("--target") { Description = "the target's id", Required = true };
        var taken = new Option<DateOnly>("--taken") { Description = "the point's day", Required = true };
        var on = new Option<DateOnly>("--on") { Description = "the day of the restore", Required = true };
        var speed = new Option<string?>("--speed") { Description = "the id of a recall speed; otherwise the ordinary one" };
        var to = new Option<string?>("--to") { Description = "the region into which it is restored" };
        var line = new Option<double?>("--line") { Description = "bytes a second; otherwise no limit" };
        line.Validators.Add(result =>
        {
            if (result.Tokens.Count == 1 && result.GetValueOrDefault<double?>() is not > 0)
                result.AddError("--line must be above 0.");
        });
        var command = new Command("restore-estimate", "Print what the restore of a point takes and costs, as JSON.")
        {
            file,
            plan,
            workload,
            target,
            taken,
            on,
            speed,
            to,
            line,
        };
        command.SetAction(parsed =>
            Commands.WithEstate(
                parsed.GetRequiredValue(file),
                estate =>
                {
                    try
                    {
                        var estimate = Core.Backups.RestoreEstimate.Of(
                            estate,
                            new RestoreQuestion
                            {
                                Plan = parsed.GetRequiredValue(plan),
                                Workload = parsed.GetRequiredValue(workload),
                                Target = parsed.GetRequiredValue(target),
                                Taken = parsed.GetRequiredValue(taken),
                                On = parsed.GetRequiredValue(on),
                                Speed = parsed.GetValue(speed),
                                To = parsed.GetValue(to),
                                LineBytesPerSecond = parsed.GetValue(line),
                            }
                        );
                        Console.WriteLine(EstateDocument.Text(estimate));
                        return 0;
                    }
                    catch (RefusalException nothing)
                    {
                        Console.Error.WriteLine(nothing.Message);
                        return Unusable;
                    }
                }
            )
        );
        return command;
    }
}
