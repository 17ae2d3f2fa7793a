using Microsoft.Data.Sqlite;

namespace Ripen.Provider.Index;

/// <summary>The tables. Days are day numbers (0001-01-01 is 0), instants milliseconds since 1970 on the provider's clock.</summary>
internal static class Schema
{
    /// <summary>The program's layouts, each the step from the one before.</summary>
    public static readonly string[] Steps =
    [
        Tables,
        Replication,
        Retention,
        ByBucket,
        Sealing,
        Keys,
        TargetUse,
        EarlierVersions,
        PlanRuns,
        RealRuns,
        Recalls,
        Holds,
        Nights,
        Reading,
        OwnRetention,
        Uploads,
        Arrays,
        LedgerParts,
        SumsOfBlocks,
    ];

    public static void Prepare(SqliteConnection db)
    {
        var version = (int)db.Value<long>("PRAGMA user_version");
        if (version > Steps.Length)
            throw new InvalidOperationException($"The provider's index has layout {version}; this program knows {Steps.Length}.");
        // Nothing is written where nothing has to be: a start must work on a full disk too.
        if (version == Steps.Length)
            return;
        using var transaction = db.BeginTransaction();
        for (; version < Steps.Length; version++)
            db.Run(Steps[version]);
        db.Run($"PRAGMA user_version = {Steps.Length}");
        transaction.Commit();
    }

