namespace Ripen.Server.Demo;

/// <summary>The files of a small office on a day: always the same for the same day, a little changed from one day to the next. They are
/// what the demo backs up.</summary>
internal static class DemoOffice
{
    private const int Folders = 6;
    private const int FilesInFolder = 14;

    /// <summary>On a day, one file in so many is written to.</summary>
    private const int OneIn = 30;

    private static readonly string[] Rooms = ["Berths", "Timetables", "Invoices", "Crew rota", "Tide tables", "Lost property"];
    private static readonly string[] Words =
    [
        "ferry",
        "berth",
        "tide",
        "cargo",
        "deck",
        "crew",
        "harbour",
        "ticket",
        "quay",
        "morning",
        "evening",
        "mended",
        "late",
        "full",
        "empty",
    ];

    /// <summary>Writes the office's files as they are on a day, over those of an earlier one.</summary>
    /// <param name="folder">Made when it is not there.</param>
    /// <param name="day">0 or more.</param>
    public static void Write(string folder, int day)
    {
        for (var room = 0; room < Folders; room++)
        {
            var inside = Directory.CreateDirectory(Path.Combine(folder, Rooms[room])).FullName;
            for (var file = 0; file < FilesInFolder + (day / 7); file++)
            {
                var seed = (room * 1000) + file;
                var changed = Enumerable.Range(0, day + 1).Last(d => d == 0 || new Random((seed * 7919) + d).Next(OneIn) == 0);
                var path = Path.Combine(inside, $"{Rooms[room].ToLowerInvariant()} {file + 1:00}.txt");
                if (File.Exists(path) && File.ReadLines(path).FirstOrDefault() == Head(changed))
                    continue;
                File.WriteAllText(path, Text(seed, changed));
            }
        }
    }

    private static string Head(int day) => $"Brackwater Ferries, as of day {day}";

    private static string Text(int seed, int day)
    {
        var (old, own) = (new Random(seed), new Random((seed * 31) + day));
        var lines = Enumerable.Range(0, 300 + old.Next(1500)).Select(_ => Line(old)).ToList();
        for (var i = 0; i < Math.Min(day, 20); i++)
            lines[own.Next(lines.Count)] = Line(own);
        return $"{Head(day)}\n{string.Join('\n', lines)}\n";
    }

    private static string Line(Random random) =>
        string.Join(' ', Enumerable.Range(0, 4 + random.Next(6)).Select(_ => Words[random.Next(Words.Length)]));
}
