using System.Security.Cryptography;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Tests;

/// <summary>Folders of files for the tests, gone with the test.</summary>
internal sealed class Folders : IDisposable
{
    private readonly string root = Directory.CreateTempSubdirectory("ripen-backup-").FullName;

    public string Source => Made("source");

    public string PoolFolder => Path.Combine(root, "pool");

    public string Target(string name = "target") => Path.Combine(root, name);

    public string Made(string name) => Directory.CreateDirectory(Path.Combine(root, name)).FullName;

    public DirectoryObjects Objects => new(PoolFolder);

    public static PoolOptions Options => new() { Passphrase = "under the third bollard", PackBytes = 8_000_000 };

    /// <summary>A small office: text that compresses, noise that does not, an empty file, a copy, links, any Unicode, a file with
    /// holes.</summary>
    public void Fill(int seed)
    {
        var random = new Random(seed);
        for (var folder = 0; folder < 6; folder++)
        {
            var path = Directory
                .CreateDirectory(Path.Combine(Source, folder % 2 == 0 ? $"berth {folder}" : $"quay {folder - 1}/Ærø 🚢 {folder}"))
                .FullName;
            for (var file = 0; file < 12; file++)
            {
                var content = new byte[random.Next(3) == 0 ? random.Next(600_000) : random.Next(20_000)];
                if (file % 3 == 0)
                    random.NextBytes(content);
                else
                    for (var i = 0; i < content.Length; i++)
                        content[i] = (byte)("timetable and tides "[i % 20] + (random.Next(40) == 0 ? 1 : 0));
                File.WriteAllBytes(Path.Combine(path, $"file-{file}"), content);
            }
        }
        File.WriteAllBytes(Path.Combine(Source, "empty"), []);
        File.Copy(Path.Combine(Source, "berth 0", "file-0"), Path.Combine(Source, "copy"));
        File.SetUnixFileMode(Path.Combine(Source, "copy"), UnixFileMode.UserRead | UnixFileMode.GroupExecute);
        File.CreateSymbolicLink(Path.Combine(Source, "link"), "berth 0/file-1");
        File.CreateSymbolicLink(Path.Combine(Source, "nowhere"), "/not/there");
        Made("source/hollow");
        using (var holes = File.Create(Path.Combine(Source, "holes")))
        {
            holes.SetLength(9_000_000);
            holes.Position = 4_200_000;
            holes.Write("in the middle"u8);
        }
        File.SetLastWriteTimeUtc(Path.Combine(Source, "empty"), new DateTime(1999, 12, 31, 23, 59, 59, DateTimeKind.Utc));
        Directory.SetLastWriteTimeUtc(Path.Combine(Source, "hollow"), new DateTime(2001, 2, 3, 4, 5, 6, DateTimeKind.Utc));
    }

    /// <summary>Every name below a folder with what is to come back: kind, permissions, time, link or checksum.</summary>
    public static SortedDictionary<string, string> Picture(string folder)
    {
        var picture = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (var info in new DirectoryInfo(folder).EnumerateFileSystemInfos("*", SearchOption.AllDirectories))
        {
            var name = Path.GetRelativePath(folder, info.FullName);
            picture[name] = info switch
            {
                { LinkTarget: { } target } => $"link to {target}",
                FileInfo file =>
                    $"{file.UnixFileMode} {file.LastWriteTimeUtc.Ticks} {file.Length} {Convert.ToHexString(SHA256.HashData(File.ReadAllBytes(file.FullName)))}",
                _ => $"folder {info.UnixFileMode} {info.LastWriteTimeUtc.Ticks}",
            };
        }
        return picture;
    }

    public void Dispose() => Directory.Delete(root, recursive: true);
}
