using Microsoft.Data.Sqlite;
using Ripen.Core.Estates;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;
using Ripen.Provider.Replication;
using Ripen.Provider.Replication.Queues;
using Ripen.Provider.Retention;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Objects;

/// <summary>The object store on the local disk. A change of the index, its charge and its place on the clock are one transaction.</summary>
internal sealed class LocalObjects(ProviderState state) : IObjectStore
{
    private readonly TierMoves moves = new(state);

    public async Task<StoredVersion> Write(string bucket, string key, Stream body, WriteConditions conditions, CancellationToken cancel)
    {
        ObjectKeys.Check(key);
        // Before the body is taken, so that a refusal is quick; again in the transaction, where it counts.
        var sealedBy = state.Index.Read(db =>
        {
            var own = state.ReachToAdd(db, bucket);
            Check(db, Current(db, own.Id, key), conditions.Allows);
            return SealingRows.Current(db, own.Id);
        });
        WrittenContent content;
        try
        {
            content = await state.Contents.Write(body, sealedBy, conditions.SumOfBlocks, cancel);
        }
        catch (IOException full) when (ProviderState.IsFull(full))
        {
            throw ProviderState.DiskFull();
        }
        return Put(bucket, key, content, conditions, _ => { }, cancel);
    }

    /// <summary>Content that was written becomes an object, or goes.</summary>
    /// <param name="before">What happens in the same transaction, first.</param>
    internal StoredVersion Put(
        string bucket,
        string key,
        WrittenContent content,
        WriteConditions conditions,
        Action<SqliteConnection> before,
        CancellationToken cancel = default
    )
    {
        try
        {
            CheckBody(content, conditions);
            return state.Change(
                db =>
                {
                    before(db);
                    return Row(db, state.TermsIn(db), Store(db, bucket, key, content, conditions));
                },
                cancel
            );
        }
        catch
        {
            if (!state.Index.Read(db => IsKnown(db, content.Name)))
                state.Contents.Remove(content.Name);
            throw;
        }
    }

    /// <exception cref="RefusalException">The current version is not as demanded.</exception>
    internal void Demand(SqliteConnection db, BucketTerms own, string key, Action<StoredVersion?> allows) =>
        Check(db, Current(db, own.Id, key), allows);

    public IOpenedObject Open(string bucket, string key, long? version)
    {
        // Between the look into the index and the opening of the file somebody may overwrite or delete the object: then there is a newer
        // answer.
        for (var attempt = 1; ; attempt++)
        {
            var (found, content, own, day) = state.Index.Read(db => FindContent(db, bucket, key, version));
            try
            {
                return new Opened(found, state.Contents.Open(content), state, own, day);
            }
            catch (RefusalException) when (attempt < OpeningAttempts && !state.Index.Read(db => IsKnown(db, content.Name))) { }
        }
    }

    private const int OpeningAttempts = 100;

    private (StoredVersion Found, StoredContent Content, long Bucket, DateOnly Day) FindContent(
        SqliteConnection db,
        string bucket,
        string key,
        long? version
    )
    {
        var terms = state.TermsIn(db);
        var own = state.Reach(db, bucket);
        var (id, kind) = version is { } wanted
            ? (wanted, KindOf(db, own.Id, key, wanted) ?? throw RefusalException.NoVersion(key, wanted))
            : Current(db, own.Id, key) ?? throw RefusalException.NoObject(key);
        if (kind != EntryRows.Object)
            throw version is null ? RefusalException.NoObject(key) : RefusalException.NoVersion(key, id);
        var found = Row(db, terms, id);
        var wait = terms.Prices.Tiers[terms.Prices.Coldness(found.Tier)].WaitHours;
        var now = ProviderState.Now(db);
        if (wait > 0 && found.Recalled is { } recalled)
        {
            if (recalled.Ready > now)
                throw UnderWay(recalled.Ready);
            // The copy is read, where it lies.
            found = found with
            {
                Tier = recalled.Tier,
            };
        }
        else if (wait > 0)
        {
            throw new RefusalException(
                RefusalKind.Conflict,
                "needs-recall",
                $"It rests in '{found.Tier}', where the first byte takes {wait:0.##} hours: recall it, and read it when it has arrived."
            );
        }
        if (found.ReadyFrom > now)
            throw UnderWay(found.ReadyFrom.Value);
        var content = db.List(
                $"SELECT {StoredContent.Columns} FROM entry e {StoredContent.Joins} WHERE e.id = ?1",
                r => StoredContent.Read(r, 0)!,
                id
            )
            .Single();
        return (found, content, own.Id, ProviderState.Today(db));
    }