    // An entry is an object's version, a mark that the object was deleted, or a batch: alike objects that a simulated workload wrote,
    // with a declared size and no content, under their prefix.
    private const string Tables = """
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
        CREATE TABLE stay(entry INTEGER NOT NULL REFERENCES entry(id) ON DELETE CASCADE, tier INTEGER NOT NULL, since INTEGER NOT NULL,
            until INTEGER NOT NULL,
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
        CREATE TABLE run(day INTEGER PRIMARY KEY, arrived REAL NOT NULL, copied REAL NOT NULL, expired REAL NOT NULL,
            moved REAL NOT NULL, amount REAL NOT NULL);
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

    // A route is a copy rule at work; a refill brings back to a bucket what only its partner still has. What waits on a route keeps all
    // that the copy needs, content too, so that it arrives even when its original has gone meanwhile: lag changes when copies come, and
    // nothing else. A route's "newest" is the newest entry when it was made: what is older stays behind without catch-up. A copy's "home"
    // is the bucket in which its original was written; an original has none. What kind 3 waits for is that the mark of a deletion is taken
    // back.
    private const string Replication = """
        ALTER TABLE entry ADD COLUMN tags TEXT;
        ALTER TABLE entry ADD COLUMN arrived INTEGER;
        ALTER TABLE entry ADD COLUMN home INTEGER;
        UPDATE entry SET home = (SELECT o.bucket FROM entry o WHERE o.id = entry.origin) WHERE origin IS NOT NULL;
        CREATE INDEX entry_root ON entry(coalesce(origin, id), bucket) WHERE kind > 0;
        CREATE TABLE route(
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            bucket INTEGER NOT NULL REFERENCES bucket(id) ON DELETE CASCADE,
            target INTEGER NOT NULL REFERENCES bucket(id) ON DELETE CASCADE,
            prefix TEXT NOT NULL,
            tags TEXT NOT NULL,
            place INTEGER NOT NULL,
            refill INTEGER NOT NULL,
            caught_up INTEGER NOT NULL,
            made INTEGER NOT NULL,
            newest INTEGER NOT NULL DEFAULT 0,
            copied REAL NOT NULL DEFAULT 0,
            copied_bytes REAL NOT NULL DEFAULT 0,
            attempts INTEGER NOT NULL DEFAULT 0,
            next INTEGER,
            UNIQUE(bucket, target, prefix, tags, place, refill));
        INSERT INTO route(bucket, target, prefix, tags, place, refill, caught_up, made)
            SELECT c.bucket, b.id, c.prefix, '', 0, 0, 1, coalesce((SELECT value FROM meta WHERE name = 'now'), 0)
                FROM caught_up c JOIN bucket b ON b.name = c.target;
        DROP TABLE caught_up;
        INSERT INTO meta SELECT 'unqueued', 1 WHERE EXISTS (SELECT 1 FROM entry);
        CREATE TABLE pending(
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            route INTEGER NOT NULL REFERENCES route(id) ON DELETE CASCADE,
            lane INTEGER NOT NULL,
            kind INTEGER NOT NULL CHECK(kind IN (0, 1, 2, 3)),
            root INTEGER NOT NULL,
            home INTEGER NOT NULL,
            key TEXT NOT NULL,
            count REAL NOT NULL,
            bytes INTEGER NOT NULL,
            created INTEGER NOT NULL,
            written INTEGER NOT NULL,
            content TEXT REFERENCES content(name),
            media TEXT,
            tags TEXT,
            asked INTEGER NOT NULL,
            sent REAL NOT NULL DEFAULT 0,
            arrives INTEGER,
            failed TEXT,
            attempts INTEGER NOT NULL DEFAULT 0,
            next INTEGER);
        CREATE INDEX pending_queue ON pending(route, lane, kind = 0, id) WHERE arrives IS NULL AND failed IS NULL;
        CREATE INDEX pending_underway ON pending(arrives) WHERE arrives IS NOT NULL;
        CREATE INDEX pending_failed ON pending(route) WHERE failed IS NOT NULL;
        CREATE INDEX pending_root ON pending(root, route);
        CREATE INDEX pending_key ON pending(route, key);
        CREATE INDEX pending_content ON pending(content) WHERE content IS NOT NULL;
        CREATE TABLE route_day(
            route INTEGER NOT NULL REFERENCES route(id) ON DELETE CASCADE,
            day INTEGER NOT NULL,
            worst INTEGER NOT NULL,
            copied REAL NOT NULL,
            bytes REAL NOT NULL,
            PRIMARY KEY(route, day)) WITHOUT ROWID;
        CREATE TABLE line(
            origin TEXT NOT NULL,
            target TEXT NOT NULL,
            carried_until INTEGER NOT NULL,
            day INTEGER NOT NULL,
            spent REAL NOT NULL,
            PRIMARY KEY(origin, target)) WITHOUT ROWID;
        CREATE TABLE cut(one TEXT NOT NULL, other TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER, PRIMARY KEY(one,
            other)) WITHOUT ROWID;
        CREATE TABLE lost_region(region TEXT PRIMARY KEY, since INTEGER NOT NULL) WITHOUT ROWID;
        CREATE TABLE probe(
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            route INTEGER NOT NULL REFERENCES route(id) ON DELETE CASCADE,
            key TEXT NOT NULL,
            version INTEGER NOT NULL,
            written INTEGER NOT NULL);
        CREATE TABLE proof(
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            at INTEGER NOT NULL,
            clock INTEGER NOT NULL,
            kind TEXT NOT NULL,
            bucket TEXT NOT NULL,
            target TEXT,
            good INTEGER NOT NULL,
            summary TEXT NOT NULL,
            record TEXT NOT NULL);
        """;

    // A bucket is folded, counted and dropped by its own entries: without this each of ten thousand would read the entries of all.
    private const string ByBucket = "CREATE INDEX entry_bucket ON entry(bucket);";

    // Every content has a key of its own, which lies here wrapped by a sealing key: the provider's (without a bucket), or one of the bucket in
    // which it was put. Content without one was stored before contents were encrypted.
    private const string Sealing = """
        CREATE TABLE sealing_key(
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            name TEXT NOT NULL UNIQUE,
            bucket INTEGER,
            made INTEGER NOT NULL,
            fingerprint BLOB NOT NULL,
            current INTEGER NOT NULL CHECK(current IN (0, 1)),
            withdrawn INTEGER);
        CREATE UNIQUE INDEX sealing_key_current ON sealing_key(coalesce(bucket, -1)) WHERE current = 1;
        ALTER TABLE content ADD COLUMN wrapped BLOB;
        ALTER TABLE content ADD COLUMN sealed_by INTEGER REFERENCES sealing_key(id);
        ALTER TABLE content ADD COLUMN bucket INTEGER;
        CREATE INDEX content_sealed ON content(bucket, sealed_by) WHERE sealed_by IS NOT NULL;
        CREATE INDEX content_sealed_by ON content(sealed_by) WHERE sealed_by IS NOT NULL;
        """;

    // An access has as many keys as it needs, each with an end of its own, so that one can be replaced while the others work. A token stands
    // for its key for a while, and goes with it.
    private const string Keys = """
        ALTER TABLE access_key RENAME TO access_key_of_two;
        CREATE TABLE access_key(
            id TEXT PRIMARY KEY,
            access INTEGER NOT NULL REFERENCES access(id) ON DELETE CASCADE,
            secret BLOB NOT NULL,
            made INTEGER NOT NULL,
            used INTEGER,
            ends INTEGER) WITHOUT ROWID;
        INSERT INTO access_key(id, access, secret, made, used) SELECT id, access, secret, made, used FROM access_key_of_two;
        DROP TABLE access_key_of_two;
        CREATE INDEX access_key_access ON access_key(access);
        CREATE TABLE access_token(
            hash BLOB PRIMARY KEY,
            key TEXT NOT NULL REFERENCES access_key(id) ON DELETE CASCADE,
            ends INTEGER NOT NULL) WITHOUT ROWID;
        CREATE INDEX access_token_key ON access_token(key);
        """;

    // What of the ledger is for a backup target's objects: a part of it, told apart while it happens, because later nobody knows.
    private const string TargetUse = """
        CREATE TABLE target_use(
            target TEXT NOT NULL,
            day INTEGER NOT NULL,
            tier TEXT NOT NULL,
            charge TEXT NOT NULL,
            quantity REAL NOT NULL,
            bytes REAL NOT NULL,
            amount REAL NOT NULL,
            PRIMARY KEY(target, day, tier, charge)) WITHOUT ROWID;
        """;

    private const string SumsOfBlocks = "ALTER TABLE content ADD COLUMN of_blocks INTEGER NOT NULL DEFAULT 0;";

    // What lines of the ledger are made of whose quantity has more than one price. Lines from before stand without.
    private const string LedgerParts = """
        CREATE TABLE ledger_part(
            bucket TEXT NOT NULL,
            day INTEGER NOT NULL,
            tier TEXT NOT NULL,
            charge TEXT NOT NULL,
            what INTEGER NOT NULL,
            which TEXT NOT NULL,
            quantity REAL NOT NULL,
            amount REAL NOT NULL,
            PRIMARY KEY(bucket, day, tier, charge, what, which)) WITHOUT ROWID;
        """;

    // An earlier version bears the day on which it was superseded, whatever superseded it. A batch is overwritten by later ones of its
    // stream on a day that it bears from birth, and its copies as long after they came.
    private const string EarlierVersions = """
        ALTER TABLE entry ADD COLUMN superseded INTEGER;
        ALTER TABLE entry ADD COLUMN replaced_on INTEGER;
        ALTER TABLE entry ADD COLUMN rewrite INTEGER;
        ALTER TABLE pending ADD COLUMN rewrite INTEGER;
        ALTER TABLE pending ADD COLUMN replaced INTEGER NOT NULL DEFAULT 0;
        UPDATE entry SET superseded = max(created, coalesce((SELECT min(n.written) / 86400000 + 719162 FROM entry n
            WHERE n.bucket = entry.bucket AND n.key = entry.key AND n.kind > 0 AND (n.written, n.id) > (entry.written, entry.id)), created))
            WHERE kind = 1 AND current = 0;
        CREATE TRIGGER entry_superseded AFTER UPDATE OF current ON entry WHEN NEW.kind < 2 AND OLD.current = 1 AND NEW.current = 0
            BEGIN
                UPDATE entry SET superseded = (SELECT value / 86400000 + 719162 FROM meta WHERE name = 'now') WHERE id = NEW.id;
            END;
        CREATE TRIGGER entry_on_top_again AFTER UPDATE OF current ON entry WHEN NEW.kind < 2 AND OLD.current = 0 AND NEW.current = 1
            BEGIN UPDATE entry SET superseded = NULL WHERE id = NEW.id; END;
        CREATE TRIGGER entry_born_earlier AFTER INSERT ON entry WHEN NEW.kind = 1 AND NEW.current = 0 AND NEW.superseded IS NULL
            BEGIN
                UPDATE entry SET superseded = (SELECT value / 86400000 + 719162 FROM meta WHERE name = 'now') WHERE id = NEW.id;
            END;
        """;

    // A plan's run, with the share of what it stored that points still need. What it stored are batches that bear its number, and so do
    // their copies; "came" is how many objects there were at first, of what comes down with what is needed. A batch is thinned only when nothing keeps it.
    private const string PlanRuns = """
        CREATE TABLE plan_run(
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            plan TEXT NOT NULL,
            target TEXT NOT NULL,
            workload TEXT NOT NULL,
            day INTEGER NOT NULL,
            missed TEXT,
            kept_until INTEGER NOT NULL,
            is_full INTEGER NOT NULL,
            logical REAL NOT NULL,
            stored REAL NOT NULL,
            seconds REAL,
            share REAL NOT NULL DEFAULT 1,
            UNIQUE(plan, target, workload, day));
        ALTER TABLE entry ADD COLUMN run INTEGER REFERENCES plan_run(id);
        ALTER TABLE entry ADD COLUMN came REAL;
        ALTER TABLE pending ADD COLUMN run INTEGER;
        ALTER TABLE pending ADD COLUMN follows INTEGER NOT NULL DEFAULT 0;
        CREATE INDEX entry_run ON entry(run) WHERE run IS NOT NULL;
        CREATE TRIGGER entry_not_thinned_while_kept BEFORE UPDATE OF count ON entry
            WHEN NEW.count < OLD.count AND OLD.kind < 2 AND max(coalesce(OLD.sealed_until, 0), coalesce(OLD.liftable_until,
                0)) > (SELECT value / 86400000 + 719162 FROM meta WHERE name = 'now')
                AND NOT EXISTS (SELECT 1 FROM disaster WHERE bucket = OLD.bucket)
            BEGIN SELECT RAISE(ABORT, 'The entry is kept.'); END;
        """;

    // A run that read a source: its instant, and the point that it made. What it stored are objects, and no batches.
    private const string RealRuns = """
        ALTER TABLE plan_run ADD COLUMN at INTEGER;
        ALTER TABLE plan_run ADD COLUMN point TEXT;
        ALTER TABLE plan_run ADD COLUMN sealed INTEGER NOT NULL DEFAULT 0;
        CREATE INDEX plan_run_point ON plan_run(point) WHERE point IS NOT NULL;
        """;

    // A copy of what rests where reading takes a wait, in a tier without one: readable from an instant until a day, and charged there from the
    // day of that instant on. The entry itself stays where it is, and what rules do to it they do as ever.
    private const string Recalls = """
        CREATE TABLE recall(
            entry INTEGER PRIMARY KEY REFERENCES entry(id) ON DELETE CASCADE,
            tier INTEGER NOT NULL REFERENCES tier(id),
            ready INTEGER NOT NULL,
            from_day INTEGER NOT NULL,
            until INTEGER NOT NULL);
        CREATE INDEX recall_until ON recall(until);
        """;

    // What the last night did by rules, of every entry that it did something to.
    private const string Nights = """
        CREATE TABLE night_act(
            id INTEGER PRIMARY KEY,
            bucket TEXT NOT NULL,
            key TEXT NOT NULL,
            deed INTEGER NOT NULL,
            rule TEXT,
            from_tier TEXT NOT NULL,
            to_tier TEXT,
            objects REAL NOT NULL,
            bytes REAL NOT NULL,
            charge REAL NOT NULL);
        """;

    // What was read of a batch goes on as a batch of its own, which bears the day ("touched") and the number of the first ("part_of"); batches
    // that nothing tells apart any more join. "originals" is how many objects were put into a batch's bundles. Neither takes anything away,
    // and what is kept may part, join and be bundled: the wall asks whether all of it is still there.
    private static string Reading =>
        $"""
            ALTER TABLE entry ADD COLUMN originals REAL;
            ALTER TABLE entry ADD COLUMN part_of INTEGER;
            ALTER TABLE pending ADD COLUMN originals REAL;
            CREATE TABLE passed_on(entry INTEGER PRIMARY KEY, heir INTEGER NOT NULL, before REAL NOT NULL);
            DROP TRIGGER entry_stays_while_kept;
            CREATE TRIGGER entry_stays_while_kept BEFORE DELETE ON entry
                WHEN OLD.kind < 2 AND {KeptUntil} > {Today} AND NOT EXISTS (SELECT 1 FROM disaster WHERE bucket = OLD.bucket)
                    AND NOT {PassedOn("OLD.count")}
                BEGIN SELECT RAISE(ABORT, 'The entry is kept.'); END;
            DROP TRIGGER entry_not_thinned_while_kept;
            CREATE TRIGGER entry_not_thinned_while_kept BEFORE UPDATE OF count ON entry
                WHEN NEW.count < OLD.count AND OLD.kind < 2 AND {KeptUntil} > {Today}
                    AND NOT EXISTS (SELECT 1 FROM disaster WHERE bucket = OLD.bucket)
                    AND NOT {PassedOn("OLD.count - NEW.count")}
                    AND (NEW.bytes = OLD.bytes OR NEW.count * NEW.bytes < OLD.count * OLD.bytes * (1 - 1e-12)
                        OR coalesce(NEW.originals, NEW.count) < coalesce(OLD.originals, OLD.count) * (1 - 1e-12))
                BEGIN SELECT RAISE(ABORT, 'The entry is kept.'); END;
            """;

    /// <summary>Whether so many of the batch's objects lie in another one that is kept as long.</summary>
    private static string PassedOn(string count) =>
        "EXISTS (SELECT 1 FROM passed_on p JOIN entry n ON n.id = p.heir WHERE p.entry = OLD.id AND n.id <> OLD.id AND OLD.kind = 0 AND n.kind = 0 "
        + "AND n.bucket = OLD.bucket AND n.key = OLD.key AND n.tags IS OLD.tags AND n.bytes = OLD.bytes AND n.created = OLD.created "
        + "AND coalesce(n.sealed_until, 0) >= coalesce(OLD.sealed_until, 0) "
        + "AND coalesce(n.liftable_until, 0) >= coalesce(OLD.liftable_until, 0) "
        + "AND coalesce(n.held_until, 0) >= coalesce(OLD.held_until, 0) "
        + $"AND n.count * (1 + 1e-12) >= p.before + ({count}))";

    // An object's own retention that can be lifted; "liftable_until" is the later of it and of what the bucket's rule says. One that is sealed
    // is in "sealed_until", like any other seal.
    private const string OwnRetention = "ALTER TABLE entry ADD COLUMN own_liftable INTEGER;";

    // Objects on their way. A part is a content like any other; it goes with its upload, by who removes that.
    private const string Uploads = """
        CREATE TABLE upload(
            id TEXT PRIMARY KEY,
            bucket INTEGER NOT NULL REFERENCES bucket(id) ON DELETE CASCADE,
            key TEXT NOT NULL,
            length INTEGER NOT NULL,
            begun INTEGER NOT NULL,
            touched INTEGER NOT NULL,
            media TEXT,
            tags TEXT,
            only_new INTEGER NOT NULL,
            fingerprint TEXT) WITHOUT ROWID;
        CREATE INDEX upload_bucket ON upload(bucket, key);
        CREATE TABLE upload_part(
            upload TEXT NOT NULL REFERENCES upload(id) ON DELETE CASCADE,
            number INTEGER NOT NULL,
            content TEXT NOT NULL UNIQUE,
            PRIMARY KEY(upload, number)) WITHOUT ROWID;
        """;

    // What became of the data of local arrays since the plan told of it: by its number among those of its volume, since when it is away,
    // and when it was used last, where that is later.
    private const string Arrays = """
        CREATE TABLE array_data(
            array TEXT NOT NULL,
            volume TEXT NOT NULL,
            data INTEGER NOT NULL,
            away INTEGER,
            used INTEGER,
            PRIMARY KEY(array, volume, data)) WITHOUT ROWID;
        """;

    private const string Today = "(SELECT value / 86400000 + 719162 FROM meta WHERE name = 'now')";

    /// <summary>The calendar's last day.</summary>
    private const int Never = 3_652_058;

    /// <summary>Whether hold <c>h</c> holds an entry of its bucket today.</summary>
    public static string Matches(string entry) =>
        $"h.placed <= {Today} AND (h.released IS NULL OR h.released > {Today}) AND substr({entry}.key, 1, length(h.prefix)) = h.prefix "
        + $"AND NOT EXISTS (SELECT 1 FROM hold_tag t WHERE t.hold = h.id AND instr('&' || coalesce({entry}.tags, '') || '&', "
        + "'&' || t.pair || '&') = 0)";

    /// <summary>Until when holds keep an entry; null for none.</summary>
    public static string HeldUntil(string entry) =>
        $"(SELECT max(coalesce(h.released, {Never})) FROM hold h WHERE h.bucket = {entry}.bucket AND {Matches(entry)})";

    private const string KeptUntil = "max(coalesce(OLD.sealed_until, 0), coalesce(OLD.liftable_until, 0), coalesce(OLD.held_until, 0))";

    // Legal holds of buckets. An entry bears from birth, and from a hold's day on, until when holds keep it; what it bears falls only when no
    // hold that matches it is left. What decides whether it matches stays as it is meanwhile.
    private static string Holds =>
        $"""
            CREATE TABLE hold(
                id INTEGER PRIMARY KEY,
                bucket INTEGER NOT NULL REFERENCES bucket(id) ON DELETE CASCADE,
                name TEXT NOT NULL,
                prefix TEXT NOT NULL,
                placed INTEGER NOT NULL,
                released INTEGER,
                UNIQUE(bucket, name));
            CREATE TABLE hold_tag(hold INTEGER NOT NULL REFERENCES hold(id) ON DELETE CASCADE, pair TEXT NOT NULL, PRIMARY KEY(hold,
                pair)) WITHOUT ROWID;
            ALTER TABLE entry ADD COLUMN held_until INTEGER;
            DROP INDEX entry_kept;
            CREATE INDEX entry_kept ON entry(bucket, max(coalesce(sealed_until, 0), coalesce(liftable_until, 0), coalesce(held_until, 0)))
                WHERE sealed_until IS NOT NULL OR liftable_until IS NOT NULL OR held_until IS NOT NULL;
            CREATE TRIGGER entry_held_from_birth AFTER INSERT ON entry
                WHEN NEW.kind < 2 AND EXISTS (SELECT 1 FROM hold WHERE bucket = NEW.bucket)
                BEGIN UPDATE entry SET held_until = {HeldUntil("entry")} WHERE id = NEW.id; END;
            DROP TRIGGER entry_stays_while_kept;
            CREATE TRIGGER entry_stays_while_kept BEFORE DELETE ON entry
                WHEN OLD.kind < 2 AND {KeptUntil} > {Today} AND NOT EXISTS (SELECT 1 FROM disaster WHERE bucket = OLD.bucket)
                BEGIN SELECT RAISE(ABORT, 'The entry is kept.'); END;
            DROP TRIGGER entry_not_thinned_while_kept;
            CREATE TRIGGER entry_not_thinned_while_kept BEFORE UPDATE OF count ON entry
                WHEN NEW.count < OLD.count AND OLD.kind < 2 AND {KeptUntil} > {Today}
                    AND NOT EXISTS (SELECT 1 FROM disaster WHERE bucket = OLD.bucket)
                BEGIN SELECT RAISE(ABORT, 'The entry is kept.'); END;
            CREATE TRIGGER entry_held_by_what_it_is BEFORE UPDATE OF held_until, kind, bucket, key, tags, content ON entry
                WHEN OLD.kind < 2 AND coalesce(OLD.held_until, 0) > {Today}
                    AND (NEW.kind <> OLD.kind OR NEW.bucket <> OLD.bucket OR NEW.key <> OLD.key OR NEW.tags IS NOT OLD.tags
                        OR NEW.content IS NOT OLD.content OR coalesce(NEW.held_until, 0) < coalesce({HeldUntil("OLD")}, 0))
                BEGIN SELECT RAISE(ABORT, 'The entry is held.'); END;
            """;

    // Days until which an entry is kept: no earlier day is the first on which it may go. Both are stated at birth from its bucket's rule,
    // whatever path brings the entry, and the index itself refuses what would destroy or shorten them: RetentionGate is the way, these
    // triggers are the wall. A bucket's row bears the plan in force (its record without stock), so that the folder can say by itself what
    // it was told. "disaster" holds buckets only inside the transaction that destroys a lost region's data.
    private const string Retention = """
        ALTER TABLE bucket ADD COLUMN keep_days INTEGER;
        ALTER TABLE bucket ADD COLUMN keep_until INTEGER;
        ALTER TABLE bucket ADD COLUMN keep_sealed INTEGER;
        ALTER TABLE bucket ADD COLUMN lift_version INTEGER NOT NULL DEFAULT 0;
        ALTER TABLE bucket ADD COLUMN place INTEGER NOT NULL DEFAULT 0;
        ALTER TABLE bucket ADD COLUMN stated INTEGER;
        ALTER TABLE bucket ADD COLUMN plan TEXT;
        ALTER TABLE entry ADD COLUMN sealed_until INTEGER;
        ALTER TABLE entry ADD COLUMN liftable_until INTEGER;
        ALTER TABLE deed ADD COLUMN actor TEXT NOT NULL DEFAULT 'you, on this machine';
        ALTER TABLE link ADD COLUMN token BLOB;
        CREATE TABLE disaster(bucket INTEGER PRIMARY KEY) WITHOUT ROWID;
        CREATE TRIGGER entry_kept_from_birth AFTER INSERT ON entry
            WHEN NEW.kind < 2 AND (SELECT keep_sealed FROM bucket WHERE id = NEW.bucket) IS NOT NULL
            BEGIN
                UPDATE entry SET
                    sealed_until = (SELECT CASE WHEN keep_sealed = 1 THEN max(coalesce(NEW.sealed_until, 0), coalesce(keep_until,
                        NEW.created + keep_days))
                        ELSE NEW.sealed_until END FROM bucket WHERE id = NEW.bucket),
                    liftable_until = (SELECT CASE WHEN keep_sealed = 0
                        THEN max(coalesce(NEW.liftable_until, 0), coalesce(keep_until, NEW.created + keep_days))
                        ELSE NEW.liftable_until END FROM bucket WHERE id = NEW.bucket)
                WHERE id = NEW.id;
            END;
        CREATE TRIGGER entry_stays_while_kept BEFORE DELETE ON entry
            WHEN OLD.kind < 2 AND max(coalesce(OLD.sealed_until, 0), coalesce(OLD.liftable_until,
                0)) > (SELECT value / 86400000 + 719162 FROM meta WHERE name = 'now')
                AND NOT EXISTS (SELECT 1 FROM disaster WHERE bucket = OLD.bucket)
            BEGIN SELECT RAISE(ABORT, 'The entry is kept.'); END;
        CREATE TRIGGER entry_sealed_for_good BEFORE UPDATE OF sealed_until, kind, bucket, content ON entry
            WHEN OLD.kind < 2 AND coalesce(OLD.sealed_until, 0) > (SELECT value / 86400000 + 719162 FROM meta WHERE name = 'now')
                AND (coalesce(NEW.sealed_until, 0) < OLD.sealed_until OR NEW.kind <> OLD.kind OR NEW.bucket <> OLD.bucket
                    OR NEW.content IS NOT OLD.content)
            BEGIN SELECT RAISE(ABORT, 'The entry is sealed.'); END;
        CREATE INDEX entry_kept ON entry(bucket, max(coalesce(sealed_until, 0), coalesce(liftable_until, 0)))
            WHERE sealed_until IS NOT NULL OR liftable_until IS NOT NULL;
        """;
}
