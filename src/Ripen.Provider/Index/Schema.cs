using Microsoft.Data.Sqlite;

namespace Ripen.Provider.Index;

/// <summary>The tables. Days are day numbers (0001-01-01 is 0), instants milliseconds since 1970 on the provider's clock.</summary>
internal static class Schema
{
    private const int Version = 1;

    public static void Prepare(SqliteConnection db)
    {
        var version = db.Value<long>("PRAGMA user_version");
        if (version == Version) return;
        if (version != 0) throw new InvalidOperationException($"The provider's index has layout {version}; this program knows {Version}.");
        using var transaction = db.BeginTransaction();
        db.Run(Tables);
        transaction.Commit();
    }

    // An entry is an object's version, a mark that the object was deleted, or a batch: alike objects that a simulated workload wrote,
    // with a declared size and no content, under their prefix.
    private const string Tables = """
        PRAGMA user_version = 1;
        CREATE TABLE meta(name TEXT PRIMARY KEY, value) WITHOUT ROWID;
        CREATE TABLE tier(id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE);
        CREATE TABLE bucket(
            id INTEGER PRIMARY KEY,
            name TEXT NOT NULL UNIQUE,
            stock_version INTEGER NOT NULL DEFAULT -1,
            public INTEGER NOT NULL DEFAULT 0,
            changes INTEGER NOT NULL DEFAULT 0);
        CREATE TABLE content(name TEXT PRIMARY KEY, bytes INTEGER NOT NULL, sha256 BLOB NOT NULL, sums BLOB NOT NULL) WITHOUT ROWID;
        CREATE TABLE trash(name TEXT PRIMARY KEY) WITHOUT ROWID;
        CREATE TABLE entry(
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            bucket INTEGER NOT NULL REFERENCES bucket(id),
            kind INTEGER NOT NULL CHECK(kind IN (0, 1, 2)),
            current INTEGER NOT NULL CHECK(current IN (0, 1)),
            key TEXT NOT NULL,
            count REAL NOT NULL,
            bytes INTEGER NOT NULL,
            created INTEGER NOT NULL,
            written INTEGER NOT NULL,
            tier INTEGER NOT NULL REFERENCES tier(id),
            since INTEGER NOT NULL,
            touched INTEGER,
            ready INTEGER,
            origin INTEGER,
            charged REAL NOT NULL DEFAULT 0,
            content TEXT REFERENCES content(name),
            media TEXT);
        CREATE INDEX entry_current ON entry(bucket, key, kind, id) WHERE current = 1 AND kind < 2;
        CREATE UNIQUE INDEX entry_one_current ON entry(bucket, key) WHERE current = 1 AND kind > 0;
        CREATE INDEX entry_deleted ON entry(bucket, key) WHERE current = 1 AND kind = 2;
        CREATE INDEX entry_versions ON entry(bucket, key, id) WHERE kind > 0;
        CREATE INDEX entry_content ON entry(content) WHERE content IS NOT NULL;
        CREATE INDEX entry_origin ON entry(origin, bucket) WHERE origin IS NOT NULL;
        CREATE TABLE stay(entry INTEGER NOT NULL REFERENCES entry(id) ON DELETE CASCADE, tier INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL,
            PRIMARY KEY(entry, since, until)) WITHOUT ROWID;
        CREATE TABLE caught_up(bucket INTEGER NOT NULL REFERENCES bucket(id) ON DELETE CASCADE, target TEXT NOT NULL, prefix TEXT NOT NULL,
            PRIMARY KEY(bucket, target, prefix)) WITHOUT ROWID;
        CREATE TABLE ledger(
            day INTEGER NOT NULL,
            bucket TEXT NOT NULL,
            region TEXT NOT NULL,
            tier TEXT NOT NULL,
            charge TEXT NOT NULL,
            quantity REAL NOT NULL,
            weighted REAL NOT NULL,
            amount REAL NOT NULL,
            PRIMARY KEY(day, bucket, region, tier, charge)) WITHOUT ROWID;
        CREATE INDEX ledger_by_bucket ON ledger(bucket, day);
        CREATE TABLE run(day INTEGER PRIMARY KEY, arrived REAL NOT NULL, copied REAL NOT NULL, expired REAL NOT NULL, moved REAL NOT NULL, amount REAL NOT NULL);
        CREATE TABLE access(
            id INTEGER PRIMARY KEY,
            bucket INTEGER NOT NULL REFERENCES bucket(id) ON DELETE CASCADE,
            label TEXT NOT NULL,
            prefix TEXT NOT NULL,
            rights TEXT NOT NULL,
            ends INTEGER);
        CREATE TABLE access_key(
            id TEXT PRIMARY KEY,
            access INTEGER NOT NULL REFERENCES access(id) ON DELETE CASCADE,
            place INTEGER NOT NULL CHECK(place IN (1, 2)),
            secret BLOB NOT NULL,
            made INTEGER NOT NULL,
            used INTEGER,
            UNIQUE(access, place)) WITHOUT ROWID;
        CREATE TABLE link(
            id TEXT PRIMARY KEY,
            bucket INTEGER NOT NULL REFERENCES bucket(id) ON DELETE CASCADE,
            key TEXT NOT NULL,
            whole_prefix INTEGER NOT NULL,
            made INTEGER NOT NULL,
            ends INTEGER NOT NULL,
            revoked INTEGER,
            uses INTEGER NOT NULL DEFAULT 0) WITHOUT ROWID;
        CREATE TABLE deed(id INTEGER PRIMARY KEY, at INTEGER NOT NULL, bucket TEXT NOT NULL, what TEXT NOT NULL);
        """;
}
