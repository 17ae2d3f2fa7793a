using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class TargetTerms : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "Access",
                table: "Target",
                type: "TEXT",
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
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Access",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "CopyEveryHours",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "CopyTarget",
                table: "Target");
        }
    }
}
