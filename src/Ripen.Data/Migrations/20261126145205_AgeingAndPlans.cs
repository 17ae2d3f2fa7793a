using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class AgeingAndPlans : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<double>(
                name: "Watching",
                table: "TierPrice",
                type: "REAL",
                nullable: false,
                defaultValue: 0.0);

            migrationBuilder.AddColumn<int>(
                name: "LeastAgeCreated",
                table: "Tier",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "LeastAgeRead",
                table: "Tier",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "ReplacedAfterDays",
                table: "Stream",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "BundleTo",
                table: "Step",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<bool>(
                name: "ByReading",
                table: "Step",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<bool>(
                name: "BackOnRead",
                table: "Rule",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<bool>(
                name: "Earlier",
                table: "Rule",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<int>(
                name: "KeepNewest",
                table: "Rule",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddColumn<long>(
                name: "LargestBytes",
                table: "Rule",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Tags",
                table: "Rule",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<DateOnly>(
                name: "KeptUntil",
                table: "Lot",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<double>(
                name: "Originals",
                table: "Lot",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<DateOnly>(
                name: "ReplacedOn",
                table: "Lot",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "RewriteEvery",
                table: "Lot",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<DateOnly>(
                name: "SupersededOn",
                table: "Lot",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Holds",
                table: "Bucket",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "Plan",
                columns: table => new
                {
                    Id = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Body = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Plan", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "PlanTarget",
                columns: table => new
                {
                    PlanId = table.Column<string>(type: "TEXT", nullable: false),
                    TargetId = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_PlanTarget", x => new { x.PlanId, x.TargetId });
                    table.ForeignKey(
                        name: "FK_PlanTarget_Plan_PlanId",
                        column: x => x.PlanId,
                        principalTable: "Plan",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "FK_PlanTarget_Target_TargetId",
                        column: x => x.TargetId,
                        principalTable: "Target",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "PlanWorkload",
                columns: table => new
                {
                    PlanId = table.Column<string>(type: "TEXT", nullable: false),
                    WorkloadId = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_PlanWorkload", x => new { x.PlanId, x.WorkloadId });
                    table.ForeignKey(
                        name: "FK_PlanWorkload_Plan_PlanId",
                        column: x => x.PlanId,
                        principalTable: "Plan",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "FK_PlanWorkload_Workload_WorkloadId",
                        column: x => x.WorkloadId,
                        principalTable: "Workload",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateIndex(
                name: "IX_PlanTarget_TargetId",
                table: "PlanTarget",
                column: "TargetId");

            migrationBuilder.CreateIndex(
                name: "IX_PlanWorkload_WorkloadId",
                table: "PlanWorkload",
                column: "WorkloadId");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "PlanTarget");

            migrationBuilder.DropTable(
                name: "PlanWorkload");

            migrationBuilder.DropTable(
                name: "Plan");

            migrationBuilder.DropColumn(
                name: "Watching",
                table: "TierPrice");

            migrationBuilder.DropColumn(
                name: "LeastAgeCreated",
                table: "Tier");

            migrationBuilder.DropColumn(
                name: "LeastAgeRead",
                table: "Tier");

            migrationBuilder.DropColumn(
                name: "ReplacedAfterDays",
                table: "Stream");

            migrationBuilder.DropColumn(
                name: "BundleTo",
                table: "Step");

            migrationBuilder.DropColumn(
                name: "ByReading",
                table: "Step");

            migrationBuilder.DropColumn(
                name: "BackOnRead",
                table: "Rule");

            migrationBuilder.DropColumn(
                name: "Earlier",
                table: "Rule");

            migrationBuilder.DropColumn(
                name: "KeepNewest",
                table: "Rule");

            migrationBuilder.DropColumn(
                name: "LargestBytes",
                table: "Rule");

            migrationBuilder.DropColumn(
                name: "Tags",
                table: "Rule");

            migrationBuilder.DropColumn(
                name: "KeptUntil",
                table: "Lot");

            migrationBuilder.DropColumn(
                name: "Originals",
                table: "Lot");

            migrationBuilder.DropColumn(
                name: "ReplacedOn",
                table: "Lot");

            migrationBuilder.DropColumn(
                name: "RewriteEvery",
                table: "Lot");

            migrationBuilder.DropColumn(
                name: "SupersededOn",
                table: "Lot");

            migrationBuilder.DropColumn(
                name: "Holds",
                table: "Bucket");
        }
    }
}
