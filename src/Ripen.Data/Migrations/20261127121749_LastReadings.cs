using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class LastReadings : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<DateOnly>(
                name: "LastRead",
                table: "Lot",
                type: "TEXT",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "LastRead",
                table: "Lot");
        }
    }
}
