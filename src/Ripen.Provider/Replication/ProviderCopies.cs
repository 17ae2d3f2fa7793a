using Microsoft.Data.Sqlite;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;
using Ripen.Provider.Replication.Queues;

namespace Ripen.Provider.Replication;

/// <summary>A line from one region to another, as it stands.</summary>
/// <param name="From">A region.</param>
/// <param name="To">Another, or the same.</param>
/// <param name="MegabitsPerSecond">Null without a limit.</param>
/// <param name="RoundTripMilliseconds">There and back.</param>
/// <param name="PerUnit">Money for a unit of bytes.</param>
/// <param name="State">Whether anything passes.</param>
/// <param name="Since">Of a cut or loss.</param>
/// <param name="Until">Of a cut that ends by itself.</param>
/// <param name="Rules">How many copy rules use it.</param>
public sealed record LineStatus(
    string From,
    string To,
    double? MegabitsPerSecond,
    double RoundTripMilliseconds,
    double PerUnit,
    LineState State,
    DateTimeOffset? Since,
    DateTimeOffset? Until,
    int Rules
);

/// <summary>Copies elsewhere, as the provider makes them: how rules stand, their lines, proofs, and what a region's loss means.</summary>
public sealed class ProviderCopies
{
    private readonly ProviderState state;
    private readonly Probes probes;
    private readonly Audits audits;
    private readonly Losses losses;

    internal ProviderCopies(ProviderState state, Probes probes)
    {
        (this.state, this.probes) = (state, probes);
        audits = new Audits(state);
        losses = new Losses(state);
    }

    public IReadOnlyList<CopyRuleStatus> Rules() => state.Index.Read(db => CopyStatuses.All(db, state.TermsIn(db)));

    /// <summary>The lines that rules use or the price book names.</summary>
    public IReadOnlyList<LineStatus> LinesBetweenRegions() =>
        state.Index.Read(db =>
        {
            var prices = state.TermsIn(db).Prices;
            var used = Routes.All(db, state.TermsIn(db)).GroupBy(r => r.Line).ToDictionary(l => l.Key, l => l.Count(r => !r.IsRefill));
            var cuts = Lines.Cuts(db);
            var lost = Lines.Lost(db);
            return prices
                .Transfers.Where(t => prices.FindRegion(t.From) is not null && prices.FindRegion(t.To) is not null)
                .Select(t => new LineEnds(t.From, t.To))
                .Union(used.Keys)
                .OrderBy(l => l.From, StringComparer.Ordinal)
                .ThenBy(l => l.To, StringComparer.Ordinal)
                .Select(ends =>
                {
                    var transfer = prices.FindTransfer(ends.From, ends.To);
                    var cut = cuts.Find(c => (c.One, c.Other) == (ends.From, ends.To) || (c.One, c.Other) == (ends.To, ends.From));
                    var gone = lost.Find(l => l.Region == ends.From || l.Region == ends.To);
                    return new LineStatus(
                        ends.From,
                        ends.To,
                        transfer?.MegabitsPerSecond,
                        transfer?.RoundTripMilliseconds ?? 0,
                        prices.TransferPrice(ends.From, ends.To).PerUnit,
                        gone is not null ? LineState.Lost
                            : cut is not null ? LineState.Cut
                            : LineState.Open,
                        gone?.Since ?? cut?.Since,
                        gone is null ? cut?.Until : null,
                        used.GetValueOrDefault(ends)
                    );
                })
                .ToList();
        });