    private static RefusalException UnderWay(DateTimeOffset ready) =>
        new(
            RefusalKind.Conflict,
            "recall-under-way",
            $"Its recall is under way; it can be read from {ready:yyyy-MM-dd'T'HH:mm:ss'Z'} of the provider's clock on."
        );

    public StoredVersion? Find(string bucket, string key, long? version)
    {
        state.BookUses();
        return state.Index.Read(db =>
        {
            var terms = state.TermsIn(db);
            var own = state.Reach(db, bucket);
            if (version is { } wanted)
                return KindOf(db, own.Id, key, wanted) is null ? null : Row(db, terms, wanted);
            return Current(db, own.Id, key) is { Kind: EntryRows.Object } current ? Row(db, terms, current.Id) : null;
        });
    }

    public IReadOnlyList<StoredVersion> Versions(string bucket, string key)
    {
        state.BookUses();
        return state.Index.Read(db =>
        {
            var terms = state.TermsIn(db);
            var own = state.Reach(db, bucket);
            return db.List(
                $"SELECT {VersionRows.Columns} FROM {VersionRows.From} WHERE e.bucket = ?1 AND e.key = ?2 AND e.kind > 0 ORDER BY "
                    + "e.written DESC, coalesce(e.origin, e.id) DESC",
                r => VersionRows.Read(r, terms),
                own.Id,
                key
            );
        });
    }

    public ListingPage List(
        string bucket,
        string prefix,
        string? delimiter,
        string? after,
        int most,
        string? from = null,
        string? contains = null
    ) =>
        state.Index.Read(db =>
            new Listing(db, state.TermsIn(db), state.Reach(db, bucket)).Page(prefix, delimiter, after, most, from, contains)
        );

    public IReadOnlyList<string> Taken(string bucket, IReadOnlyCollection<string> keys) =>
        state.Index.Read(db =>
        {
            var id = state.Reach(db, bucket).Id;
            return keys.Where(key =>
                    db.Value<long>(
                        "SELECT EXISTS (SELECT 1 FROM entry WHERE bucket = ?1 AND key = ?2 AND kind = 1 AND current = 1)",
                        id,
                        key
                    ) == 1
                )
                .ToList();
        });

    public IReadOnlyList<StoredVersion> Deletions(string bucket, string prefix, int most)
    {
        return state.Index.Read(db =>
        {
            var terms = state.TermsIn(db);
            var own = state.Reach(db, bucket);
            return db.List(
                $"""
                SELECT {VersionRows.Columns} FROM {VersionRows.From}
                WHERE e.bucket = ?1 AND e.current = 1 AND e.kind = 2 AND e.key >= ?2 AND (?3 IS NULL OR e.key < ?3) ORDER BY e.key LIMIT ?4
                """,
                r => VersionRows.Read(r, terms),
                own.Id,
                prefix,
                ObjectKeys.After(prefix),
                most
            );
        });
    }

    public void Seal(string bucket, IReadOnlyCollection<string> keys, DateOnly until) =>
        state.Change(db =>
        {
            var own = state.Reach(db, bucket);
            using var seal = db.Repeated(
                """
                UPDATE entry SET sealed_until = max(coalesce(sealed_until, 0), ?3) WHERE bucket = ?1 AND key = ?2 AND current = 1 AND kind = 1
                    RETURNING id
                """,
                3
            );
            foreach (var key in keys)
            {
                if (seal.RowsAgain(r => r.GetInt64(0), own.Id, key, until.DayNumber).Count == 0)
                    throw RefusalException.NoObject(key);
            }
            ProviderState.Touch(db, own);
        });

