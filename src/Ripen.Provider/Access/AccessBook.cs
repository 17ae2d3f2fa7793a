using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Metering;

namespace Ripen.Provider.Access;

/// <summary>Who may do what with objects over plain HTTP: pairs of keys, timed links, public reading.</summary>
public sealed class AccessBook
{
    private const int SecretBytes = 30;

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

    /// <summary>Makes an access with a pair of keys. Their secrets are in the answer, and nowhere else ever again.</summary>
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
            NewSecret[] secrets = [PutKey(db, id, 1), PutKey(db, id, 2)];
            state.Note(db, bucket, $"made the access '{label.Trim()}'");
            return new NewAccess(Read(db, own.Id, id).Single(), secrets);
        });

    /// <summary>Puts a new key in one place of the pair; the other one goes on working.</summary>
    public NewSecret Renew(string bucket, long access, int place) =>
        state.Change(db =>
        {
            if (place is not (1 or 2))
                throw new RefusalException(RefusalKind.Invalid, "out-of-range", "A pair has a first key (1) and a second (2).");
            var grant = One(db, bucket, access);
            db.Run("DELETE FROM access_key WHERE access = ?1 AND place = ?2", access, place);
            state.Note(db, bucket, $"renewed key {place} of the access '{grant.Label}'");
            return PutKey(db, access, place);
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
            if (who.KeyId is { } id)
                return (Use.OfKey(DemandKey(db, own, key, right, id, who.Secret ?? "", at)), at);
            if (right == Right.Read && db.Value<long>("SELECT public FROM bucket WHERE id = ?1", own) == 1)
                return ((Use?)null, at);
            throw new RefusalException(
                RefusalKind.Unauthorized,
                "no-access",
                "Send an access key and its secret (HTTP basic authentication), or use a timed link."
            );
        });
        if (use is null)
            return;
        state.Uses.Count(use, now);
        state.BookUsesSoon();
    }

    private const long NoBucket = -1;

    private static string DemandKey(SqliteConnection db, long bucket, string key, Right right, string id, string secret, DateTimeOffset now)
    {
        var found = db.List(
            "SELECT secret, access FROM access_key WHERE id = ?1",
            r => (Hash: r.GetFieldValue<byte[]>(0), Access: r.GetInt64(1)),
            id
        );
        if (found.Count == 0 || !CryptographicOperations.FixedTimeEquals(found[0].Hash, Hash(secret)))
        {
            throw new RefusalException(
                RefusalKind.Unauthorized,
                "unknown-key",
                "There is no such key with this secret; it may have been renewed."
            );
        }
        var grants = Read(db, bucket, found[0].Access);
        if (grants.Count == 0)
            throw Forbidden("other-bucket", "This key is for another bucket.");
        var grant = grants[0];
        if (grant.Ended)
            throw Forbidden("access-ended", $"This access ended on {grant.Ends:yyyy-MM-dd'T'HH:mm:ss'Z'} of the provider's clock.");
        if (!grant.Rights.Contains(right))
            throw Forbidden("no-right", $"This access has no right to {Verb(right)}.");
        if (!key.StartsWith(grant.Prefix, StringComparison.Ordinal))
            throw Forbidden("outside-prefix", $"This access is for keys that begin with '{grant.Prefix}'.");
        return id;
    }

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

    internal static void CheckEnd(SqliteConnection db, DateTimeOffset? ends)
    {
        var now = ProviderState.Now(db);
        if (ends <= now)
            throw new RefusalException(
                RefusalKind.Invalid,
                "ended-already",
                $"It is {now:yyyy-MM-dd'T'HH:mm:ss'Z'} for the provider; choose an end after that.",
                "$.ends"
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
                var ends = r.Long(4) is { } at ? DateTimeOffset.FromUnixTimeMilliseconds(at) : (DateTimeOffset?)null;
                return new AccessGrant(
                    r.GetInt64(0),
                    r.GetString(1),
                    r.GetString(2),
                    [.. r.GetString(3).Split(' ').Select(Enum.Parse<Right>)],
                    ends,
                    ends <= now,
                    Keys(db, r.GetInt64(0))
                );
            },
            bucket,
            one
        );
    }

    private static List<AccessKey> Keys(SqliteConnection db, long access) =>
        db.List(
            "SELECT id, place, made, used FROM access_key WHERE access = ?1 ORDER BY place",
            r => new AccessKey(
                r.GetString(0),
                r.GetInt32(1),
                DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(2)),
                r.Long(3) is { } used ? DateTimeOffset.FromUnixTimeMilliseconds(used) : null
            ),
            access
        );

    private static NewSecret PutKey(SqliteConnection db, long access, int place)
    {
        var id = "key-" + Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(6));
        // 240 random bits cannot be guessed, so that one plain hash is enough to keep.
        var secret = Random(SecretBytes);
        db.Run(
            "INSERT INTO access_key(id, access, place, secret, made) VALUES(?1, ?2, ?3, ?4, ?5)",
            id,
            access,
            place,
            Hash(secret),
            ProviderState.Now(db).ToUnixTimeMilliseconds()
        );
        return new NewSecret(id, place, secret);
    }

    internal static string Random(int bytes) =>
        Convert.ToBase64String(RandomNumberGenerator.GetBytes(bytes)).Replace('+', '-').Replace('/', '_');

    internal static byte[] Hash(string secret) => SHA256.HashData(Encoding.UTF8.GetBytes(secret));
}
