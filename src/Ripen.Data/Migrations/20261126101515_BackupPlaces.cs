using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class BackupPlaces : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AlterColumn<string>(
                name: "Bucket",
                table: "Target",
                type: "TEXT",
                nullable: true,
                oldClrType: typeof(string),
                oldType: "TEXT");

            migrationBuilder.AddColumn<string>(
                name: "Access",
                table: "Target",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "CapacityBytes",
                table: "Target",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "CartridgeBytes",
                table: "Target",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<double>(
                name: "CopyEveryHours",
                table: "Target",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "CopyTarget",
                table: "Target",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "Drives",
                table: "Target",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Folder",
                table: "Target",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "JournalBytes",
                table: "Target",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "LocalRegionId",
                table: "Target",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "ReadBytes",
                table: "Target",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "Slots",
                table: "Target",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<double>(
                name: "SnapshotEveryHours",
                table: "Target",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "SnapshotKeep",
                table: "Target",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "SpillTo",
                table: "Target",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<double>(
                name: "TestEveryHours",
                table: "Target",
                type: "REAL",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "Probe",
                columns: table => new
                {
                    Target = table.Column<string>(type: "TEXT", nullable: false),
                    At = table.Column<DateTimeOffset>(type: "TEXT", nullable: false),
                    Worked = table.Column<bool>(type: "INTEGER", nullable: false),
                    Steps = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Probe", x => new { x.Target, x.At });
                });

            migrationBuilder.CreateIndex(
                name: "IX_Target_LocalRegionId",
                table: "Target",
                column: "LocalRegionId");

            migrationBuilder.AddForeignKey(
                name: "FK_Target_Region_LocalRegionId",
                table: "Target",
                column: "LocalRegionId",
                principalTable: "Region",
                principalColumn: "Id",
                onDelete: ReferentialAction.Restrict);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropForeignKey(
                name: "FK_Target_Region_LocalRegionId",
                table: "Target");

            migrationBuilder.DropTable(
                name: "Probe");

            migrationBuilder.DropIndex(
                name: "IX_Target_LocalRegionId",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "Access",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "CapacityBytes",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "CartridgeBytes",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "CopyEveryHours",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "CopyTarget",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "Drives",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "Folder",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "JournalBytes",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "LocalRegionId",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "ReadBytes",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "Slots",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "SnapshotEveryHours",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "SnapshotKeep",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "SpillTo",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "TestEveryHours",
                table: "Target");

            migrationBuilder.AlterColumn<string>(
                name: "Bucket",
                table: "Target",
                type: "TEXT",
                nullable: false,
                defaultValue: "",
                oldClrType: typeof(string),
                oldType: "TEXT",
                oldNullable: true);
        }
    }
}
