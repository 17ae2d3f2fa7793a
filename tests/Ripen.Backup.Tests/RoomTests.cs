using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>A pool that is too large lets its oldest points go, or moves them; what stays, and what was moved, comes back as it was.</summary>
public sealed class RoomTests : IDisposable
{
    private const int NoiseBytes = 3_000_000;
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly Folders folders = new();
    private readonly List<(Point Point, SortedDictionary<string, string> Picture)> taken = [];

    public void Dispose() => folders.Dispose();

    /// <summary>A point a day; each has a file of noise that no other has.</summary>
    private async Task<Pool> Days(int days, bool deduplicates = true, IPoolObjects? into = null)
    {
        folders.Fill(5);
        var pool = await Pool.Create(
            into ?? folders.Objects,
            Folders.Options with
            {
                Deduplicates = deduplicates,
            },
            DateTimeOffset.UtcNow,
            Never
        );
        for (var day = 0; day < days; day++)
        {
            var noise = new byte[NoiseBytes];
            new Random(day).NextBytes(noise);
            await File.WriteAllBytesAsync(Path.Combine(folders.Source, "of the day"), noise);
            var point = await BackupRun.Of(
                pool,
                new FolderSource(folders.Source),
                "office",
                null,
                new Shifted(TimeSpan.FromDays(day - days)),
                null,
                Never
            );
            taken.Add((point, Folders.Picture(folders.Source)));
        }
        return pool;
    }

    private static Pool Other(MemoryObjects place, bool deduplicates = true) =>
        Pool.Create(place, Folders.Options with { Deduplicates = deduplicates }, DateTimeOffset.UtcNow, Never).GetAwaiter().GetResult();

    private async Task ComesBack(Pool pool, string id)
    {
        var target = folders.Target($"t{Guid.NewGuid():N}");
        var result = await Restore.Into(pool, await pool.FindPoint(id, Never), "", target, Existing.Refused, null, Never);
        Assert.Empty(result.Problems);
        Assert.Equal(taken.Single(t => t.Point.Id == id).Picture, Folders.Picture(target));
        Directory.Delete(target, recursive: true);
    }

    /// <summary>What is stored when all that may go is gone.</summary>
    private static async Task<long> Least(Pool pool, int leave) => (await PoolRoom.Plan(pool, 0, leave, Never)).LeastBytes;

    private static async Task<string[]> Ids(Pool pool) => [.. (await pool.Points(Never)).Points.Select(p => p.Id)];

    private string[] Taken(int from, int count) => [.. taken.Skip(from).Take(count).Select(t => t.Point.Id)];

    private static async Task<long> Stored(Pool pool) => (await pool.Objects.List("", Never)).Sum(o => o.Bytes);

    [Fact]
    public async Task The_oldest_points_go_until_it_is_small_enough_as_was_said_before()
    {
        using var pool = await Days(5);
        var full = await Stored(pool);
        var goal = full - (NoiseBytes * 3 / 2);
        var plan = await PoolRoom.Plan(pool, goal, 1, Never);
        Assert.Equal(Taken(0, 2), plan.Points.Select(p => p.Point.Id));
        Assert.Equal(full, plan.StoredBytes);
        Assert.True(plan.Points[0].ThenBytes > goal && plan.ThenBytes <= goal, $"{plan.Points[0].ThenBytes}, {plan.ThenBytes}");
        Assert.Equal(5, (await Ids(pool)).Length);

        var made = await PoolRoom.Make(pool, goal, 1, null, TimeProvider.System, Never);
        Assert.Equal(Taken(0, 2), made.Points.Select(p => p.Id));
        Assert.Equal(Taken(2, 3), await Ids(pool));
        // The points themselves, and the lists of packs, are some kilobytes.
        Assert.InRange(await Stored(pool), plan.ThenBytes - 40_000, plan.ThenBytes + 40_000);
        foreach (var id in Taken(2, 3))
            await ComesBack(pool, id);
        Assert.Empty((await PoolCheck.Of(pool, Never)).Lost);
        Assert.Empty((await PoolRoom.Make(pool, goal, 1, null, TimeProvider.System, Never)).Points);
    }

    [Fact]
    public async Task The_newest_points_of_every_workload_stay_however_full_it_is()
    {
        using var pool = await Days(3);
        var other = await BackupRun.Of(
            pool,
            new FolderSource(folders.Source),
            "mail",
            null,
            new Shifted(TimeSpan.FromDays(-9)),
            null,
            Never
        );
        var plan = await PoolRoom.Plan(pool, await Least(pool, 2), 2, Never);
        Assert.Equal(Taken(0, 1), plan.Points.Select(p => p.Point.Id));
        // More than all that may go: then nothing does.
        Assert.Empty((await PoolRoom.Plan(pool, await Least(pool, 2) - 1, 2, Never)).Points);
        Assert.Empty((await PoolRoom.Make(pool, 0, 2, null, TimeProvider.System, Never)).Points);
        Assert.Equal(4, (await Ids(pool)).Length);
        await PoolRoom.Make(pool, await Least(pool, 1), 1, null, TimeProvider.System, Never);
        Assert.Equal([other.Id, .. Taken(2, 1)], (await Ids(pool)).Order(StringComparer.Ordinal));
    }

