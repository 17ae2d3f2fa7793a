using Ripen.Core.Backups;
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
        };

    public static TargetRow ToRow(BackupTarget t, int position) =>
        new()
        {
            Id = t.Id,
            Position = position,
            Name = t.Name,
            Kind = Mapping.Name(t.Kind),
            Bucket = t.Bucket,
            Prefix = t.Prefix,
            PackBytes = t.PackBytes,
            Deduplicates = t.Deduplicates,
            Compresses = t.Compresses,
            Encrypts = t.Encrypts,
            OperatedBy = t.OperatedBy is { } own ? Mapping.Name(own) : null,
            Writers = t.Writers,
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
            PackBytes = t.PackBytes,
            Deduplicates = t.Deduplicates,
            Compresses = t.Compresses,
            Encrypts = t.Encrypts,
            OperatedBy = t.OperatedBy is { } own ? Mapping.Value<Operator>(own) : null,
            Writers = t.Writers,
            BytesPerSecond = t.BytesPerSecond,
        };
}
