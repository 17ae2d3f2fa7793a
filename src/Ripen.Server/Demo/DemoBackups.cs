using Ripen.Backup.Cartridges;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;
using Ripen.Core.Backups;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Access;
using Ripen.Server.Backups;
using Ripen.Server.HeldCredentials;

namespace Ripen.Server.Demo;

/// <summary>What the demo's targets already hold: a week of the office's files on a shelf that is nearly full, a point of them in a plain pool on the
/// same disk, a volume with a snapshot, and the self-tests of all of them, and a credential that ends soon.</summary>
internal sealed class DemoBackups(
    CurrentEstate current,
    Pools pools,
    Volumes volumes,
    Cartridges cartridges,
    TargetTests tests,
    CredentialBook credentials,
    SimulatedProvider provider,
    BackupStore backups,
    BackupRoots roots,
    TimeProvider time,
    RipenSettings settings
)
{
    private const string Passphrase = "the ferry leaves at nine";
    private const int Days = 7;

    /// <summary>Of the files, after the demo's past.</summary>
    private const int LastDay = 104;
    private const int CartridgeCount = 4;
    private const int TapeFileBytes = 2_000_000;
    private const int ScanCount = 24;
    private const int ScanBytes = 325_000;
    private const int ScanDays = 4;
    private const int VolumeBytes = 24 << 20;

    /// <summary>Does nothing where folders are there already.</summary>
    public async Task Make(CancellationToken cancel)
    {
        if (!settings.Demo || roots.All is not [var root, ..])
            return;
        var office = Path.Combine(root, "office");
        if (!Directory.Exists(root))
            DemoOffice.Write(office, day: 0);
        if (!settings.DemoPast || await current.Get(cancel) is not { } view || Directory.Exists(Path.Combine(root, "shelf")))
            return;
        var targets = view.Estate.Targets;
        if (targets.FirstOrDefault(t => t.Id == "harbour-shelf") is { } shelf)
        {
            await pools.Make(shelf, null, cancel);
            var scans = Path.Combine(root, "scans");
            for (var day = 0; day < Days; day++)
            {
                var then = new RunOptions { Taken = provider.Clock.Now.AddDays(day - Days) };
                DemoOffice.Write(office, LastDay - Days + day);
                DemoPost.Write(office, DateOnly.FromDateTime(then.Taken!.Value.UtcDateTime));
                using var pool = await pools.Open(shelf, cancel);
                await BackupRun.Of(pool, new FolderSource(office), "office", then, time, null, cancel);
                if (day % ScanDays != 0)
                    continue;
                Scans(scans, day);
                await BackupRun.Of(pool, new FolderSource(scans), "scans", then, time, null, cancel);
            }
        }
        DemoOffice.Write(office, LastDay);
        DemoPost.Write(office, provider.Clock.Today);
        if (targets.FirstOrDefault(t => t.Id == "harbour-tray") is { } tray)
        {
            await pools.Make(tray, null, cancel);
            using var pool = await pools.Open(tray, cancel);
            var yesterday = new RunOptions { Taken = provider.Clock.Now.AddDays(-1) };
            await BackupRun.Of(pool, new FolderSource(office), "office", yesterday, time, null, cancel);
        }
        if (targets.FirstOrDefault(t => t.Id == "chart-room") is { } room)
        {
            await volumes.Make(room, Passphrase, cancel);
            if (volumes.Of(room.Id) is { } volume)
            {
                var charts = new byte[VolumeBytes];
                new Random(Days).NextBytes(charts.AsSpan(0, VolumeBytes / 3));
                await volume.Volume.Write(0, charts, cancel);
                await volume.Volume.TakeSnapshot("Before the season", scheduled: false, time.GetUtcNow(), cancel);
            }
        }
        if (targets.FirstOrDefault(t => t.Id == "purser") is { } purser)
            await Fill(purser, cancel);
        await GiveKey("office-vault", cancel);
        foreach (var target in (await current.Get(cancel))!.Estate.Targets)
            await tests.Test(target, cancel);
    }

    /// <summary>A target that is reached with a key which ends soon.</summary>
    private async Task GiveKey(string id, CancellationToken cancel)
    {
        var view = (await current.Get(cancel))!;
        if (view.Estate.Targets.FirstOrDefault(t => t.Id == id) is not { Bucket: { } bucket } target)
            return;
        var ends = provider.Clock.Now.AddDays(9);
        Right[] rights = [Right.Read, Right.Write, Right.List, Right.DeleteVersions];
        var made = provider.Access.Make(bucket, "the harbour office's backups", target.Prefix, rights, ends);
        var credential = await credentials.Make(
            "office-key",
            "Office key",
            CredentialKind.Token,
            made.Secret.KeyId,
            made.Secret.Secret,
            ends,
            cancel
        );
        var with = target with { Credential = credential.Id };
        await current.Apply(
            new PlannedChange(view.Estate with { Targets = [.. view.Estate.Targets.Select(t => t.Id == id ? with : t)] }),
            () => backups.ChangeTarget(target, with, view.Version, cancel)
        );
    }

    /// <summary>A few cartridges, one that is protected among them, and the first in a drive.</summary>
    private async Task Fill(BackupTarget target, CancellationToken cancel)
    {
        await cartridges.Make(target, Passphrase, cancel);
        var shelf = await cartridges.Open(target, cancel);
        for (var number = 1; number <= CartridgeCount; number++)
        {
            await shelf.Add(cancel);
            for (var file = 0; number < CartridgeCount && file < number; file++)
            {
                var content = new byte[TapeFileBytes * number];
                new Random((number * 10) + file).NextBytes(content.AsSpan(0, content.Length / 2));
                await shelf.Append(number, new MemoryStream(content), _ => { }, cancel);
            }
        }
        await shelf.Change(2, isProtected: true, keepUntil: null, cancel);
        await (await cartridges.DriveOf(target, 1, cancel)).Load(1, DriveUse.Write, cancel);
    }

    /// <summary>What a scanner leaves behind, new ones in the place of the former: nothing in it compresses, and nothing is there twice.</summary>
    private static void Scans(string folder, int day)
    {
        Directory.CreateDirectory(folder);
        for (var i = 1; i <= ScanCount; i++)
        {
            var content = new byte[ScanBytes];
            new Random((day * ScanCount) + i).NextBytes(content);
            File.WriteAllBytes(Path.Combine(folder, $"Delivery note {i:000}.scan"), content);
        }
    }
}