    [Theory]
    [InlineData(true, true)]
    [InlineData(true, false)]
    [InlineData(false, true)]
    public async Task A_moved_point_comes_back_from_the_other_pool_as_it_was(bool deduplicates, bool otherDeduplicates)
    {
        using var pool = await Days(4, deduplicates);
        using var other = Other(new MemoryObjects(), otherDeduplicates);
        var made = await PoolRoom.Make(pool, await Least(pool, 1), 1, other, TimeProvider.System, Never);
        Assert.Equal(Taken(0, 3), made.Points.Select(p => p.Id));
        Assert.Equal(Taken(3, 1), await Ids(pool));
        var moved = (await other.Points(Never)).Points;
        Assert.Equal(
            taken.Take(3).Select(t => (t.Point.Id, t.Point.Taken, t.Point.Files, t.Point.LogicalBytes)),
            moved.Select(p => (p.Id, p.Taken, p.Files, p.LogicalBytes))
        );
        // Only the day's file is new in the second and third: what did not change is not stored, nor read, again.
        Assert.All(moved.Skip(1), p => Assert.InRange(p.NewBytes, NoiseBytes, NoiseBytes + 100_000));
        foreach (var id in Taken(0, 3))
            await ComesBack(other, id);
        await ComesBack(pool, taken[3].Point.Id);
    }

    /// <summary>Killed after every number of changes of either place: every point is whole in one of the two.</summary>
    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task A_move_that_is_killed_anywhere_loses_nothing(bool atHome)
    {
        byte[] secret;
        var home = new MemoryObjects();
        using (var made = await Days(2, into: home))
            secret = made.Secret;
        var away = new MemoryObjects();
        using var otherMade = Other(away);
        for (var changes = 0; ; changes++)
        {
            Assert.True(changes < 200, "It never came to its end.");
            var (from, to) = (Copy(home), Copy(away));
            using var pool = await Pool.OpenBySecret(atHome ? new Deadly(from, changes) : from, secret, Never);
            using var other = await Pool.OpenBySecret(atHome ? to : new Deadly(to, changes), otherMade.Secret, Never);
            var killed = false;
            try
            {
                await PoolRoom.Make(pool, await Least(pool, 1), 1, other, TimeProvider.System, Never);
            }
            catch (IOException)
            {
                killed = true;
            }
            using var here = await Pool.OpenBySecret(from, secret, Never);
            using var there = await Pool.OpenBySecret(to, otherMade.Secret, Never);
            foreach (var (point, _) in taken)
                await ComesBack((await Ids(here)).Contains(point.Id) ? here : there, point.Id);
            // It is gone on with, hours later when the killed ones' leases have ended.
            if ((await Ids(here)).Length > 1)
                await PoolRoom.Make(here, await Least(here, 1), 1, there, new Shifted(TimeSpan.FromHours(2)), Never);
            Assert.Equal(Taken(1, 1), await Ids(here));
            await ComesBack(there, taken[0].Point.Id);
            if (!killed)
                break;
        }
    }

    [Fact]
    public async Task What_is_damaged_is_not_moved()
    {
        var home = new MemoryObjects();
        using var pool = await Days(2, into: home);
        using var other = Other(new MemoryObjects());
        var goal = await Least(pool, 1);
        foreach (var pack in home.All.Keys.Where(k => k.StartsWith("packs/", StringComparison.Ordinal)))
            home.All[pack][home.All[pack].Length / 2] ^= 1;
        using var again = await Pool.OpenBySecret(home, pool.Secret, Never);
        var refused = await Assert.ThrowsAsync<RefusalException>(() => PoolRoom.Make(again, goal, 1, other, TimeProvider.System, Never));
        Assert.Equal(RefusalKind.Damaged, refused.Kind);
        Assert.Equal(2, (await Ids(again)).Length);
        Assert.Empty(await Ids(other));
    }

    [Fact]
    public async Task A_prune_in_a_place_without_room_for_rewriting_removes_what_is_wholly_dead_first()
    {
        var place = new MemoryObjects();
        byte[] secret;
        using (var made = await Days(6, into: place))
            secret = made.Secret;
        // Packs of the last days hold noise that is needed beside noise that is not; the first ones nothing that is needed.
        using var pool = await Pool.OpenBySecret(new Packed(place), secret, Never);
        foreach (var id in Taken(0, 5))
            await pool.Remove(id, Never);
        var before = await Stored(pool);
        var pruned = await PoolPrune.Of(pool, TimeProvider.System, Never);
        // A list of some hundred bytes still finds room; content does not.
        Assert.True(pruned.RewrittenBytes < NoiseBytes / 100, $"{pruned}");
        Assert.True(pruned.RemovedBytes > 4 * NoiseBytes, $"{pruned}");
        Assert.True(await Stored(pool) < before - (4 * NoiseBytes));
        await ComesBack(pool, taken[5].Point.Id);
    }

