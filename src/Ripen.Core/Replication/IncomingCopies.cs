using Ripen.Core.Arrays;
using Ripen.Core.Backups;
using Ripen.Core.Estates;

namespace Ripen.Core.Replication;

/// <summary>Another bucket's rule that brings copies into this one; <see cref="Flow"/> is null where the line has no limit and copies
/// arrive on the same day.</summary>
public sealed record IncomingCopy(Bucket From, CopyRule Rule, CopyFlow? Flow);

/// <summary>All copies of an estate, what its plans store, and what its arrays let go, by the bucket that they arrive in, over the days of a projection.</summary>
public sealed class IncomingCopies
{
    private readonly Dictionary<string, List<IncomingCopy>> byTarget = [];
    private readonly Dictionary<(string Bucket, int Rule), CopyFlow> flows = [];
    private readonly Dictionary<(string From, string To), LineFlow> lines = [];

    private IReadOnlyList<LocalArray> arraysOf = [];
    private Dictionary<string, List<ArrayArrivals>> arrays = [];

    private IncomingCopies(PlannedRuns planned) => Planned = planned;

    /// <summary>What plans bring into buckets.</summary>
    public PlannedRuns Planned { get; }

    /// <param name="estate">Valid.</param>
    /// <param name="days">How far to look, from the estate's today.</param>
    /// <param name="previous"> Those of the estate before a change, over the same days, with the same today and price book: lines whose
    /// rules and buckets are the very same are taken over.
    /// </param>
    public static IncomingCopies Of(Estate estate, int days, IncomingCopies? previous = null)
    {
        var copies = new IncomingCopies(PlannedRuns.Of(estate, days, previous?.Planned));
        var all = estate.Buckets.SelectMany(b => b.CopyTo.Select((rule, i) => (From: b, Rule: rule, Index: i))).ToList();
        // Their own record is made once: a bucket whose arrivals are the very same is not computed again.
        copies.arrays =
            previous is not null
            && ReferenceEquals(previous.arraysOf, estate.Arrays)
            && previous.arrays.Keys.All(b => ReferenceEquals(previous.arrays[b][0].Copy.From, estate.Find(b)))
                ? previous.arrays
                : ArraysOf(estate, days);
        copies.arraysOf = estate.Arrays;
        foreach (var line in all.GroupBy(r => (From: r.From.Region, To: estate.Find(r.Rule.Bucket)!.Region)))
        {
            if (estate.PriceBook.FindTransfer(line.Key.From, line.Key.To) is not { MegabitsPerSecond: not null } terms)
                continue;
            var rules = line.Select(r => new LineFlow.RuleOnLine(
                    r.From,
                    r.Rule,
                    copies.ArraysInto(r.From.Name),
                    copies.Planned.Into(r.From.Name)
                ))
                .ToList();
            var known = previous?.lines.GetValueOrDefault(line.Key);
            var flow = copies.lines[line.Key] =
                known?.IsOf(rules) == true ? known : LineFlow.Of(rules, terms.BytesPerSecond, estate.Today, days);
            foreach (var (rule, own) in line.Zip(flow.Flows))
                copies.flows[(rule.From.Name, rule.Index)] = own;
        }
        foreach (var (from, rule, i) in all)
        {
            if (!copies.byTarget.TryGetValue(rule.Bucket, out var into))
                copies.byTarget[rule.Bucket] = into = [];
            into.Add(new IncomingCopy(from, rule, copies.FlowOf(from, i)));
        }
        foreach (var (bucket, arrivals) in copies.arrays)
        {
            copies.byTarget[bucket] = [.. copies.Into(bucket), .. arrivals.Select(a => a.Copy)];
            foreach (var (from, rule, _) in all.Where(r => r.From.Name == bucket && copies.FlowOf(r.From, r.Index) is null))
            {
                var copied = copies.FromArrays(bucket).Where(c => rule.Scope.Takes(c.Stream.Prefix, c.Stream.Tags)).ToList();
                copies.byTarget[rule.Bucket] = [.. copies.Into(rule.Bucket), new IncomingCopy(from, rule, new CopyFlow(copied, []))];
            }
        }
        return copies;
    }

    private static Dictionary<string, List<ArrayArrivals>> ArraysOf(Estate estate, int days) =>
        estate
            .Arrays.Where(a => a.Bucket is not null)
            .Select(a => ArrayOutflow.Of(a, estate.Find(a.Bucket!)!, estate.Today, days))
            .OfType<ArrayArrivals>()
            .GroupBy(a => a.Copy.From.Name)
            .ToDictionary(a => a.Key, a => a.ToList());

    /// <summary>What local arrays bring into a bucket.</summary>
    internal IEnumerable<SameDayCopies> FromArrays(string bucket) =>
        arrays.TryGetValue(bucket, out var into) ? into.SelectMany(i => i.Copy.Flow!.SameDay) : [];

    /// <summary>The same by array.</summary>
    internal IReadOnlyList<ArrayArrivals> ArraysInto(string bucket) => arrays.TryGetValue(bucket, out var into) ? into : [];

    /// <summary>In the order of the estate's buckets and their rules.</summary>
    public IReadOnlyList<IncomingCopy> Into(string bucket) => byTarget.TryGetValue(bucket, out var into) ? into : [];

    /// <summary>What the rule of this place in the bucket's list brings; null where its line has no limit.</summary>
    internal CopyFlow? FlowOf(Bucket from, int rule) => flows.GetValueOrDefault((from.Name, rule));
}
