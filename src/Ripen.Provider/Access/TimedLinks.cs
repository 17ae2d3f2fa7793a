using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Access;

/// <summary>Timed links: an address with 240 random bits in it. Only their SHA-256 is kept, so that nobody who reads the index can use a
/// link.</summary>
public sealed class TimedLinks
{
    private const int TokenBytes = 30;

    private readonly ProviderState state;

    internal TimedLinks(ProviderState state)
    {
        this.state = state;
        state.Index.Change(TakeOverSigned);
    }

    /// <summary>Links of the older layout bore an HMAC-SHA-256 with a key that was stored; what they bear goes on working, and the key
    /// goes.</summary>
    private static void TakeOverSigned(SqliteConnection db)
    {
        if (db.Value<byte[]>("SELECT value FROM meta WHERE name = 'signing-key'") is not { } key)
            return;
        foreach (
            var (id, said) in db.List(
                "SELECT id, bucket, whole_prefix, ends, key FROM link WHERE token IS NULL",
                r =>
                    (
                        r.GetString(0),
                        $"{r.GetString(0)}\n{r.GetInt64(1)}\n{(r.GetInt32(2) == 1 ? "prefix" : "object")}\n{r.GetInt64(3)}\n{r.GetString(4)}"
                    )
            )
        )
        {
            var signature = Convert.ToHexStringLower(HMACSHA256.HashData(key, System.Text.Encoding.UTF8.GetBytes(said)));
            db.Run("UPDATE link SET token = ?2 WHERE id = ?1", id, AccessBook.Hash(signature));
        }
        db.Run("DELETE FROM meta WHERE name = 'signing-key'");
    }

    public IReadOnlyList<TimedLink> Of(string bucket) => state.Booked().Index.Read(db => Read(db, state.TermsIn(db)[bucket].Id, null));

    /// <param name="bucket">Its name.</param>
    /// <param name="key">Of an object that is there; or a prefix, also of what is still to come.</param>
    /// <param name="wholePrefix">Whether it is a prefix.</param>
    /// <param name="ends">After now, on the provider's clock.</param>
    /// <exception cref="RefusalException">There is no such object, or the end is past.</exception>
    public NewLink Make(string bucket, string key, bool wholePrefix, DateTimeOffset ends) =>
        state.Change(db =>
        {
            var own = state.TermsIn(db)[bucket];
            AccessBook.CheckEnd(db, ends);
            if (!wholePrefix)
            {
                ObjectKeys.Check(key);
                if (
                    db.Value<long>("SELECT count(*) FROM entry WHERE bucket = ?1 AND key = ?2 AND current = 1 AND kind = 1", own.Id, key)
                    == 0
                )
                    throw RefusalException.NoObject(key);
            }
            var id = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8));
            var token = AccessBook.Random(TokenBytes);
            db.Run(
                "INSERT INTO link(id, bucket, key, whole_prefix, made, ends, token) VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7)",
                id,
                own.Id,
                key,
                wholePrefix ? 1 : 0,
                ProviderState.Now(db).ToUnixTimeMilliseconds(),
                ends.ToUnixTimeMilliseconds(),
                AccessBook.Hash(token)
            );
            state.Note(
                db,
                bucket,
                $"made a timed link to {(wholePrefix ? "everything under " : "")}'{key}' until {ends:yyyy-MM-dd HH:mm} of the "
                    + "provider's clock"
            );
            return new NewLink(
                Read(db, own.Id, id).Single(),
                $"/objects/{bucket}/{(wholePrefix ? $"?prefix={Uri.EscapeDataString(key)}&" : $"{string.Join('/', key.Split('/').Select(Uri.EscapeDataString))}?")}link={id}.{token}"
            );
        });

    public void Revoke(string bucket, string id) =>
        state.Change(db =>
        {
            if (
                db.Run(
                    "UPDATE link SET revoked = coalesce(revoked, ?3) WHERE id = ?1 AND bucket = ?2",
                    id,
                    state.TermsIn(db)[bucket].Id,
                    ProviderState.Now(db).ToUnixTimeMilliseconds()
                ) == 0
            )
            {
                throw new RefusalException(RefusalKind.NotFound, "no-link", $"There is no link {id} to '{bucket}'.");
            }
            state.Note(db, bucket, $"revoked the timed link {id}");
        });

    /// <summary>Whether the link opens this for reading; its number, to count the use.</summary>
    /// <exception cref="RefusalException">It does not; the message says why.</exception>
    internal static string Demand(SqliteConnection db, long bucket, string key, Right right, string token, DateTimeOffset now)
    {
        var dot = token.IndexOf('.', StringComparison.Ordinal);
        var (id, secret) = dot < 0 ? (token, "") : (token[..dot], token[(dot + 1)..]);
        var found = db.List(
            "SELECT key, whole_prefix, ends, revoked, token FROM link WHERE id = ?1 AND bucket = ?2",
            r => (Key: r.GetString(0), Whole: r.GetInt32(1) == 1, Ends: r.GetInt64(2), Revoked: r.Long(3), Hash: r.Blob(4)),
            id,
            bucket
        );
        if (found.Count == 0 || !CryptographicOperations.FixedTimeEquals(found[0].Hash ?? [], AccessBook.Hash(secret)))
        {
            throw AccessBook.Forbidden("link-unknown", "This link is not one that was made here. Ask for a new one.");
        }
        var link = found[0];
        if (link.Revoked is not null)
            throw AccessBook.Forbidden("link-revoked", "This link was revoked. Ask for a new one.");
        if (link.Ends <= now.ToUnixTimeMilliseconds())
        {
            throw AccessBook.Forbidden(
                "link-ended",
                $"This link ended on {DateTimeOffset.FromUnixTimeMilliseconds(link.Ends):yyyy-MM-dd'T'HH:mm:ss'Z'}. Ask for a new one."
            );
        }
        var covered = link.Whole ? key.StartsWith(link.Key, StringComparison.Ordinal) : key == link.Key;
        if (!covered || right is not (Right.Read or Right.List) || (right == Right.List && !link.Whole))
        {
            throw AccessBook.Forbidden(
                "outside-link",
                $"This link is for reading {(link.Whole ? $"what begins with '{link.Key}'" : $"'{link.Key}'")}, as it is now, and "
                    + "nothing else."
            );
        }
        return id;
    }

    private static List<TimedLink> Read(SqliteConnection db, long bucket, string? one)
    {
        var now = ProviderState.Now(db);
        return db.List(
            "SELECT id, key, whole_prefix, made, ends, revoked, uses FROM link WHERE bucket = ?1 AND (?2 IS NULL OR id = ?2) ORDER BY "
                + "made DESC, id",
            r =>
            {
                var end = DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(4));
                return new TimedLink(
                    r.GetString(0),
                    r.GetString(1),
                    r.GetInt32(2) == 1,
                    DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(3)),
                    end,
                    r.Long(5) is { } revoked ? DateTimeOffset.FromUnixTimeMilliseconds(revoked) : null,
                    end <= now,
                    r.GetInt32(6)
                );
            },
            bucket,
            one
        );
    }
}