    public Deletion Delete(string bucket, string key, long? version, Action<StoredVersion?>? allows = null)
    {
        return state.Free(db =>
        {
            var own = state.Reach(db, bucket);
            var now = ProviderState.Now(db);
            ProviderState.Touch(db, own);
            if (version is { } one)
            {
                Check(db, KindOf(db, own.Id, key, one) is { } kind ? (one, kind) : null, allows);
                return DeleteVersion(db, own, key, one);
            }
            var current = Current(db, own.Id, key);
            Check(db, current, allows);
            if (current is not { Kind: EntryRows.Object } found)
                throw RefusalException.NoObject(key);
            if (!own.Bucket.Versioning)
                return new Deletion(key, null, true, RemoveForGood(db, own, found.Id));
            db.Run("UPDATE entry SET current = 0 WHERE id = ?1", found.Id);
            var today = DateOnly.FromDateTime(now.UtcDateTime);
            var mark = EntryRows.MarkDeleted(db, found.Id, today, now.ToUnixTimeMilliseconds());
            CopyQueue.Deleted(
                db,
                state.TermsIn(db),
                own,
                mark,
                key,
                db.Value<string>("SELECT tags FROM entry WHERE id = ?1", mark),
                takenBack: false
            );
            return new Deletion(key, mark, false, 0);
        });
    }

    public TierMove Move(string bucket, string scope, bool wholePrefix, string tier) => moves.Make(bucket, scope, wholePrefix, tier);

    public TierMove ForeseeMove(string bucket, string scope, bool wholePrefix, string tier) =>
        moves.Foresee(bucket, scope, wholePrefix, tier);

    internal static bool IsKnown(SqliteConnection db, string content) =>
        db.Value<long>("SELECT count(*) FROM content WHERE name = ?1", content) > 0;

    private static (long Id, int Kind)? Current(SqliteConnection db, long bucket, string key)
    {
        var rows = db.List(
            "SELECT id, kind FROM entry WHERE bucket = ?1 AND key = ?2 AND current = 1 AND kind > 0",
            r => (r.GetInt64(0), r.GetInt32(1)),
            bucket,
            key
        );
        return rows.Count == 0 ? null : rows[0];
    }

    private static int? KindOf(SqliteConnection db, long bucket, string key, long id)
    {
        var rows = db.List("SELECT kind FROM entry WHERE id = ?1 AND bucket = ?2 AND key = ?3", r => r.GetInt32(0), id, bucket, key);
        return rows.Count == 0 ? null : rows[0];
    }

    private static StoredVersion Row(SqliteConnection db, Terms terms, long id) =>
        db.List($"SELECT {VersionRows.Columns} FROM {VersionRows.From} WHERE e.id = ?1", r => VersionRows.Read(r, terms), id).Single();

    private void Check(SqliteConnection db, (long Id, int Kind)? current, Action<StoredVersion?>? allows) =>
        allows?.Invoke(current is { Kind: not EntryRows.Deleted } there ? Row(db, state.TermsIn(db), there.Id) : null);

    private static void CheckBody(WrittenContent content, WriteConditions conditions)
    {
        if (conditions.Length is { } announced && announced != content.Bytes)
        {
            throw new RefusalException(
                RefusalKind.Invalid,
                "wrong-length",
                $"{announced} bytes were announced and {content.Bytes} came; nothing was stored. Send it again."
            );
        }
        if (conditions.Sha256 is { } expected && !expected.AsSpan().SequenceEqual(content.Sum.Sha256))
        {
            throw new RefusalException(
                RefusalKind.Invalid,
                "wrong-checksum",
                $"The body's SHA-256 is {Convert.ToHexStringLower(content.Sum.Sha256)} and not what was announced; nothing was stored. "
                    + "Send it again."
            );
        }
    }

