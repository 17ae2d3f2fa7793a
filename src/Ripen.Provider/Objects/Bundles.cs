using System.Formats.Tar;
using System.IO.Pipelines;
using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Retention;

namespace Ripen.Provider.Objects;

/// <summary>Which objects are to be bundled by hand.</summary>
/// <param name="Bucket">Its name.</param>
/// <param name="Prefix">Current objects under it.</param>
/// <param name="SmallerThan">Only those of fewer bytes.</param>
public sealed record BundleOrder(string Bucket, string Prefix, long SmallerThan);

/// <summary>What bundling does, foreseen or done.</summary>
/// <param name="Bundle">The archive's key; null while it is only foreseen.</param>
/// <param name="Objects">That go into it.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="Kept">Left out because retention or a hold keeps them where they are.</param>
/// <param name="Waiting">Left out because reading them takes a wait.</param>
/// <param name="More">Left for another bundle.</param>
/// <param name="Stayed">In the bundle, and there besides it still: they were changed or came to be kept while it was made.</param>
/// <param name="Once">What costs something at once: reading them, writing two objects, and leaving tiers early.</param>
/// <param name="MonthlyBefore">What storing them costs a month, in the first bands of the prices.</param>
/// <param name="MonthlyAfter">What storing the bundle costs.</param>
public sealed record Bundling(
    string? Bundle,
    int Objects,
    long Bytes,
    int Kept,
    int Waiting,
    int More,
    int Stayed,
    IReadOnlyList<PricedTerm> Once,
    double MonthlyBefore,
    double MonthlyAfter
)
{
    public double OnceCharge => Once.Sum(t => t.Amount);
}

/// <summary>
/// Small objects put into one by hand: a POSIX tar archive (pax, IEEE Std 1003.1) with an index object beside it. The originals go only when
/// the archive has been read back and every member compared. Whatever ends it before that leaves them all.
/// </summary>
public sealed class Bundles
{
    public const int MostObjects = 10_000;
    public const long MostBytes = 2_000_000_000;

    private readonly ProviderState state;
    private readonly IObjectStore objects;

    internal Bundles(ProviderState state, IObjectStore objects) => (this.state, this.objects) = (state, objects);

    private sealed record Candidate(long Version, string Key, long Bytes, int Tier, DateOnly Since, bool IsKept, bool Waits);

    private sealed record Chosen(IReadOnlyList<Candidate> Into, Bundling Bundling);

    /// <exception cref="RefusalException">There is no such bucket, it keeps earlier versions, or fewer than two objects can be
    /// bundled.</exception>
    public Bundling Foresee(BundleOrder order) => state.Booked().Index.Read(db => Choose(db, order).Bundling);

    /// <inheritdoc cref="Foresee"/>
    /// <exception cref="RefusalException">As when it is foreseen; or the disk is full, or what was written does not read back the
    /// same.</exception>
    public async Task<Bundling> Make(BundleOrder order, CancellationToken cancel)
    {
        var chosen = state.Booked().Index.Read(db => Choose(db, order));
        var now = state.Index.Read(ProviderState.Now);
        var start = $"{order.Prefix}{now:yyyyMMdd'T'HHmmss}";
        var bundle = Enumerable
            .Range(0, int.MaxValue)
            .Select(n => $"{start}{(n == 0 ? "" : $"-{n}")}{BundleIndex.ArchiveEnd}")
            .First(k => objects.Find(order.Bucket, k, null) is null);
        var (written, members) = await Put(order.Bucket, bundle, chosen.Into, cancel);
        try
        {
            await Compare(order.Bucket, bundle, members, cancel);
            await using var index = new MemoryStream(new BundleIndex(1, bundle, members).Write());
            await objects.Write(
                order.Bucket,
                BundleIndex.KeyOf(bundle),
                index,
                new WriteConditions(WriteConditions.OnlyNew, MediaType: "application/json"),
                cancel
            );
        }
        catch
        {
            // What came to nothing is not stored and charged, unless the bucket keeps whatever is written.
            Go(order.Bucket, bundle, written.Version);
            throw;
        }
        foreach (var one in chosen.Into)
            Go(order.Bucket, one.Key, one.Version);
        var stayed = chosen.Into.Count(c => objects.Find(order.Bucket, c.Key, null) is not null);
        state.Change(db => state.Note(db, order.Bucket, $"bundled {chosen.Into.Count} objects into '{bundle}'"), CancellationToken.None);
        return chosen.Bundling with { Bundle = bundle, Stayed = stayed };
    }

