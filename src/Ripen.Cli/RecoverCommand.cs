using System.CommandLine;
using System.Globalization;
using System.Net.Http.Headers;
using System.Text;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Core;

namespace Ripen.Cli;

/// <summary>Restores without any server of one's own: from what lies in the place, and the recovery sheet.</summary>
internal static class RecoverCommand
{
    private const int Refused = 3;
    private const string KeyVariable = "RIPEN_KEY";
    private const int MostFound = 1000;

    public static Command Make()
    {
        var place = new Argument<string>("PLACE")
        {
            Description = "the pool's folder, or http://…/objects/BUCKET/PREFIX of its bucket with KEY:SECRET in RIPEN_KEY",
        };
        var (point, path) = (
            new Argument<string?>("POINT")
            {
                Description = "a point's id; left out: the points are listed",
                DefaultValueFactory = _ => null,
            },
            new Argument<string>("PATH") { Description = "a path of the point; left out: everything", DefaultValueFactory = _ => "" }
        );
        var (to, find) = (
            new Option<string?>("--to") { Description = "an empty folder of this machine, or a file that ends in .tar or .zip" },
            new Option<string?>("--find") { Description = "look for words in the names of all points instead" }
        );
        var beside = new Option<string[]>("--beside") { Description = "the other folders of a pool that lies in several" };
        var command = new Command(
            "recover",
            "Read a pool with nothing but its place and its passphrase (RIPEN_PASSPHRASE, or typed): no server is needed."
        )
        {
            place,
            point,
            path,
            to,
            find,
            beside,
        };
        command.SetAction(
            async (parsed, cancel) =>
            {
                try
                {
                    using var http = new HttpClient { Timeout = Timeout.InfiniteTimeSpan };
                    var objects = ObjectsOf(http, parsed.GetRequiredValue(place), parsed.GetValue(beside) ?? []);
                    var description = await Pool.Describe(objects, cancel);
                    using var pool = await Pool.Open(objects, description.Encrypts ? Passphrase() : null, cancel);
                    if (parsed.GetValue(find) is { } text)
                        await Find(pool, text, cancel);
                    else if (parsed.GetValue(point) is { } id)
                        return await Restore(pool, id, parsed.GetRequiredValue(path), parsed.GetValue(to), cancel);
                    else
                        await List(pool, cancel);
                    return 0;
                }
                catch (Exception e)
                    when (e
                            is RefusalException
                                or ServerCommands.RefusedException
                                or HttpRequestException
                                or IOException
                                or UnauthorizedAccessException
                    )
                {
                    await Console.Error.WriteLineAsync(e.Message);
                    return Refused;
                }
            }
        );
        return command;
    }

    private static string? Passphrase()
    {
        if (Environment.GetEnvironmentVariable(BackupCommands.PassphraseVariable) is null && !Console.IsInputRedirected)
            Console.Error.Write("The pool's passphrase: ");
        return BackupCommands.Passphrase();
    }

    private static IPoolObjects ObjectsOf(HttpClient http, string place, string[] beside)
    {
        if (!Uri.TryCreate(place, UriKind.Absolute, out var address) || address.Scheme is not ("http" or "https"))
        {
            if (!Directory.Exists(place))
                throw new RefusalException(RefusalKind.NotFound, "no-folder", $"There is no folder '{place}'.");
            var folders = beside.Prepend(place).Select(f => new DirectoryObjects(f)).ToList();
            // One of several says which others there are, and is not taken for all of the pool.
            return folders is [{ Part: null } only] ? only : new SpreadObjects(folders);
        }
        if (Environment.GetEnvironmentVariable(KeyVariable) is { Length: > 0 } key)
            http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue(
                "Basic",
                Convert.ToBase64String(Encoding.UTF8.GetBytes(key))
            );
        const string root = "/objects/";
        var at = address.AbsolutePath.IndexOf(root, StringComparison.Ordinal);
        var rest = at < 0 ? "" : address.AbsolutePath[(at + root.Length)..];
        var slash = rest.IndexOf('/', StringComparison.Ordinal);
        var bucket = slash < 0 ? rest : rest[..slash];
        if (bucket.Length == 0)
            throw new RefusalException(
                RefusalKind.Invalid,
                "no-bucket",
                $"'{place}' names no bucket: write http://HOST/objects/BUCKET/PREFIX."
            );
        return new RemoteObjects(
            http,
            new Uri(address, $"{address.AbsolutePath[..at]}{root}{bucket}/"),
            slash < 0 ? "" : Uri.UnescapeDataString(rest[(slash + 1)..])
        );
    }

    private static async Task List(Pool pool, CancellationToken cancel)
    {
        var (points, unreadable) = await pool.Points(cancel);
        Console.WriteLine("point\ttaken\tworkload\tfiles\tbytes");
        foreach (var p in points.Reverse())
            Console.WriteLine(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{p.Id}\t{p.Taken:yyyy-MM-dd HH:mm}\t{p.Workload}\t{p.Files}\t{p.LogicalBytes}"
                )
            );
        foreach (var problem in unreadable)
            await Console.Error.WriteLineAsync($"{problem.Path}: {problem.What}");
    }

    private static async Task Find(Pool pool, string text, CancellationToken cancel)
    {
        var names = new PointNames();
        await names.Follow(pool, cancel);
        var found = names.Find(text, null, MostFound);
        foreach (var path in found.Paths)
        {
            foreach (var v in path.Versions)
                Console.WriteLine(
                    string.Create(
                        CultureInfo.InvariantCulture,
                        $"{v.Last.Id}\t{v.First.Taken:yyyy-MM-dd HH:mm}\t{v.Last.Taken:yyyy-MM-dd HH:mm}\t{v.Size}\t{path.Path}"
                    )
                );
        }
        if (found.Total > found.Paths.Count)
            await Console.Error.WriteLineAsync($"{found.Paths.Count} of {found.Total} paths; say more of it.");
        foreach (var problem in names.Unreadable)
            await Console.Error.WriteLineAsync($"Not searched, {problem.Path}: {problem.What}");
    }

    private static async Task<int> Restore(Pool pool, string id, string path, string? to, CancellationToken cancel)
    {
        if (to is null)
            throw new ServerCommands.RefusedException("Say where to: --to FOLDER, FILE.tar or FILE.zip.");
        var point = await pool.FindPoint(id, cancel);
        RestoreResult result;
        if (Path.GetExtension(to) is ".tar" or ".zip")
        {
            var format = to.EndsWith(".zip", StringComparison.Ordinal) ? ArchiveFormat.Zip : ArchiveFormat.Tar;
            result = await WholeFile.Write(to, file => PointArchive.Write(pool, point, path, format, file, null, cancel));
        }
        else
            result = await Backup.Restores.Restore.Into(pool, point, path, to, Existing.Refused, null, cancel);
        foreach (var problem in result.Problems)
            await Console.Error.WriteLineAsync($"{problem.Path}: {problem.What}");
        Console.WriteLine($"{result.Files} files, {result.Bytes} bytes restored");
        if (result.Problems.Count == 0)
            return 0;
        await Console.Error.WriteLineAsync("Not everything is whole.");
        return Refused;
    }
}
