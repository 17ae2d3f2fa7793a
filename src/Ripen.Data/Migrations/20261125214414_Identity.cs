using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class Identity : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "AdoptedMark",
                table: "Estate",
                type: "TEXT",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<long>(
                name: "AdoptedVersion",
                table: "Estate",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<int>(
                name: "DemoSteps",
                table: "Estate",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Identity",
                table: "Estate",
                type: "TEXT",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<string>(
                name: "Mark",
                table: "Estate",
                type: "TEXT",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<string>(
                name: "Actor",
                table: "Change",
                type: "TEXT",
                nullable: false,
                defaultValue: "you, on this machine");

            migrationBuilder.AddColumn<string>(
                name: "Reason",
                table: "Change",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "LiftVersion",
                table: "Bucket",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.Sql("UPDATE Estate SET Identity = lower(hex(randomblob(16))), Mark = lower(hex(randomblob(16)))");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "AdoptedMark",
                table: "Estate");

            migrationBuilder.DropColumn(
                name: "AdoptedVersion",
                table: "Estate");

            migrationBuilder.DropColumn(
                name: "DemoSteps",
                table: "Estate");

            migrationBuilder.DropColumn(
                name: "Identity",
                table: "Estate");

            migrationBuilder.DropColumn(
                name: "Mark",
                table: "Estate");

            migrationBuilder.DropColumn(
                name: "Actor",
                table: "Change");

            migrationBuilder.DropColumn(
                name: "Reason",
                table: "Change");

            migrationBuilder.DropColumn(
                name: "LiftVersion",
                table: "Bucket");
        }
    }
}