    /// <summary>What lies in a bundle.</summary>
    /// <exception cref="RefusalException">There is no such bundle, or its index is not there or no index.</exception>
    public async Task<BundleIndex> Members(string bucket, string bundle, CancellationToken cancel)
    {
        if (!bundle.EndsWith(BundleIndex.ArchiveEnd, StringComparison.Ordinal))
            throw RefusalException.NoObject(bundle);
        var key = BundleIndex.KeyOf(bundle);
        using var opened = objects.Open(bucket, key, null);
        if (opened.Version.Bytes > BundleIndex.MostBytes)
            throw BundleIndex.NoIndex(key);
        using var text = new MemoryStream();
        await opened.Send(0, opened.Version.Bytes, text, cancel);
        return BundleIndex.Read(text.ToArray(), key);
    }

    /// <summary>Opens the bundle for one of its members: its bytes are [Offset, Offset + Bytes).</summary>
    /// <exception cref="RefusalException">There is no such bundle or member, or it cannot be read now.</exception>
    public async Task<(IOpenedObject Bundle, BundleMember Member)> Open(
        string bucket,
        string bundle,
        string member,
        CancellationToken cancel
    )
    {
        var found =
            (await Members(bucket, bundle, cancel)).Members.FirstOrDefault(m => m.Key == member) ?? throw RefusalException.NoObject(member);
        var opened = objects.Open(bucket, bundle, null);
        if (found.Offset <= opened.Version.Bytes - found.Bytes)
            return (opened, found);
        opened.Dispose();
        throw BundleIndex.NoIndex(BundleIndex.KeyOf(bundle));
    }

    private async Task<(StoredVersion Written, List<BundleMember> Members)> Put(
        string bucket,
        string bundle,
        IReadOnlyList<Candidate> into,
        CancellationToken cancel
    )
    {
        var pipe = new Pipe();
        using var ended = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        var archive = Task.Run(() => Archive(bucket, into, pipe.Writer, ended.Token), CancellationToken.None);
        try
        {
            await using var body = pipe.Reader.AsStream();
            var written = await objects.Write(
                bucket,
                bundle,
                body,
                new WriteConditions(WriteConditions.OnlyNew, MediaType: "application/x-tar"),
                cancel
            );
            return (written, await archive);
        }
        catch
        {
            await ended.CancelAsync();
            await archive.ContinueWith(_ => { }, TaskScheduler.Default);
            throw;
        }
    }

    private async Task<List<BundleMember>> Archive(string bucket, IReadOnlyList<Candidate> into, PipeWriter to, CancellationToken cancel)
    {
        Exception? failed = null;
        try
        {
            var members = new List<BundleMember>();
            await using var counted = new BlockingStream(to.AsStream(leaveOpen: true));
            await using var tar = new TarWriter(counted, TarEntryFormat.Pax, leaveOpen: true);
            foreach (var one in into)
                members.Add(await Add(tar, counted, bucket, one, cancel));
            return members;
        }
        catch (Exception error)
        {
            failed = error;
            throw;
        }
        finally
        {
            await to.CompleteAsync(failed);
        }
    }

    private async Task<BundleMember> Add(TarWriter tar, BlockingStream archive, string bucket, Candidate one, CancellationToken cancel)
    {
        using var opened = objects.Open(bucket, one.Key, one.Version);
        using var content = new MemoryStream();
        await opened.Send(0, one.Bytes, content, cancel);
        content.Position = 0;
        var sha256 = Sha256(content);
        var version = opened.Version;
        await tar.WriteEntryAsync(
            new PaxTarEntry(TarEntryType.RegularFile, one.Key) { ModificationTime = version.Written, DataStream = content },
            cancel
        );
        // The content ends with the entry, filled up to a whole block.
        var offset = archive.Written - ((one.Bytes + Block - 1) / Block * Block);
        return new BundleMember(one.Key, offset, one.Bytes, sha256, version.Written, version.MediaType, version.Tags);
    }

    private async Task Compare(string bucket, string bundle, List<BundleMember> members, CancellationToken cancel)
    {
        using var opened = objects.Open(bucket, bundle, null);
        foreach (var member in members)
        {
            using var content = new MemoryStream();
            await opened.Send(member.Offset, member.Offset + member.Bytes, content, cancel);
            if (Sha256(content) != member.Sha256)
                throw new RefusalException(
                    RefusalKind.Damaged,
                    "not-the-same",
                    $"'{member.Key}' did not read back the same from '{bundle}'. Nothing was removed."
                );
        }
    }

    private static string Sha256(MemoryStream content) =>
        Convert.ToHexStringLower(SHA256.HashData(content.GetBuffer().AsSpan(0, (int)content.Length)));

    /// <summary>An object goes, if it is the version that is meant and nothing keeps it.</summary>
    private void Go(string bucket, string key, long version)
    {
        try
        {
            objects.Delete(
                bucket,
                key,
                null,
                current =>
                {
                    if (current?.Version != version)
                        throw RefusalException.Stale($"'{key}'");
                }
            );
        }
        catch (RefusalException)
        {
            // It was changed, went, or came to be kept meanwhile: what is there then is told.
        }
    }

