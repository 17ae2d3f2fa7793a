using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class WorkloadSource : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "SourceAfter",
                table: "Workload",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "SourceBefore",
                table: "Workload",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "SourceBucket",
                table: "Workload",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "SourceFolder",
                table: "Workload",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "SourcePrefix",
                table: "Workload",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateIndex(
                name: "IX_Workload_SourceBucket",
                table: "Workload",
                column: "SourceBucket");

            migrationBuilder.AddForeignKey(
                name: "FK_Workload_Bucket_SourceBucket",
                table: "Workload",
                column: "SourceBucket",
                principalTable: "Bucket",
                principalColumn: "Name",
                onDelete: ReferentialAction.Restrict);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropForeignKey(
                name: "FK_Workload_Bucket_SourceBucket",
                table: "Workload");

            migrationBuilder.DropIndex(
                name: "IX_Workload_SourceBucket",
                table: "Workload");

            migrationBuilder.DropColumn(
                name: "SourceAfter",
                table: "Workload");

            migrationBuilder.DropColumn(
                name: "SourceBefore",
                table: "Workload");

            migrationBuilder.DropColumn(
                name: "SourceBucket",
                table: "Workload");

            migrationBuilder.DropColumn(
                name: "SourceFolder",
                table: "Workload");

            migrationBuilder.DropColumn(
                name: "SourcePrefix",
                table: "Workload");
        }
    }
}
