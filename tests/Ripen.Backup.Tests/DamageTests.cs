using System.Text;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>A pool that is not what was written never gives wrong bytes, and says what it cannot give.</summary>
public sealed class DamageTests : IDisposable
{
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();

    public void Dispose() => folders.Dispose();

    private byte[] secret = [];

    private async Task<string> Filled()
    {
        folders.Fill(11);
        using var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never);
        secret = pool.Secret;
        return (await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never)).Id;
    }

    /// <summary>Two hundred flips and cuts, anywhere in any object.</summary>
    [Fact]
    public async Task A_flipped_bit_or_a_cut_anywhere_is_noticed_and_named_and_the_rest_comes_back()
    {
        var id = await Filled();
        var expected = Folders.Picture(folders.Source);
        var objects = Directory.GetFiles(folders.PoolFolder, "*", SearchOption.AllDirectories).Order(StringComparer.Ordinal).ToList();
        var random = new Random(20261126);
        var (refused, partly) = (0, 0);
        for (var i = 0; i < 200; i++)
        {
            var path = objects[i % objects.Count];
            var whole = await File.ReadAllBytesAsync(path);
            var damaged = random.Next(5) == 0 ? whole[..random.Next(whole.Length)] : (byte[])whole.Clone();
            if (damaged.Length == whole.Length)
                damaged[random.Next(whole.Length)] ^= (byte)(1 << random.Next(8));
            await File.WriteAllBytesAsync(path, damaged);
            var target = folders.Target($"t{i}");
            try
            {
                using var pool = path.EndsWith(PoolDescription.Key, StringComparison.Ordinal)
                    ? await Pool.Open(folders.Objects, Folders.Options.Passphrase, Never)
                    : await Pool.OpenBySecret(folders.Objects, secret, Never);
                var point = await pool.FindPoint(id, Never);
                var result = await Restore.Into(pool, point, "", target, Existing.Refused, null, Never);
                var picture = Folders.Picture(target);
                var named = result.Problems.Select(p => p.Path).ToHashSet();
                Assert.All(expected, e => Assert.True(named.Contains(e.Key) || picture.GetValueOrDefault(e.Key) == e.Value, e.Key));
                Assert.All(named, n => Assert.False(picture.ContainsKey(n), n));
                partly += named.Count > 0 ? 1 : 0;
            }
            catch (RefusalException refusal)
            {
                Assert.Contains(
                    refusal.Code,
                    new[] { "damaged", "no-pool", "wrong-passphrase", "unknown-format", "missing-chunk", "needs-passphrase" }
                );
                refused++;
            }
            finally
            {
                if (Directory.Exists(target))
                    Directory.Delete(target, recursive: true);
            }
            await File.WriteAllBytesAsync(path, whole);
        }
        Assert.True(refused > 10 && partly > 10, $"{refused} refused, {partly} partly");
    }

    [Fact]
    public async Task A_damaged_index_is_named_and_takes_nothing()
    {
        var id = await Filled();
        var path = Directory.GetFiles(Path.Combine(folders.PoolFolder, "index")).Single();
        var bytes = await File.ReadAllBytesAsync(path);
        bytes[bytes.Length / 2] ^= 8;
        await File.WriteAllBytesAsync(path, bytes);
        using var pool = await Pool.OpenBySecret(folders.Objects, secret, Never);
        var result = await Restore.Into(pool, await pool.FindPoint(id, Never), "", folders.Target(), Existing.Refused, null, Never);
        Assert.Empty(result.Problems);
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(folders.Target()));
        var report = await PoolCheck.Of(pool, Never);
        Assert.Equal(Path.GetRelativePath(folders.PoolFolder, path), Assert.Single(report.Damaged).Path);
        Assert.Empty(report.Lost);
    }

    [Fact]
    public async Task A_check_names_the_files_of_the_points_that_a_damage_takes()
    {
        var id = await Filled();
        using (var whole = await Pool.OpenBySecret(folders.Objects, secret, Never))
        {
            var report = await PoolCheck.Of(whole, Never);
            Assert.True(report is { Points: 1, Damaged.Count: 0, Lost.Count: 0, Chunks: > 50 });
        }
        var pack = Directory.GetFiles(Path.Combine(folders.PoolFolder, "packs"), "*", SearchOption.AllDirectories)[0];
        var bytes = await File.ReadAllBytesAsync(pack);
        bytes[bytes.Length / 3] ^= 1;
        await File.WriteAllBytesAsync(pack, bytes);
        using var pool = await Pool.OpenBySecret(folders.Objects, secret, Never);
        var found = await PoolCheck.Of(pool, Never);
        Assert.Equal(Path.GetRelativePath(folders.PoolFolder, pack), Assert.Single(found.Damaged).Path);
        var restored = await Restore.Into(pool, await pool.FindPoint(id, Never), "", folders.Target(), Existing.Refused, null, Never);
        Assert.NotEmpty(restored.Problems);
        Assert.Equal(restored.Problems.Select(p => $"{id}: {p.Path}"), found.Lost.Select(l => l.Path));
    }

    [Fact]
    public async Task A_wrong_passphrase_another_format_and_a_foreign_pool_are_told_apart()
    {
        var id = await Filled();
        Assert.Equal("wrong-passphrase", await BackupTests.Code(() => Pool.Open(folders.Objects, "under the second bollard", Never)));
        Assert.Equal("needs-passphrase", await BackupTests.Code(() => Pool.Open(folders.Objects, null, Never)));
        Assert.Equal("no-pool", await BackupTests.Code(() => Pool.Open(new DirectoryObjects(folders.Target("none")), "x", Never)));
        Assert.Equal("exists", await BackupTests.Code(() => Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never)));

        var description = Path.Combine(folders.PoolFolder, PoolDescription.Key);
        var own = await File.ReadAllTextAsync(description);
        await File.WriteAllTextAsync(description, own.Replace("\"format\": 3", "\"format\": 4", StringComparison.Ordinal));
        Assert.Equal("unknown-format", await BackupTests.Code(() => Pool.Open(folders.Objects, Folders.Options.Passphrase, Never)));

        // The same passphrase, but another pool's description: its secret opens nothing here.
        var foreign = new DirectoryObjects(folders.Target("foreign"));
        (await Pool.Create(foreign, Folders.Options, DateTimeOffset.UtcNow, Never)).Dispose();
        File.Copy(Path.Combine(folders.Target("foreign"), PoolDescription.Key), description, overwrite: true);
        using var pool = await Pool.Open(folders.Objects, Folders.Options.Passphrase, Never);
        Assert.Equal("damaged", await BackupTests.Code(() => pool.FindPoint(id, Never)));
        Assert.Single((await pool.Points(Never)).Unreadable);
    }

    [Fact]
    public async Task A_pool_says_nothing_of_what_it_holds()
    {
        await File.WriteAllTextAsync(
            Path.Combine(folders.Source, "salaries-of-the-crew.txt"),
            string.Concat(Enumerable.Repeat("strictly secret ", 5000))
        );
        using (var pool = await Pool.Create(folders.Objects, Folders.Options, DateTimeOffset.UtcNow, Never))
            await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, TimeProvider.System, null, Never);
        foreach (var file in Directory.GetFiles(folders.PoolFolder, "*", SearchOption.AllDirectories))
        {
            var bytes = await File.ReadAllBytesAsync(file);
            foreach (var word in new[] { "salaries", "strictly", "office" })
                Assert.True(bytes.AsSpan().IndexOf(Encoding.UTF8.GetBytes(word)) < 0, $"{file} says {word}");
        }
    }
}