    private long Store(SqliteConnection db, string bucket, string key, WrittenContent content, WriteConditions conditions)
    {
        var terms = state.TermsIn(db);
        var own = state.ReachToAdd(db, bucket);
        var now = ProviderState.Now(db);
        var today = DateOnly.FromDateTime(now.UtcDateTime);
        var current = Current(db, own.Id, key);
        Check(db, current, conditions.Allows);
        db.Run(WrittenContent.Insert, content.Row(own.Id));
        MakeWay(db, own, current);
        db.Run(
            """
            INSERT INTO entry(bucket, kind, current, key, count, bytes, created, written, tier, since, content, media, charged, tags)
            VALUES(?1, 1, 1, ?2, 1, ?3, ?4, ?5, ?6, ?4, ?7, ?8, ?9, ?10)
            """,
            own.Id,
            key,
            content.Bytes,
            today.DayNumber,
            now.ToUnixTimeMilliseconds(),
            terms.TierId(own.Landing),
            content.Name,
            conditions.MediaType,
            Events.Written(db, terms, today, own, own.Landing, 1, own.TargetOf(key), content.Bytes),
            TagText.Write(conditions.Tags)
        );
        var entry = db.Value<long>("SELECT last_insert_rowid()");
        CopyQueue.Written(db, terms, own, entry, key, TagText.Write(conditions.Tags), content.Bytes);
        ProviderState.Touch(db, own);
        return entry;
    }

    /// <summary>With versioning the current version becomes an earlier one; without, it goes.</summary>
    private void MakeWay(SqliteConnection db, BucketTerms own, (long Id, int Kind)? current)
    {
        if (current is not { } there)
            return;
        if (own.Bucket.Versioning)
            db.Run("UPDATE entry SET current = 0 WHERE id = ?1", there.Id);
        else
            RemoveForGood(db, own, there.Id);
    }

    private Deletion DeleteVersion(SqliteConnection db, BucketTerms own, string key, long version)
    {
        var kind = KindOf(db, own.Id, key, version) ?? throw RefusalException.NoVersion(key, version);
        var arrays = state.TermsIn(db).Plan.Estate.Arrays;
        if (
            kind == EntryRows.Batch
            && arrays.FirstOrDefault(a => a.Bucket == own.Bucket.Name && key.StartsWith(a.Prefix, StringComparison.Ordinal)) is { } array
        )
            throw new RefusalException(
                RefusalKind.Conflict,
                "of-array",
                $"It belongs to the array '{array.Name}', which has it nowhere else: bring its volume home instead."
            );
        if (kind == EntryRows.Deleted)
            CopyQueue.Deleted(
                db,
                state.TermsIn(db),
                own,
                version,
                key,
                db.Value<string>("SELECT tags FROM entry WHERE id = ?1", version),
                takenBack: true
            );
        var charge = RemoveForGood(db, own, version);
        if (kind != EntryRows.Batch)
            EntryRows.PutNewestOnTop(db, own.Id, key);
        return new Deletion(key, null, true, charge);
    }

    /// <summary>The charge for leaving early.</summary>
    private double RemoveForGood(SqliteConnection db, BucketTerms own, long id)
    {
        var terms = state.TermsIn(db);
        var entry = Row(db, terms, id);
        using var gate = new RetentionGate(db);
        gate.Remove(id);
        return entry.IsDeletion
            ? 0
            : Events.LeftEarly(
                db,
                terms,
                ProviderState.Today(db),
                own,
                terms.Prices.Coldness(entry.Tier),
                entry.InTierSince,
                entry.Count,
                entry.Bytes,
                own.TargetOf(entry.Key)
            );
    }

    private sealed class Opened(StoredVersion version, ContentFiles.CheckedContent content, ProviderState state, long bucket, DateOnly day)
        : IOpenedObject
    {
        public StoredVersion Version => version;

        public async Task Send(long from, long to, Stream target, CancellationToken cancel)
        {
            await content.Send(from, to, target, cancel);
            state.Uses.Read(bucket, version.Key, version.Version, version.Tier, day, to - from);
            state.BookUsesSoon();
        }

        public void Dispose() => content.Dispose();
    }
}