    private Chosen Choose(SqliteConnection db, BundleOrder order)
    {
        var (terms, own, today) = (state.TermsIn(db), state.Reach(db, order.Bucket), ProviderState.Today(db));
        if (own.Bucket.Versioning)
            throw new RefusalException(
                RefusalKind.Conflict,
                "versions-stay",
                $"'{order.Bucket}' keeps earlier versions: the originals would stay as such, and be stored twice."
            );
        var all = Candidates(db, terms, own, order, ProviderState.Now(db));
        var free = all.Where(c => !c.IsKept && !c.Waits).ToList();
        var into = new List<Candidate>();
        for (long bytes = 0; into.Count < Math.Min(free.Count, MostObjects) && bytes + free[into.Count].Bytes <= MostBytes; )
        {
            bytes += free[into.Count].Bytes;
            into.Add(free[into.Count]);
        }
        if (into.Count < 2)
            throw new RefusalException(
                RefusalKind.Conflict,
                "nothing-to-bundle",
                $"Fewer than two objects under '{order.Prefix}' are smaller than {order.SmallerThan} bytes, free to go, and can be read now."
            );
        var landing = own.Landing;
        var region = own.Bucket.Region;
        var once = PricedTerm.OfWriting(terms.Prices, region, terms.Prices.Tiers[landing].Id, 2).ToList();
        foreach (var tier in into.GroupBy(c => c.Tier).OrderBy(g => g.Key))
        {
            var left = terms.Prices.Tiers[tier.Key].Id;
            var early = tier.Sum(c => Events.EarlyLeave(terms, today, own, c.Tier, c.Since, 1, c.Bytes).UnitMonths);
            once.AddRange(PricedTerm.OfReading(terms.Prices, region, left, null, tier.Count(), tier.Sum(c => c.Bytes)));
            once.AddRange(PricedTerm.OfLeaving(terms.Prices, own.Bucket, left, null, tier.Count(), 0, 0, early));
        }
        var size = into.Sum(c => c.Bytes);
        return new(
            into,
            new Bundling(
                null,
                into.Count,
                size,
                all.Count(c => c.IsKept),
                all.Count(c => !c.IsKept && c.Waits),
                free.Count - into.Count,
                0,
                once,
                into.Sum(c => Monthly(terms, own, c.Tier, c.Bytes)),
                Monthly(terms, own, landing, into.Sum(c => InArchive(c.Bytes)) + Block + Block)
            )
        );
    }

    private const long Block = 512;

    /// <summary>A header with its extended attributes, and the content in whole blocks; longer keys take a little more.</summary>
    private static long InArchive(long bytes) => (3 * Block) + ((bytes + Block - 1) / Block * Block);

    private static double Monthly(Terms terms, BucketTerms own, int tier, long bytes)
    {
        var of = terms.Prices.Tiers[tier];
        var unit = terms.Prices.Unit.Bytes();
        return own.Factor
            * (
                own.Prices[tier]!.Storage[0].Price.For(of.BilledBytes(bytes) / unit)
                + own.Prices[own.Landing]!.Storage[0].Price.For(of.IndexBytes / unit)
            );
    }

    private static List<Candidate> Candidates(SqliteConnection db, Terms terms, BucketTerms own, BundleOrder order, DateTimeOffset now) =>
        db.List(
                $"""
                SELECT e.id, key, bytes, e.tier, since, {RetentionGate.KeptUntil}, e.ready, rc.ready
                FROM entry e LEFT JOIN recall rc ON rc.entry = e.id
                WHERE bucket = ?1 AND kind = 1 AND current = 1 AND key >= ?2 AND (?3 IS NULL OR key < ?3) AND bytes < ?4 ORDER BY key
                """,
                r =>
                {
                    var tier = terms.Place(r.GetInt64(3));
                    var instant = now.ToUnixTimeMilliseconds();
                    return new Candidate(
                        r.GetInt64(0),
                        r.GetString(1),
                        r.GetInt64(2),
                        tier,
                        DateOnly.FromDayNumber(r.GetInt32(4)),
                        r.GetInt32(5) > DateOnly.FromDateTime(now.UtcDateTime).DayNumber,
                        terms.Prices.Tiers[tier].WaitHours > 0 ? r.Long(7) is not { } ready || ready > instant : r.Long(6) > instant
                    );
                },
                own.Id,
                order.Prefix,
                ObjectKeys.After(order.Prefix),
                order.SmallerThan
            )
            .Where(c => !BundleIndex.IsOf(c.Key) && own.TargetOf(c.Key) is null)
            .ToList();
}
