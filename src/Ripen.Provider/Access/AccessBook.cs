using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;

namespace Ripen.Provider.Access;

/// <summary>Who may do what with objects over plain HTTP: accesses with keys and their tokens, timed links, public reading.</summary>
public sealed class AccessBook
{
    private const int SecretBytes = 30;
    private const int MostKeys = 10;
    private static readonly TimeSpan TokenLife = TimeSpan.FromHours(1);

    private readonly ProviderState state;

    internal AccessBook(ProviderState state)
    {
        this.state = state;
        Links = new TimedLinks(state);
    }

    public TimedLinks Links { get; }

    public IReadOnlyList<AccessGrant> Grants(string bucket)
    {
        state.BookUses();
        return state.Index.Read(db => Read(db, state.TermsIn(db)[bucket].Id, null));
    }

    /// <summary>Makes an access with its first key. The secret is in the answer, and nowhere else ever again.</summary>
    /// <exception cref="RefusalException">No right is given, or it ends before it begins.</exception>
    public NewAccess Make(string bucket, string label, string prefix, IReadOnlyCollection<Right> rights, DateTimeOffset? ends) =>
        state.Change(db =>
        {
            var own = state.TermsIn(db)[bucket];
            if (rights.Count == 0)
                throw new RefusalException(
                    RefusalKind.Invalid,
                    "no-right",
                    "An access without a right does nothing; choose reading, writing or listing.",
                    "$.rights"
                );
            if (label.Trim().Length == 0)
                throw new RefusalException(RefusalKind.Invalid, "empty-text", "Say who or what the access is for.", "$.label");
            CheckEnd(db, ends);
            db.Run(
                "INSERT INTO access(bucket, label, prefix, rights, ends) VALUES(?1, ?2, ?3, ?4, ?5)",
                own.Id,
                label.Trim(),
                prefix,
                string.Join(' ', rights.Distinct().Order()),
                ends?.ToUnixTimeMilliseconds()
            );
            var id = db.Value<long>("SELECT last_insert_rowid()");
            var secret = PutKey(db, id, null);
            state.Note(db, bucket, $"made the access '{label.Trim()}'");
            return new NewAccess(Read(db, own.Id, id).Single(), secret);
        });

