using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class Provider : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "Layout",
                table: "Scheme",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "Zones",
                table: "Region",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<double>(
                name: "Fraction",
                table: "Lot",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "ImportVersion",
                table: "Estate",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<DateOnly>(
                name: "StatedOn",
                table: "Bucket",
                type: "TEXT",
                nullable: false,
                defaultValue: new DateOnly(1, 1, 1));

            migrationBuilder.AddColumn<long>(
                name: "StockVersion",
                table: "Bucket",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<bool>(
                name: "Versioning",
                table: "Bucket",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.Sql("UPDATE Bucket SET StatedOn = (SELECT Today FROM Estate)");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Layout",
                table: "Scheme");

            migrationBuilder.DropColumn(
                name: "Zones",
                table: "Region");

            migrationBuilder.DropColumn(
                name: "Fraction",
                table: "Lot");

            migrationBuilder.DropColumn(
                name: "ImportVersion",
                table: "Estate");

            migrationBuilder.DropColumn(
                name: "StatedOn",
                table: "Bucket");

            migrationBuilder.DropColumn(
                name: "StockVersion",
                table: "Bucket");

            migrationBuilder.DropColumn(
                name: "Versioning",
                table: "Bucket");
        }
    }
}
