using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Server.Backups;

/// <summary>A plan, and with it when packs of its target age.</summary>
public sealed record PlanBody : BackupPlan
{
    /// <summary>Steps of the target's bucket for what plans store there, oldest last; empty for none, null for what there is.</summary>
    public IReadOnlyList<Step>? PacksAge { get; init; }
}

/// <summary>A plan as it is to be, and its target's bucket where packs are to age otherwise.</summary>
/// <param name="Plan">Valid in <paramref name="After"/>.</param>
/// <param name="After">The estate with both.</param>
/// <param name="Bucket">Null where it stays as it is.</param>
internal sealed partial record PlanOrder(BackupPlan Plan, Estate After, Bucket? Bucket)
{
    private const string Steps = "packsAge";

    /// <summary>Reads a plan, with which <c>packsAge</c> may come: steps of a tier and an age, by which packs of the plan's target age.</summary>
    public static Checked<PlanOrder> Read(string json, Estate estate)
    {
        var (text, steps, wrong) = Part(json);
        if (wrong is not null)
            return new Checked<PlanOrder>([wrong]);
        var plan = EstateDocument.ReadPlan(text, estate);
        if (!plan.Ok)
            return new Checked<PlanOrder>(plan.Problems);
        var after = estate with
        {
            Plans = estate.Plans.Any(p => p.Id == plan.Value.Id)
                ? [.. estate.Plans.Select(p => p.Id == plan.Value.Id ? plan.Value : p)]
                : [.. estate.Plans, plan.Value],
        };
        var target = after.Targets.First(t => t.Id == plan.Value.Target);
        if (steps is null || (target.Bucket is null && steps.Count == 0))
            return new Checked<PlanOrder>(new PlanOrder(plan.Value, after, null));
        if (target.Bucket is not { } name)
            return new Checked<PlanOrder>([
                new Problem("no-bucket", $"$.{Steps}", $"'{target.Name}' is no bucket: what lies there has no tiers to age through."),
            ]);
        var bucket = PackSteps.With(after, target, steps);
        var rule = bucket.Rules.ToList().FindIndex(r => r.Id == PackSteps.RuleOf(target.Id));
        var read = EstateDocument.ReadBucket(JsonSerializer.Serialize(bucket.WithoutContents(), EstateDocument.Json), after, name);
        if (!read.Ok)
            return new Checked<PlanOrder>([.. read.Problems.Select(p => p with { Path = PathOf(p.Path, rule) })]);
        return new Checked<PlanOrder>(new PlanOrder(plan.Value, after.With(bucket, name), bucket));
    }

    /// <summary>The same with the bucket's stock, cut as its rules ask.</summary>
    public PlanOrder WithStock(CurrentEstate current, Estate before)
    {
        if (Bucket is null)
            return this;
        var whole = current.WithStock(Bucket, before.Find(Bucket.Name)!);
        return this with { Bucket = whole, After = After.With(whole, whole.Name) };
    }

    private static (string Plan, IReadOnlyList<Step>? Steps, Problem? Wrong) Part(string json)
    {
        JsonDocument document;
        try
        {
            document = JsonDocument.Parse(json);
        }
        catch (JsonException)
        {
            // What is no JSON is told by whoever reads the plan.
            return (json, null, null);
        }
        using (document)
        {
            if (document.RootElement.ValueKind != JsonValueKind.Object || !document.RootElement.TryGetProperty(Steps, out var steps))
                return (json, null, null);
            using var plan = new MemoryStream();
            using (var writer = new Utf8JsonWriter(plan))
            {
                writer.WriteStartObject();
                foreach (var property in document.RootElement.EnumerateObject().Where(p => !p.NameEquals(Steps)))
                    property.WriteTo(writer);
                writer.WriteEndObject();
            }
            var text = Encoding.UTF8.GetString(plan.ToArray());
            try
            {
                var read = steps.Deserialize<Step?[]>(EstateDocument.Json);
                if (read is null || read.All(s => s is not null))
                    return (text, read!, null);
            }
            catch (JsonException)
            {
                // Said below.
            }
            return (text, null, new Problem("wrong-type", $"$.{Steps}", "Write a list of steps, each with an age in days and a tier."));
        }
    }

    /// <summary>Where in the order that stands which is wrong in the bucket.</summary>
    private static string PathOf(string path, int rule) =>
        RulePath().Match(path) is { Success: true } match && match.Groups["rule"].Value == $"{rule}"
            ? $"$.{Steps}{(match.Groups["step"].Success ? match.Groups["step"].Value : "")}"
            : path;

    [GeneratedRegex(@"^\$\.rules\[(?<rule>\d+)\](\.steps(?<step>.*))?")]
    private static partial Regex RulePath();
}
