using Microsoft.Data.Sqlite;
using Ripen.Core.Arrays;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Arrays;

/// <summary>What became of local arrays' data since the plan told of it: away since a day, or at home again and used on one.</summary>
internal static class ArrayRows
{
    /// <summary>The arrays of a plan as they stand.</summary>
    public static IReadOnlyList<LocalArray> Standing(SqliteConnection db, IReadOnlyList<LocalArray> arrays)
    {
        if (arrays.Count == 0)
            return arrays;
        var states = db.List(
                "SELECT array, volume, data, away, used FROM array_data",
                r => (Key: (r.GetString(0), r.GetString(1), r.GetInt32(2)), Away: r.Int(3), Used: r.Int(4))
            )
            .ToDictionary(s => s.Key, s => (s.Away, s.Used));
        return
        [
            .. arrays.Select(a =>
                a with
                {
                    Volumes =
                    [
                        .. a.Volumes.Select(v =>
                            v with
                            {
                                Data =
                                [
                                    .. v.Data.Select(
                                        (d, i) =>
                                        {
                                            var (away, used) = states.GetValueOrDefault((a.Id, v.Id, i));
                                            return d with { Away = Day(away), LastUsed = Day(used) ?? d.LastUsed };
                                        }
                                    ),
                                ],
                            }
                        ),
                    ],
                }
            ),
        ];

        static DateOnly? Day(int? number) => number is { } day ? DateOnly.FromDayNumber(day) : null;
    }

    /// <summary>Bytes that are away of a volume, by where they lie and the day on which they left. What else is under its prefix is a copy of
    /// what came home long ago.</summary>
    public static Dictionary<(string Key, int Day), double> Away(LocalArray array, ArrayVolume volume) =>
        volume
            .Data.Where(d => d.Away is not null)
            .GroupBy(d => (array.KeyOf(volume, d), d.Away!.Value.DayNumber))
            .ToDictionary(d => d.Key, d => d.Sum(p => p.Bytes));

    /// <summary>Whether a bucket holds all that is away.</summary>
    public static bool HoldsAll(SqliteConnection db, LocalArray array, string bucket)
    {
        var there = db.List(
                """
                SELECT e.key, e.created, sum(e.count * e.bytes) FROM entry e JOIN bucket b ON b.id = e.bucket
                WHERE b.name = ?1 AND e.kind = 0 AND e.current = 1 AND e.key >= ?2 AND e.key < ?3 GROUP BY e.key, e.created
                """,
                r => (Part: (r.GetString(0), r.GetInt32(1)), Bytes: r.GetDouble(2)),
                bucket,
                array.Prefix,
                ObjectKeys.After(array.Prefix)
            )
            .ToDictionary(e => e.Part, e => e.Bytes);
        return array.Volumes.All(v => IsAllOf(Away(array, v), there));
    }

    /// <summary>Whether each part is there as large as it left.</summary>
    public static bool IsAllOf(
        IReadOnlyDictionary<(string Key, int Day), double> away,
        IReadOnlyDictionary<(string Key, int Day), double> there
    ) => away.All(part => there.GetValueOrDefault(part.Key) >= part.Value * (1 - 1e-9));

    public static void Left(SqliteConnection db, LocalArray array, ArrayVolume volume, int data, DateOnly day) =>
        db.Run(
            """
            INSERT INTO array_data(array, volume, data, away) VALUES(?1, ?2, ?3, ?4) ON CONFLICT DO UPDATE SET away = excluded.away
            """,
            array.Id,
            volume.Id,
            data,
            day.DayNumber
        );

    /// <summary>Somebody used it on the day; it is away since another, or at home.</summary>
    public static void Used(SqliteConnection db, LocalArray array, ArrayVolume volume, int data, DateOnly? away, DateOnly day) =>
        db.Run(
            """
            INSERT INTO array_data(array, volume, data, away, used) VALUES(?1, ?2, ?3, ?4, ?5)
            ON CONFLICT DO UPDATE SET away = excluded.away, used = excluded.used
            """,
            array.Id,
            volume.Id,
            data,
            away?.DayNumber,
            day.DayNumber
        );

    /// <summary>A plan is taken up: rows of what it does not tell of any more, or tells of otherwise, go; of an import, all, and what it says
    /// is away is.</summary>
    public static void Adopt(SqliteConnection db, IReadOnlyList<LocalArray>? before, IReadOnlyList<LocalArray> after)
    {
        if (before is null)
            db.Run("DELETE FROM array_data");
        foreach (var array in before ?? [])
        {
            foreach (var volume in array.Volumes)
            {
                var becomes = after.FirstOrDefault(a => a.Id == array.Id)?.Volumes.FirstOrDefault(v => v.Id == volume.Id);
                if (becomes is null || !Told(volume).SequenceEqual(Told(becomes)))
                    db.Run("DELETE FROM array_data WHERE array = ?1 AND volume = ?2", array.Id, volume.Id);
            }
        }
        if (before is not null)
            return;
        foreach (var array in after)
        {
            foreach (var volume in array.Volumes)
            {
                for (var i = 0; i < volume.Data.Count; i++)
                {
                    if (volume.Data[i].Away is { } day)
                        Left(db, array, volume, i, day);
                }
            }
        }

        static IEnumerable<(string, long, long)> Told(ArrayVolume volume) => volume.Data.Select(d => (d.Folder, d.Files, d.BytesPerFile));
    }
}
