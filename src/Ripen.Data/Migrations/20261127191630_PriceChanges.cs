using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class PriceChanges : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "EarlierPrices",
                table: "Estate",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "PriceChanges",
                table: "Estate",
                type: "TEXT",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "EarlierPrices",
                table: "Estate");

            migrationBuilder.DropColumn(
                name: "PriceChanges",
                table: "Estate");
        }
    }
}
