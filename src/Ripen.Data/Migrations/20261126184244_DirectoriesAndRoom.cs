using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class DirectoriesAndRoom : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<double>(
                name: "RoomAbove",
                table: "Target",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "RoomBy",
                table: "Target",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<double>(
                name: "RoomDownTo",
                table: "Target",
                type: "REAL",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "RoomLeave",
                table: "Target",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "RoomTo",
                table: "Target",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "TargetFolder",
                columns: table => new
                {
                    TargetId = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Folder = table.Column<string>(type: "TEXT", nullable: false),
                    CapacityBytes = table.Column<long>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_TargetFolder", x => new { x.TargetId, x.Position });
                    table.ForeignKey(
                        name: "FK_TargetFolder_Target_TargetId",
                        column: x => x.TargetId,
                        principalTable: "Target",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "TargetFolder");

            migrationBuilder.DropColumn(
                name: "RoomAbove",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "RoomBy",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "RoomDownTo",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "RoomLeave",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "RoomTo",
                table: "Target");
        }
    }
}