    /// <summary>One more key; the others go on working until <paramref name="othersEnd"/>, or their own end if that is earlier.</summary>
    /// <param name="bucket">Its name.</param>
    /// <param name="access">The access's number.</param>
    /// <param name="ends">When the new key ends; null for as long as the access.</param>
    /// <param name="othersEnd">When the others end, so that there is time to put the new one everywhere; null to leave them.</param>
    /// <exception cref="RefusalException">An end is past; there are ten keys already.</exception>
    public NewSecret AddKey(string bucket, long access, DateTimeOffset? ends, DateTimeOffset? othersEnd) =>
        state.Change(db =>
        {
            var grant = One(db, bucket, access);
            CheckEnd(db, ends);
            CheckEnd(db, othersEnd, "$.othersEnd");
            if (grant.Keys.Count >= MostKeys)
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "too-many-keys",
                    $"'{grant.Label}' has {MostKeys} keys, and no access has more; remove one that nobody uses."
                );
            if (othersEnd is { } end)
                db.Run("UPDATE access_key SET ends = min(coalesce(ends, ?2), ?2) WHERE access = ?1", access, end.ToUnixTimeMilliseconds());
            state.Note(
                db,
                bucket,
                $"added a key to the access '{grant.Label}'{(othersEnd is null ? "" : $"; its others end {othersEnd:yyyy-MM-dd HH:mm} of the provider's clock")}"
            );
            return PutKey(db, access, ends);
        });

    /// <summary>Sets when a key ends; null for as long as the access.</summary>
    /// <exception cref="RefusalException">There is no such key, or the end is past.</exception>
    public void EndKey(string bucket, long access, string key, DateTimeOffset? ends) =>
        state.Change(db =>
        {
            var grant = One(db, bucket, access);
            CheckEnd(db, ends);
            DemandKey(grant, key);
            db.Run("UPDATE access_key SET ends = ?2 WHERE id = ?1", key, ends?.ToUnixTimeMilliseconds());
            state.Note(db, bucket, $"set when {key} of the access '{grant.Label}' ends");
        });

    /// <summary>Ends a key at once, and its tokens.</summary>
    /// <exception cref="RefusalException">There is no such key.</exception>
    public void RemoveKey(string bucket, long access, string key) =>
        state.Change(db =>
        {
            var grant = One(db, bucket, access);
            DemandKey(grant, key);
            db.Run("DELETE FROM access_key WHERE id = ?1", key);
            state.Note(db, bucket, $"removed {key} of the access '{grant.Label}'");
        });

    /// <summary>A token for a key and its secret, which works for an hour of the provider's clock and never longer than the key.</summary>
    /// <exception cref="RefusalException">There is no such key with this secret, or it ended.</exception>
    public AccessToken Token(string id, string secret) =>
        state.Change(db =>
        {
            var now = ProviderState.Now(db);
            var (access, ends) = CheckSecret(db, id, secret, now);
            var accessEnds = Instant(db.Value<long?>("SELECT ends FROM access WHERE id = ?1", access));
            if (accessEnds <= now)
                throw Ended(accessEnds.Value);
            var end = new[] { now + TokenLife, ends, accessEnds }.Min()!.Value;
            var token = Random(SecretBytes);
            db.Run("DELETE FROM access_token WHERE ends <= ?1", now.ToUnixTimeMilliseconds());
            db.Run("INSERT INTO access_token(hash, key, ends) VALUES(?1, ?2, ?3)", Hash(token), id, end.ToUnixTimeMilliseconds());
            return new AccessToken(token, now, end);
        });

    public void Remove(string bucket, long access) =>
        state.Change(db =>
        {
            var grant = One(db, bucket, access);
            db.Run("DELETE FROM access WHERE id = ?1", access);
            state.Note(db, bucket, $"removed the access '{grant.Label}'");
        });

    public bool IsPublic(string bucket) =>
        state.Index.Read(db => db.Value<long>("SELECT public FROM bucket WHERE id = ?1", state.TermsIn(db)[bucket].Id) == 1);

    /// <summary>Opens a bucket to everybody's reading. The bucket's name must be repeated; the log keeps that it was.</summary>
    public void OpenToPublic(string bucket, string repeatedName) =>
        state.Change(db =>
        {
            if (repeatedName != bucket)
                throw new RefusalException(
                    RefusalKind.Invalid,
                    "not-confirmed",
                    $"Type the bucket's name, {bucket}, to open it to everybody.",
                    "$.confirm"
                );
            db.Run("UPDATE bucket SET public = 1 WHERE id = ?1", state.TermsIn(db)[bucket].Id);
            state.Note(db, bucket, "opened the bucket to public reading");
        });

    public void CloseToPublic(string bucket) =>
        state.Change(db =>
        {
            db.Run("UPDATE bucket SET public = 0 WHERE id = ?1", state.TermsIn(db)[bucket].Id);
            state.Note(db, bucket, "closed the bucket to public reading");
        });

    /// <summary>
    /// Whether these credentials may do this with this key (or, for listing, with this prefix); a key's or link's use is counted. A bucket
    /// that is not there answers as one that is closed.
    /// </summary>
    /// <exception cref="RefusalException">They may not; the message says why.</exception>
    public void Demand(string bucket, string key, Right right, Credentials who)
    {
        var (use, now) = state.Index.Read(db =>
        {
            var own = state.TermsIn(db).Has(bucket) ? state.TermsIn(db)[bucket].Id : NoBucket;
            var at = ProviderState.Now(db);
            if (who.LinkToken is { } token)
                return (Use.OfLink(TimedLinks.Demand(db, own, key, right, token, at)), at);
            if (who.KeyToken is { } keyToken)
                return (Use.OfKey(DemandToken(db, own, key, right, keyToken, at)), at);
            if (who.KeyId is { } id)
                return (Use.OfKey(DemandGrant(db, own, key, right, id, CheckSecret(db, id, who.Secret ?? "", at).Access)), at);
            if (right == Right.Read && db.Value<long>("SELECT public FROM bucket WHERE id = ?1", own) == 1)
                return ((Use?)null, at);
            throw new RefusalException(
                RefusalKind.Unauthorized,
                "no-access",
                "Send an access key and its secret (HTTP basic authentication) or its token (bearer), or use a timed link."
            );
        });
        if (use is null)
            return;
        state.Uses.Count(use, now);
        state.BookUsesSoon();
    }

    private const long NoBucket = -1;

    /// <exception cref="RefusalException">There is no such key with this secret, or it ended.</exception>
    private static (long Access, DateTimeOffset? Ends) CheckSecret(SqliteConnection db, string id, string secret, DateTimeOffset now)
    {
        var found = db.List(
            "SELECT secret, access, ends FROM access_key WHERE id = ?1",
            r => (Hash: r.GetFieldValue<byte[]>(0), Access: r.GetInt64(1), Ends: Instant(r.Long(2))),
            id
        );
        if (found.Count == 0 || !CryptographicOperations.FixedTimeEquals(found[0].Hash, Hash(secret)))
        {
            throw new RefusalException(
                RefusalKind.Unauthorized,
                "unknown-key",
                "There is no such key with this secret; it may have been replaced."
            );
        }
        if (found[0].Ends is { } ends && ends <= now)
            throw Forbidden(
                "key-ended",
                $"This key ended on {ends:yyyy-MM-dd'T'HH:mm:ss'Z'} of the provider's clock; use the one that replaced it."
            );
        return (found[0].Access, found[0].Ends);
    }

    private static string DemandToken(SqliteConnection db, long bucket, string key, Right right, string token, DateTimeOffset now)
    {
        var found = db.List(
            "SELECT k.id, k.access, min(t.ends, coalesce(k.ends, t.ends)) FROM access_token t JOIN access_key k ON k.id = t.key "
                + "WHERE t.hash = ?1",
            r => (Id: r.GetString(0), Access: r.GetInt64(1), Ends: r.GetInt64(2)),
            Hash(token)
        );
        if (found.Count == 0 || found[0].Ends <= now.ToUnixTimeMilliseconds())
            throw new RefusalException(
                RefusalKind.Unauthorized,
                "token-ended",
                "This token has ended, or is none of this provider's; ask for another with the key and its secret."
            );
        return DemandGrant(db, bucket, key, right, found[0].Id, found[0].Access);
    }

    private static string DemandGrant(SqliteConnection db, long bucket, string key, Right right, string id, long access)
    {
        var grants = Read(db, bucket, access);
        if (grants.Count == 0)
            throw Forbidden("other-bucket", "This key is for another bucket.");
        var grant = grants[0];
        if (grant.Ended)
            throw Ended(grant.Ends!.Value);
        if (!grant.Rights.Contains(right))
            throw Forbidden("no-right", $"This access has no right to {Verb(right)}.");
        if (!key.StartsWith(grant.Prefix, StringComparison.Ordinal))
            throw Forbidden("outside-prefix", $"This access is for keys that begin with '{grant.Prefix}'.");
        return id;
    }

    private static void DemandKey(AccessGrant grant, string key)
    {
        if (grant.Keys.All(k => k.Id != key))
            throw new RefusalException(RefusalKind.NotFound, "no-key-of-this-id", $"The access '{grant.Label}' has no key {key}.");
    }

    private static RefusalException Ended(DateTimeOffset ends) =>
        Forbidden("access-ended", $"This access ended on {ends:yyyy-MM-dd'T'HH:mm:ss'Z'} of the provider's clock.");

    private static DateTimeOffset? Instant(long? milliseconds) =>
        milliseconds is { } at ? DateTimeOffset.FromUnixTimeMilliseconds(at) : null;

    internal static string Verb(Right right) =>
        right switch
        {
            Right.Read => "read",
            Right.Write => "write",
            Right.List => "list",
            Right.ReadVersions => "read earlier versions",
            _ => "delete versions or take deletions back",
        };

    internal static RefusalException Forbidden(string code, string message) => new(RefusalKind.Forbidden, code, message);

    internal static void CheckEnd(SqliteConnection db, DateTimeOffset? ends, string path = "$.ends")
    {
        var now = ProviderState.Now(db);
        if (ends <= now)
            throw new RefusalException(
                RefusalKind.Invalid,
                "ended-already",
                $"It is {now:yyyy-MM-dd'T'HH:mm:ss'Z'} for the provider; choose an end after that.",
                path
            );
    }

    private AccessGrant One(SqliteConnection db, string bucket, long access) =>
        Read(db, state.TermsIn(db)[bucket].Id, access) is [var grant]
            ? grant
            : throw new RefusalException(RefusalKind.NotFound, "no-access-of-this-id", $"There is no access {access} to '{bucket}'.");

    private static List<AccessGrant> Read(SqliteConnection db, long bucket, long? one)
    {
        var now = ProviderState.Now(db);
        return db.List(
            "SELECT id, label, prefix, rights, ends FROM access WHERE bucket = ?1 AND (?2 IS NULL OR id = ?2) ORDER BY id",
            r =>
            {
                var ends = Instant(r.Long(4));
                return new AccessGrant(
                    r.GetInt64(0),
                    r.GetString(1),
                    r.GetString(2),
                    [.. r.GetString(3).Split(' ').Select(Enum.Parse<Right>)],
                    ends,
                    ends <= now,
                    Keys(db, r.GetInt64(0), now)
                );
            },
            bucket,
            one
        );
    }

    private static List<AccessKey> Keys(SqliteConnection db, long access, DateTimeOffset now) =>
        db.List(
            "SELECT id, made, used, ends FROM access_key WHERE access = ?1 ORDER BY made, id",
            r => new AccessKey(
                r.GetString(0),
                DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(1)),
                Instant(r.Long(2)),
                Instant(r.Long(3)),
                Instant(r.Long(3)) <= now
            ),
            access
        );

    private static NewSecret PutKey(SqliteConnection db, long access, DateTimeOffset? ends)
    {
        var id = "key-" + Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(6));
        // 240 random bits cannot be guessed, so that one plain hash is enough to keep.
        var secret = Random(SecretBytes);
        db.Run(
            "INSERT INTO access_key(id, access, secret, made, ends) VALUES(?1, ?2, ?3, ?4, ?5)",
            id,
            access,
            Hash(secret),
            ProviderState.Now(db).ToUnixTimeMilliseconds(),
            ends?.ToUnixTimeMilliseconds()
        );
        return new NewSecret(id, secret);
    }

    internal static string Random(int bytes) =>
        Convert.ToBase64String(RandomNumberGenerator.GetBytes(bytes)).Replace('+', '-').Replace('/', '_');

    internal static byte[] Hash(string secret) => SHA256.HashData(Encoding.UTF8.GetBytes(secret));
}
