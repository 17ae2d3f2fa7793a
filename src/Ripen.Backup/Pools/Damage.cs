namespace Ripen.Backup.Pools;

/// <summary>What a pool says of itself when it is not what was written. Every message names the object.</summary>
internal static class Damage
{
    public static RefusalException Short(string key) => Of(key, "is cut short");

    public static RefusalException Of(string key, string what) =>
        new(RefusalKind.Damaged, "damaged", $"The pool's object '{key}' {what}: what was stored in it cannot be read from there.");

    /// <summary>Whether this is no damage: the object is whole, and cannot be read before it was recalled.</summary>
    public static bool IsAway(RefusalException refusal) => refusal.Code is "needs-recall" or "recall-under-way";

    public static RefusalException NoChunk(ChunkId id) =>
        new(RefusalKind.Damaged, "missing-chunk", $"The pool's index knows no chunk {id}: the pack that held it is gone.");
}
