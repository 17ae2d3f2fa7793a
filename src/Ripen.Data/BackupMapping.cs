using System.Text.Json;
using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;

namespace Ripen.Data;

/// <summary>Between the records of workloads and targets and their rows.</summary>
internal static class BackupMapping
{
    public static WorkloadRow ToRow(Workload w, int position) =>
        new()
        {
            Id = w.Id,
            Position = position,
            Name = w.Name,
            Bytes = w.Bytes,
            YearlyGrowth = w.YearlyGrowth,
            Changing = w.Changing,
            DailyChange = w.DailyChange,
            Unique = w.Unique,
            Compression = w.Compression,
            EncryptedAtSource = w.EncryptedAtSource,
            RegionId = w.Region,
            RpoHours = w.RpoHours,
            RtoHours = w.RtoHours,
            SourceFolder = w.Source?.Folder,
            SourceBucket = w.Source?.Bucket,
            SourcePrefix = w.Source?.Prefix,
            SourceBefore = w.Source?.Before,
            SourceAfter = w.Source?.After,
        };

    public static Workload ToWorkload(WorkloadRow w) =>
        new()
        {
            Id = w.Id,
            Name = w.Name,
            Bytes = w.Bytes,
            YearlyGrowth = w.YearlyGrowth,
            Changing = w.Changing,
            DailyChange = w.DailyChange,
            Unique = w.Unique,
            Compression = w.Compression,
            EncryptedAtSource = w.EncryptedAtSource,
            Region = w.RegionId,
            RpoHours = w.RpoHours,
            RtoHours = w.RtoHours,
            Source =
                w.SourceFolder is null && w.SourceBucket is null
                    ? null
                    : new WorkloadSource
                    {
                        Folder = w.SourceFolder,
                        Bucket = w.SourceBucket,
                        Prefix = w.SourcePrefix,
                        Before = w.SourceBefore,
                        After = w.SourceAfter,
                    },
        };

    public static PlanRow ToRow(BackupPlan plan, int position) =>
        Fill(
            new PlanRow
            {
                Id = plan.Id,
                Position = position,
                Body = "",
            },
            plan
        );

    /// <summary>Writes the plan into its row; what it referred to before is replaced.</summary>
    public static PlanRow Fill(PlanRow row, BackupPlan plan)
    {
        row.Body = JsonSerializer.Serialize(plan, EstateDocument.Json);
        row.Targets =
        [
            .. plan.Copies.Select(c => c.Target).Prepend(plan.Target).Distinct().Select(t => new PlanTargetRow { TargetId = t }),
        ];
        row.Workloads = [.. plan.Workloads.Select(w => new PlanWorkloadRow { WorkloadId = w })];
        return row;
    }

    public static BackupPlan ToPlan(PlanRow row) => JsonSerializer.Deserialize<BackupPlan>(row.Body, EstateDocument.Json)!;

    public static TargetRow ToRow(BackupTarget t, int position) =>
        new()
        {
            Id = t.Id,
            Position = position,
            Name = t.Name,
            Kind = Mapping.Name(t.Kind),
            Bucket = t.Bucket,
            Prefix = t.Prefix,
            Folder = t.Folder,
            CapacityBytes = t.CapacityBytes,
            MoreFolders =
            [
                .. t.MoreFolders.Select(
                    (f, i) =>
                        new TargetFolderRow
                        {
                            Position = i,
                            Folder = f.Folder,
                            CapacityBytes = f.CapacityBytes,
                        }
                ),
            ],
            RoomAbove = t.MakeRoom?.Above,
            RoomDownTo = t.MakeRoom?.DownTo,
            RoomBy = t.MakeRoom is { } room ? Mapping.Name(room.By) : null,
            RoomTo = t.MakeRoom?.To,
            RoomLeave = t.MakeRoom?.Leave,
            JournalBytes = t.Local?.JournalBytes,
            ReadBytes = t.Local?.ReadBytes,
            LocalRegionId = t.Local?.Region,
            SnapshotEveryHours = t.Snapshots?.EveryHours,
            SnapshotKeep = t.Snapshots?.Keep,
            CartridgeBytes = t.Library?.CartridgeBytes,
            Slots = t.Library?.Slots,
            Drives = t.Library?.Drives,
            PackBytes = t.PackBytes,
            Deduplicates = t.Deduplicates,
            Compresses = t.Compresses,
            Encrypts = t.Encrypts,
            OperatedBy = t.OperatedBy is { } own ? Mapping.Name(own) : null,
            Writers = t.Writers,
            SpillTo = t.SpillTo.Count > 0 ? string.Join(' ', t.SpillTo) : null,
            CopyTarget = t.CopyTo?.Target,
            CopyEveryHours = t.CopyTo?.EveryHours,
            Credential = t.Credential,
            Access = t.Access == TargetAccess.ReadWrite ? null : Mapping.Name(t.Access),
            TestEveryHours = t.TestEveryHours,
            BytesPerSecond = t.BytesPerSecond,
        };

    public static BackupTarget ToTarget(TargetRow t) =>
        new()
        {
            Id = t.Id,
            Name = t.Name,
            Kind = Mapping.Value<TargetKind>(t.Kind),
            Bucket = t.Bucket,
            Prefix = t.Prefix,
            Folder = t.Folder,
            CapacityBytes = t.CapacityBytes,
            MoreFolders =
            [
                .. t
                    .MoreFolders.OrderBy(f => f.Position)
                    .Select(f => new TargetFolder { Folder = f.Folder, CapacityBytes = f.CapacityBytes }),
            ],
            MakeRoom = t.RoomBy is { } by
                ? new RoomRule
                {
                    Above = t.RoomAbove!.Value,
                    DownTo = t.RoomDownTo!.Value,
                    By = Mapping.Value<RoomBy>(by),
                    To = t.RoomTo,
                    Leave = t.RoomLeave!.Value,
                }
                : null,
            Local = t.JournalBytes is { } journal
                ? new LocalCache
                {
                    JournalBytes = journal,
                    ReadBytes = t.ReadBytes!.Value,
                    Region = t.LocalRegionId,
                }
                : null,
            Snapshots = t.SnapshotKeep is { } keep ? new SnapshotSchedule { EveryHours = t.SnapshotEveryHours!.Value, Keep = keep } : null,
            Library = t.CartridgeBytes is { } bytes
                ? new CartridgeLibrary
                {
                    CartridgeBytes = bytes,
                    Slots = t.Slots!.Value,
                    Drives = t.Drives!.Value,
                }
                : null,
            PackBytes = t.PackBytes,
            Deduplicates = t.Deduplicates,
            Compresses = t.Compresses,
            Encrypts = t.Encrypts,
            OperatedBy = t.OperatedBy is { } own ? Mapping.Value<Operator>(own) : null,
            Writers = t.Writers,
            SpillTo = t.SpillTo?.Split(' ') ?? [],
            CopyTo = t.CopyTarget is { } copy ? new PoolCopySchedule { Target = copy, EveryHours = t.CopyEveryHours!.Value } : null,
            Credential = t.Credential,
            Access = t.Access is { } access ? Mapping.Value<TargetAccess>(access) : TargetAccess.ReadWrite,
            TestEveryHours = t.TestEveryHours,
            BytesPerSecond = t.BytesPerSecond,
        };
}