    [Fact]
    public async Task Over_several_directories_it_fills_the_roomiest_and_a_missing_disk_is_noticed()
    {
        var (one, two) = (folders.Target("one"), folders.Target("two"));
        DirectoryObjects[] places = [new(one, 6_000_000), new(two, 40_000_000)];
        var spread = new SpreadObjects(places);
        byte[] secret;
        using (var pool = await Days(6, into: spread))
        {
            secret = pool.Secret;
            Assert.True(File.Exists(Path.Combine(one, "pool.json")));
            // The second takes all until it has no more room than the first.
            Assert.True(places[1].StoredBytes > 3 * places[0].StoredBytes);
            foreach (var (point, _) in taken)
                await ComesBack(pool, point.Id);
        }

        Directory.Move(two, folders.Target("elsewhere"));
        Directory.CreateDirectory(two);
        foreach (
            var attack in new Func<Task>[]
            {
                () => Pool.OpenBySecret(spread, secret, Never),
                () => spread.Put("points/x", new byte[1], Never),
                () => spread.Delete("points/x", Never),
                () => spread.List("", Never),
            }
        )
            Assert.Equal("place-missing", await BackupTests.Code(attack));
        // Nor is it passed over by naming it no more.
        Assert.Equal("place-missing", await BackupTests.Code(() => Pool.OpenBySecret(new SpreadObjects([places[0]]), secret, Never)));
        Assert.Throws<RefusalException>(() => new SpreadObjects(places).Leave([places[1]]));
        Directory.Delete(two, recursive: true);
        Directory.Move(folders.Target("elsewhere"), two);
        using var back = await Pool.OpenBySecret(spread, secret, Never);
        foreach (var id in Taken(0, 5))
            await back.Remove(id, Never);
        await PoolPrune.Of(back, TimeProvider.System, Never);
        await ComesBack(back, taken[5].Point.Id);
        Assert.Empty((await PoolCheck.Of(back, Never)).Lost);
    }

    /// <summary>A directory joins with the first object that is written, and leaves when it is empty; what is another pool's never joins.</summary>
    [Fact]
    public async Task A_directory_joins_a_pool_and_leaves_it_again()
    {
        var (one, two) = (new DirectoryObjects(folders.Target("one")), new DirectoryObjects(folders.Target("two")));
        using var pool = await Days(1, into: one);
        var both = new SpreadObjects([one, two]);
        await both.List("", Never);
        Assert.Null(one.Part);
        await both.Put("points/x", new byte[1], Never);
        Assert.Equal(one.Part!.Parts.Keys.Order(), two.Part!.Parts.Keys.Order());
        await both.Delete("points/x", Never);
        both.Leave([two]);
        Assert.Equal([one.Part!.Id], one.Part.Parts.Keys);
        Assert.Null(two.Part);
        using var again = await Pool.OpenBySecret(new SpreadObjects([one]), pool.Secret, Never);
        await ComesBack(again, taken[0].Point.Id);

        var foreign = new DirectoryObjects(folders.Target("foreign"));
        using var other = await Pool.Create(foreign, Folders.Options, DateTimeOffset.UtcNow, Never);
        var mixed = new SpreadObjects([one, foreign]);
        Assert.Equal("not-empty", await BackupTests.Code(() => mixed.Put("points/x", new byte[1], Never)));
        Assert.Null(foreign.Part);
    }

    /// <summary>Two names of one place: the copy would be the original, and removing it would lose both.</summary>
    [Fact]
    public async Task Nothing_is_moved_from_a_pool_into_itself()
    {
        var place = new MemoryObjects();
        using var pool = await Days(2, into: place);
        using var same = await Pool.OpenBySecret(place, pool.Secret, Never);
        var goal = await Least(pool, 1);
        Assert.Equal("same-pool", await BackupTests.Code(() => PoolRoom.Make(pool, goal, 1, same, TimeProvider.System, Never)));
        Assert.Equal(2, (await Ids(pool)).Length);
        await ComesBack(pool, taken[0].Point.Id);
    }

    private static MemoryObjects Copy(MemoryObjects place)
    {
        var copy = new MemoryObjects();
        foreach (var (key, content) in place.All)
            copy.All[key] = content;
        return copy;
    }

    /// <summary>A place that takes no more packs.</summary>
    private sealed class Packed(IPoolObjects objects) : IPoolObjects
    {
        public Task Put(string key, ReadOnlyMemory<byte> content, CancellationToken cancel) =>
            key.StartsWith("packs/", StringComparison.Ordinal)
                ? throw new RefusalException(RefusalKind.Full, "place-full", "It is full.")
                : objects.Put(key, content, cancel);

        public Task<byte[]> Read(string key, long from, int length, CancellationToken cancel) => objects.Read(key, from, length, cancel);

        public Task<IReadOnlyList<PoolObject>> List(string prefix, CancellationToken cancel) => objects.List(prefix, cancel);

        public Task Delete(string key, CancellationToken cancel) => objects.Delete(key, cancel);
    }
}
