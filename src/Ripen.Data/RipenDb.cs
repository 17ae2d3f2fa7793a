using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Design;

namespace Ripen.Data;

/// <summary>The tables. Every reference between them is a foreign key, so that half an estate cannot be stored.</summary>
public sealed class RipenDb(DbContextOptions<RipenDb> options) : DbContext(options)
{
    internal DbSet<EstateRow> Estates => Set<EstateRow>();
    internal DbSet<TierRow> Tiers => Set<TierRow>();
    internal DbSet<SchemeRow> Schemes => Set<SchemeRow>();
    internal DbSet<RegionRow> Regions => Set<RegionRow>();
    internal DbSet<TransferRow> Transfers => Set<TransferRow>();
    internal DbSet<BucketRow> Buckets => Set<BucketRow>();
    internal DbSet<WorkloadRow> Workloads => Set<WorkloadRow>();
    internal DbSet<TargetRow> Targets => Set<TargetRow>();

    internal DbSet<TargetFolderRow> TargetFolders => Set<TargetFolderRow>();
    internal DbSet<PlanRow> Plans => Set<PlanRow>();
    internal DbSet<ProbeRow> Probes => Set<ProbeRow>();
    internal DbSet<CredentialRow> Credentials => Set<CredentialRow>();
    internal DbSet<RestoreRow> Restores => Set<RestoreRow>();
    internal DbSet<WaitingRestoreRow> WaitingRestores => Set<WaitingRestoreRow>();
    internal DbSet<PoolSecretRow> PoolSecrets => Set<PoolSecretRow>();
    internal DbSet<ChangeRow> Changes => Set<ChangeRow>();
    internal DbSet<BudgetRow> Budgets => Set<BudgetRow>();
    internal DbSet<BillRow> Bills => Set<BillRow>();

