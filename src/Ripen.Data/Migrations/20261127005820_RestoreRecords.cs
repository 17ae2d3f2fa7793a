using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class RestoreRecords : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "Restore",
                columns: table => new
                {
                    Id = table.Column<int>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    At = table.Column<DateTimeOffset>(type: "TEXT", nullable: false),
                    Day = table.Column<DateOnly>(type: "TEXT", nullable: false),
                    Actor = table.Column<string>(type: "TEXT", nullable: false),
                    Kind = table.Column<string>(type: "TEXT", nullable: false),
                    Target = table.Column<string>(type: "TEXT", nullable: false),
                    Point = table.Column<string>(type: "TEXT", nullable: false),
                    Workload = table.Column<string>(type: "TEXT", nullable: false),
                    Taken = table.Column<DateTimeOffset>(type: "TEXT", nullable: false),
                    Under = table.Column<string>(type: "TEXT", nullable: false),
                    Into = table.Column<string>(type: "TEXT", nullable: true),
                    Files = table.Column<long>(type: "INTEGER", nullable: false),
                    Bytes = table.Column<double>(type: "REAL", nullable: false),
                    Seconds = table.Column<double>(type: "REAL", nullable: false),
                    Money = table.Column<double>(type: "REAL", nullable: true),
                    Problems = table.Column<long>(type: "INTEGER", nullable: false),
                    Error = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Restore", x => x.Id);
                });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "Restore");
        }
    }
}
