using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>A pool whose content cannot be read before it is recalled: everything but reading content goes on.</summary>
public sealed class AwayTests : IDisposable
{
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();
    private readonly Shelf shelf = new();

    public void Dispose() => folders.Dispose();

    private async Task<Point> Run(Pool pool, int day)
    {
        var noise = new byte[400_000];
        new Random(day).NextBytes(noise);
        await File.WriteAllBytesAsync(Path.Combine(folders.Source, "of the day"), noise);
        return await BackupRun.Of(pool, new FolderSource(folders.Source), "office", null, new Shifted(TimeSpan.FromDays(day)), null, Never);
    }

    private static Task<Pool> New(IPoolObjects place) => Pool.Create(place, Folders.Options, DateTimeOffset.UtcNow, Never);

    [Fact]
    public async Task Runs_listing_and_thinning_need_no_content()
    {
        folders.Fill(4);
        using var made = await New(shelf);
        await Run(made, 0);
        var picture = Folders.Picture(folders.Source);
        shelf.PutAway();
        using var pool = await Pool.OpenBySecret(shelf, made.Secret, Never);
        var second = await Run(pool, 1);
        Assert.InRange(second.StoredBytes, 400_000, 500_000);
        var (first, last) = ((await pool.Points(Never)).Points[0], (await pool.Points(Never)).Points[1]);
        Assert.Equal(picture.Count, await pool.Entries(first, Never).CountAsync(Never));
        var weight = await RestoreWeight.Of(pool, last, "", Never);
        Assert.Equal(second.LogicalBytes, weight.Bytes);
        Assert.All(weight.Packs, p => Assert.StartsWith(Packs.Folder, p, StringComparison.Ordinal));
        Assert.Contains(weight.Packs, shelf.IsAway);
        Assert.Single((await RestoreWeight.Of(pool, last, "of the day", Never)).Packs);

        await pool.Remove(first.Id, Never);
        var pruned = await PoolPrune.Of(pool, TimeProvider.System, Never);
        Assert.Empty(pruned.Kept);
        var report = await PoolCheck.Of(pool, Never);
        Assert.Empty(report.Damaged);
        Assert.Empty(report.Lost);
        Assert.All(report.Away, a => Assert.True(shelf.IsAway(a.Path)));
        Assert.NotEmpty(report.Away);

        shelf.BringBack();
        var target = folders.Target("back");
        Assert.Empty((await Restore.Into(pool, last, "", target, Existing.Refused, null, Never)).Problems);
        Assert.Equal(Folders.Picture(folders.Source), Folders.Picture(target));
    }

    /// <summary>What is away was compared when it came; an original that is to go afterwards is another matter.</summary>
    [Fact]
    public async Task A_copy_into_it_is_compared_as_far_as_it_can_be_read_and_no_original_goes_on_the_strength_of_that()
    {
        folders.Fill(4);
        var home = new MemoryObjects();
        using var from = await New(home);
        using var made = await New(shelf);
        var first = await Run(from, 0);
        await PointCopy.Of(from, first, made, TimeProvider.System, Never);
        shelf.PutAway();
        using var to = await Pool.OpenBySecret(shelf, made.Secret, Never);
        var second = await Run(from, 1);
        var copy = await PointCopy.Of(from, second, to, TimeProvider.System, Never, originalStays: true);
        Assert.Equal(second.Id, copy.Id);
        Assert.Equal("needs-recall", await BackupTests.Code(() => PointCopy.Of(from, second, to, TimeProvider.System, Never)));

        // New content that does not arrive as it was is noticed all the same.
        shelf.Spoils = true;
        var third = await Run(from, 2);
        Assert.Equal(
            "damaged",
            await BackupTests.Code(() => PointCopy.Of(from, third, to, TimeProvider.System, Never, originalStays: true))
        );
    }

    /// <summary>Packs of content that were put away are refused as a provider refuses them.</summary>
    private sealed class Shelf : IPoolObjects
    {
        private readonly MemoryObjects inside = new();
        private HashSet<string> away = [];

        /// <summary>Whether what is put from now on loses a bit.</summary>
        public bool Spoils { get; set; }

        public void PutAway() => away = [.. inside.All.Keys.Where(k => k.StartsWith(Packs.Folder, StringComparison.Ordinal))];

        public void BringBack() => away = [];

        public bool IsAway(string key) => away.Contains(key);

        public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel)
        {
            var bytes = content.ToArray();
            if (Spoils && key.StartsWith(Packs.Folder, StringComparison.Ordinal))
                bytes[bytes.Length / 2] ^= 1;
            return inside.Put(key, bytes, cancel);
        }

        public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel) =>
            IsAway(key)
                ? throw new RefusalException(RefusalKind.Conflict, "needs-recall", $"'{key}' rests where reading takes a wait.")
                : inside.Read(key, from, length, cancel);

        public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel) => inside.List(prefix, cancel);

        public Task Delete(string key, CancellationToken cancel) => inside.Delete(key, cancel);
    }
}
