using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Access;

/// <summary>Timed links: an address with a signature over what it opens and until when (HMAC-SHA-256, RFC 2104, with a key that never leaves the provider).</summary>
public sealed class TimedLinks
{
    private readonly ProviderState state;
    private readonly byte[] signingKey;

    internal TimedLinks(ProviderState state)
    {
        this.state = state;
        signingKey = state.Index.Change(db =>
        {
            db.Run("INSERT OR IGNORE INTO meta VALUES('signing-key', ?1)", RandomNumberGenerator.GetBytes(32));
            return db.Value<byte[]>("SELECT value FROM meta WHERE name = 'signing-key'")!;
        });
    }

    public IReadOnlyList<TimedLink> Of(string bucket) => state.Index.Read(db => Read(db, bucket, state.TermsIn(db)[bucket].Id, null));

    /// <param name="bucket">Its name.</param>
    /// <param name="key">Of an object that is there; or a prefix, also of what is still to come.</param>
    /// <param name="wholePrefix">Whether it is a prefix.</param>
    /// <param name="ends">After now, on the provider's clock.</param>
    /// <exception cref="RefusalException">There is no such object, or the end is past.</exception>
    public TimedLink Make(string bucket, string key, bool wholePrefix, DateTimeOffset ends) => state.Change(db =>
    {
        var own = state.TermsIn(db)[bucket];
        AccessBook.CheckEnd(db, ends);
        if (!wholePrefix)
        {
            ObjectKeys.Check(key);
            if (db.Value<long>("SELECT count(*) FROM entry WHERE bucket = ?1 AND key = ?2 AND current = 1 AND kind = 1", own.Id, key) == 0) throw RefusalException.NoObject(key);
        }
        var id = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8));
        db.Run("INSERT INTO link(id, bucket, key, whole_prefix, made, ends) VALUES(?1, ?2, ?3, ?4, ?5, ?6)", id, own.Id, key, wholePrefix ? 1 : 0,
            ProviderState.Now(db).ToUnixTimeMilliseconds(), ends.ToUnixTimeMilliseconds());
        state.Note(db, bucket, $"made a timed link to {(wholePrefix ? "everything under " : "")}'{key}' until {ends:yyyy-MM-dd HH:mm} of the provider's clock");
        return Read(db, bucket, own.Id, id).Single();
    });

    public void Revoke(string bucket, string id) => state.Change(db =>
    {
        if (db.Run("UPDATE link SET revoked = coalesce(revoked, ?3) WHERE id = ?1 AND bucket = ?2", id, state.TermsIn(db)[bucket].Id, ProviderState.Now(db).ToUnixTimeMilliseconds()) == 0)
        {
            throw new RefusalException(RefusalKind.NotFound, "no-link", $"There is no link {id} to '{bucket}'.");
        }
        state.Note(db, bucket, $"revoked the timed link {id}");
    });

    internal void Demand(SqliteConnection db, long bucket, string key, Right right, string token, DateTimeOffset now)
    {
        var dot = token.IndexOf('.', StringComparison.Ordinal);
        var (id, signature) = dot < 0 ? (token, "") : (token[..dot], token[(dot + 1)..]);
        var found = db.List("SELECT key, whole_prefix, ends, revoked FROM link WHERE id = ?1 AND bucket = ?2",
            r => (Key: r.GetString(0), Whole: r.GetInt32(1) == 1, Ends: r.GetInt64(2), Revoked: r.Long(3)), id, bucket);
        var expected = found.Count == 0 ? "" : Signature(id, bucket, found[0].Key, found[0].Whole, found[0].Ends);
        if (found.Count == 0 || !CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(expected), Encoding.UTF8.GetBytes(signature)))
        {
            throw AccessBook.Forbidden("link-tampered", "This link is not one that was made here: its signature does not fit. Ask for a new one.");
        }
        var link = found[0];
        if (link.Revoked is not null) throw AccessBook.Forbidden("link-revoked", "This link was revoked. Ask for a new one.");
        if (link.Ends <= now.ToUnixTimeMilliseconds())
        {
            throw AccessBook.Forbidden("link-ended", $"This link ended on {DateTimeOffset.FromUnixTimeMilliseconds(link.Ends):yyyy-MM-dd'T'HH:mm:ss'Z'}. Ask for a new one.");
        }
        var covered = link.Whole ? key.StartsWith(link.Key, StringComparison.Ordinal) : key == link.Key;
        if (!covered || right == Right.Write || (right == Right.List && !link.Whole))
        {
            throw AccessBook.Forbidden("outside-link", $"This link is for reading {(link.Whole ? $"what begins with '{link.Key}'" : $"'{link.Key}'")} and nothing else.");
        }
        db.Run("UPDATE link SET uses = uses + 1 WHERE id = ?1", id);
    }

    private List<TimedLink> Read(SqliteConnection db, string name, long bucket, string? one)
    {
        var now = ProviderState.Now(db);
        return db.List(
            "SELECT id, key, whole_prefix, made, ends, revoked, uses FROM link WHERE bucket = ?1 AND (?2 IS NULL OR id = ?2) ORDER BY made DESC, id",
            r =>
            {
                var (id, key, whole, ends) = (r.GetString(0), r.GetString(1), r.GetInt32(2) == 1, r.GetInt64(4));
                var end = DateTimeOffset.FromUnixTimeMilliseconds(ends);
                return new TimedLink(id, key, whole, DateTimeOffset.FromUnixTimeMilliseconds(r.GetInt64(3)), end,
                    r.Long(5) is { } revoked ? DateTimeOffset.FromUnixTimeMilliseconds(revoked) : null, end <= now, r.GetInt32(6),
                    $"/objects/{name}/{(whole ? $"?prefix={Uri.EscapeDataString(key)}&" : $"{string.Join('/', key.Split('/').Select(Uri.EscapeDataString))}?")}link={id}.{Signature(id, bucket, key, whole, ends)}");
            }, bucket, one);
    }

    private string Signature(string id, long bucket, string key, bool wholePrefix, long ends)
    {
        var said = Encoding.UTF8.GetBytes($"{id}\n{bucket}\n{(wholePrefix ? "prefix" : "object")}\n{ends}\n{key}");
        return Convert.ToHexStringLower(HMACSHA256.HashData(signingKey, said));
    }
}
