using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class Replication : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<double>(
                name: "MegabitsPerSecond",
                table: "Transfer",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<double>(
                name: "RoundTripMilliseconds",
                table: "Transfer",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Tags",
                table: "Stream",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Tags",
                table: "Lot",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<double>(
                name: "AllowedLagHours",
                table: "Copy",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<bool>(
                name: "FollowDeletions",
                table: "Copy",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<string>(
                name: "Tags",
                table: "Copy",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "TierId",
                table: "Copy",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Waiting",
                table: "Copy",
                type: "TEXT",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "MegabitsPerSecond",
                table: "Transfer");

            migrationBuilder.DropColumn(
                name: "RoundTripMilliseconds",
                table: "Transfer");

            migrationBuilder.DropColumn(
                name: "Tags",
                table: "Stream");

            migrationBuilder.DropColumn(
                name: "Tags",
                table: "Lot");

            migrationBuilder.DropColumn(
                name: "AllowedLagHours",
                table: "Copy");

            migrationBuilder.DropColumn(
                name: "FollowDeletions",
                table: "Copy");

            migrationBuilder.DropColumn(
                name: "Tags",
                table: "Copy");

            migrationBuilder.DropColumn(
                name: "TierId",
                table: "Copy");

            migrationBuilder.DropColumn(
                name: "Waiting",
                table: "Copy");
        }
    }
}