    protected override void OnModelCreating(ModelBuilder modelBuilder)
    {
        modelBuilder.Entity<EstateRow>(e =>
        {
            e.ToTable("Estate", t => t.HasCheckConstraint("TheOnlyOne", $"Id = {EstateRow.TheOne}"));
            e.Property(r => r.Id).ValueGeneratedNever();
            e.Property(r => r.Version).IsConcurrencyToken();
        });
        modelBuilder.Entity<TierRow>().ToTable("Tier");
        modelBuilder.Entity<SchemeRow>().ToTable("Scheme");
        modelBuilder.Entity<RegionRow>().ToTable("Region").HasMany(r => r.Prices).WithOne().HasForeignKey(p => p.RegionId);
        modelBuilder.Entity<TierPriceRow>(e =>
        {
            e.ToTable("TierPrice").HasKey(r => new { r.RegionId, r.TierId });
            e.HasOne<TierRow>().WithMany().HasForeignKey(r => r.TierId).OnDelete(DeleteBehavior.Restrict);
            e.HasMany(r => r.Bands).WithOne().HasForeignKey(b => new { b.RegionId, b.TierId });
        });
        modelBuilder
            .Entity<BandRow>()
            .ToTable("Band")
            .HasKey(r => new
            {
                r.RegionId,
                r.TierId,
                r.Position,
            });
        modelBuilder.Entity<TransferRow>(e =>
        {
            e.ToTable("Transfer").HasKey(r => new { r.FromRegionId, r.ToRegionId });
            e.HasOne<RegionRow>().WithMany().HasForeignKey(r => r.FromRegionId).OnDelete(DeleteBehavior.Restrict);
            e.HasOne<RegionRow>().WithMany().HasForeignKey(r => r.ToRegionId).OnDelete(DeleteBehavior.Restrict);
        });
        modelBuilder.Entity<BucketRow>(e =>
        {
            e.ToTable("Bucket").HasKey(r => r.Name);
            e.Property(r => r.Version).IsConcurrencyToken();
            e.HasOne<RegionRow>().WithMany().HasForeignKey(r => r.RegionId).OnDelete(DeleteBehavior.Restrict);
            e.HasOne<SchemeRow>().WithMany().HasForeignKey(r => r.SchemeId).OnDelete(DeleteBehavior.Restrict);
            e.HasOne<TierRow>().WithMany().HasForeignKey(r => r.TierId).OnDelete(DeleteBehavior.Restrict);
            Owned(e.HasMany(r => r.Stock).WithOne());
            Owned(e.HasMany(r => r.Streams).WithOne());
            Owned(e.HasMany(r => r.Reads).WithOne());
            Owned(e.HasMany(r => r.Rules).WithOne());
            Owned(e.HasMany(r => r.Copies).WithOne());
        });
        modelBuilder.Entity<LotRow>(e =>
        {
            e.ToTable("Lot");
            e.HasOne<TierRow>().WithMany().HasForeignKey(r => r.TierId).OnDelete(DeleteBehavior.Restrict);
        });
        modelBuilder.Entity<StreamRow>().ToTable("Stream");
        modelBuilder.Entity<ReadBandRow>().ToTable("ReadBand");
        modelBuilder.Entity<RuleRow>(e =>
        {
            e.ToTable("Rule");
            e.HasMany(r => r.Steps).WithOne().HasForeignKey("Rule").IsRequired().OnDelete(DeleteBehavior.Cascade);
        });
        modelBuilder.Entity<StepRow>(e =>
        {
            e.ToTable("Step");
            e.HasOne<TierRow>().WithMany().HasForeignKey(r => r.TierId).OnDelete(DeleteBehavior.Restrict);
        });
        modelBuilder.Entity<CopyRow>(e =>
        {
            e.ToTable("Copy");
            e.HasOne<BucketRow>().WithMany().HasForeignKey(r => r.ToBucket).OnDelete(DeleteBehavior.Restrict);
        });
        modelBuilder.Entity<WorkloadRow>(e =>
        {
            e.ToTable("Workload");
            e.HasOne<RegionRow>().WithMany().HasForeignKey(r => r.RegionId).OnDelete(DeleteBehavior.Restrict);
            e.HasOne<BucketRow>().WithMany().HasForeignKey(r => r.SourceBucket).OnDelete(DeleteBehavior.Restrict);
        });
        modelBuilder.Entity<TargetRow>(e =>
        {
            e.ToTable("Target");
            e.HasOne<BucketRow>().WithMany().HasForeignKey(r => r.Bucket).OnDelete(DeleteBehavior.Restrict);
            e.HasOne<RegionRow>().WithMany().HasForeignKey(r => r.LocalRegionId).OnDelete(DeleteBehavior.Restrict);
            e.HasMany(r => r.MoreFolders).WithOne().HasForeignKey(f => f.TargetId);
            e.Navigation(r => r.MoreFolders).AutoInclude();
        });
        modelBuilder.Entity<TargetFolderRow>().ToTable("TargetFolder").HasKey(r => new { r.TargetId, r.Position });
        modelBuilder.Entity<PlanRow>(e =>
        {
            e.ToTable("Plan");
            e.HasMany(r => r.Targets).WithOne().HasForeignKey(t => t.PlanId);
            e.HasMany(r => r.Workloads).WithOne().HasForeignKey(w => w.PlanId);
        });
        modelBuilder.Entity<PlanTargetRow>(e =>
        {
            e.ToTable("PlanTarget").HasKey(r => new { r.PlanId, r.TargetId });
            e.HasOne<TargetRow>().WithMany().HasForeignKey(r => r.TargetId).OnDelete(DeleteBehavior.Restrict);
        });
        modelBuilder.Entity<PlanWorkloadRow>(e =>
        {
            e.ToTable("PlanWorkload").HasKey(r => new { r.PlanId, r.WorkloadId });
            e.HasOne<WorkloadRow>().WithMany().HasForeignKey(r => r.WorkloadId).OnDelete(DeleteBehavior.Restrict);
        });
        modelBuilder.Entity<ProbeRow>().ToTable("Probe").HasKey(r => new { r.Target, r.At });
        modelBuilder.Entity<WaitingRestoreRow>().ToTable("WaitingRestore");
        modelBuilder.Entity<RestoreRow>().ToTable("Restore").Property(r => r.Kind).HasConversion<string>();
        modelBuilder.Entity<PoolSecretRow>().ToTable("PoolSecret").HasKey(r => r.PoolId);
        modelBuilder
            .Entity<CredentialRow>()
            .ToTable("Credential")
            .HasMany(r => r.Secrets)
            .WithOne()
            .HasForeignKey("Credential")
            .IsRequired()
            .OnDelete(DeleteBehavior.Cascade);
        modelBuilder.Entity<CredentialSecretRow>().ToTable("CredentialSecret");
        modelBuilder.Entity<ChangeRow>().ToTable("Change");
        modelBuilder.Entity<BudgetRow>().ToTable("Budget").HasMany(r => r.Alarms).WithOne().HasForeignKey(a => a.BudgetId);
        modelBuilder.Entity<BillRow>().ToTable("Bill");
        modelBuilder.Entity<BudgetAlarmRow>().ToTable("BudgetAlarm").HasKey(r => new { r.BudgetId, r.Month });

        static void Owned<T>(Microsoft.EntityFrameworkCore.Metadata.Builders.ReferenceCollectionBuilder<BucketRow, T> part)
            where T : class => part.HasForeignKey("Bucket").IsRequired().OnDelete(DeleteBehavior.Cascade);
    }
}

/// <summary>For <c>dotnet ef migrations add</c>.</summary>
internal sealed class RipenDbFactory : IDesignTimeDbContextFactory<RipenDb>
{
    public RipenDb CreateDbContext(string[] args) =>
        new(new DbContextOptionsBuilder<RipenDb>().UseSqlite("Data Source=design-time.db").Options);
}