    /// <summary>Nothing passes between the two regions, in either direction, until it is restored, or until an instant of the provider's
    /// clock.</summary>
    public void Cut(string from, string to, DateTimeOffset? until) =>
        state.Change(db =>
        {
            CheckRegions(db, from, to);
            if (until <= ProviderState.Now(db))
                throw new RefusalException(
                    RefusalKind.Invalid,
                    "out-of-range",
                    $"The cut would be over before it begins; it is {ProviderState.Now(db):yyyy-MM-dd'T'HH:mm:ss'Z'} for the provider.",
                    "$.until"
                );
            Lines.Cut(db, from, to, until);
            var end = until is { } instant ? $" until {instant:yyyy-MM-dd HH:mm} of the provider's clock" : "";
            state.Note(db, "", $"cut the line {Between(db, from, to)}{end}");
        });

    public void Restore(string from, string to) =>
        state.Change(db =>
        {
            CheckRegions(db, from, to);
            Lines.Restore(db, from, to);
            state.Note(db, "", $"restored the line {Between(db, from, to)}");
        });

    public IReadOnlyList<LostRegion> LostRegions() => state.Index.Read(Lines.Lost);

    /// <summary>What the loss of the region would mean now; what it means, when it is lost.</summary>
    public RegionLoss LossOf(string region) => losses.Foresee(region);

    public RegionLoss Lose(string region) => losses.Lose(region);

    /// <summary>The record of what came back.</summary>
    /// <param name="region">That is lost.</param>
    /// <param name="withItsData">Or empty.</param>
    /// <param name="keptSeen">The <see cref="RegionLoss.KeptSeen"/> of the list of what is kept there and would be destroyed; not needed
    /// with its data.</param>
    /// <exception cref="RefusalException">The region is not lost; time passes; what is kept was not looked at.</exception>
    public ProofHead BringBack(string region, bool withItsData, string? keptSeen = null) => losses.BringBack(region, withItsData, keptSeen);

    /// <summary>Queues everything that only a bucket's copies have; the number of entries queued.</summary>
    public int Refill(string bucket, CancellationToken cancel) => audits.Refill(bucket, cancel);

    /// <summary>All other places of a version.</summary>
    public IReadOnlyList<CopyOfObject> Of(string bucket, long version) =>
        state.Index.Read(db => ObjectCopies.Of(db, state.TermsIn(db), bucket, version));

    public Task<ProbeUnderWay> Probe(long rule, CancellationToken cancel) => probes.Start(rule, cancel);

    public IReadOnlyList<ProbeUnderWay> ProbesUnderWay() => state.Index.Read(Probes.UnderWay);

    public void GiveUpProbe(long probe) => probes.GiveUp(probe);

    /// <summary>Compares both sides of a rule and keeps a record.</summary>
    public AuditResult Audit(long rule, bool readEverything, CancellationToken cancel) =>
        audits.Run(rule, readEverything, keepRecord: true, cancel);

    /// <summary>Compares both sides of a rule.</summary>
    public AuditResult Compare(long rule) => audits.Run(rule, readEverything: false, keepRecord: false, CancellationToken.None);

    /// <summary>How many objects of the source the target does not have, waiting ones included; for a rule that copies
    /// everything.</summary>
    public double Missing(long rule) => audits.Missing(rule);

    /// <summary>Mends all differences of a kind, or the one of a version; how many.</summary>
    public int Mend(long rule, string kind, Mending mending, long? version, CancellationToken cancel) =>
        audits.Mend(rule, kind, mending, version, cancel);

    public IReadOnlyList<ProofHead> Records(int most) => state.Index.Read(db => Proofs.Newest(db, most));

    public ProofRecord Record(long id) => state.Index.Read(db => Proofs.Find(db, id));

    private string Between(SqliteConnection db, string from, string to)
    {
        var prices = state.TermsIn(db).Prices;
        return $"{prices.RegionName(from)} – {prices.RegionName(to)}";
    }

    private void CheckRegions(SqliteConnection db, params ReadOnlySpan<string> regions)
    {
        foreach (var region in regions)
        {
            if (state.TermsIn(db).Prices.FindRegion(region) is null)
                throw new RefusalException(RefusalKind.NotFound, "no-region", $"There is no region '{region}'.");
        }
    }
}
