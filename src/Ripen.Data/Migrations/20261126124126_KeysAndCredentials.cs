using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class KeysAndCredentials : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "RecallSpeeds",
                table: "TierPrice",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Credential",
                table: "Target",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Devices",
                table: "Region",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<bool>(
                name: "OwnKey",
                table: "Bucket",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.CreateTable(
                name: "Credential",
                columns: table => new
                {
                    Id = table.Column<string>(type: "TEXT", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Kind = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Credential", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "CredentialSecret",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    KeyId = table.Column<string>(type: "TEXT", nullable: false),
                    Protected = table.Column<byte[]>(type: "BLOB", nullable: false),
                    Added = table.Column<DateTimeOffset>(type: "TEXT", nullable: false),
                    Ends = table.Column<DateTimeOffset>(type: "TEXT", nullable: true),
                    Credential = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_CredentialSecret", x => x.Id);
                    table.ForeignKey(
                        name: "FK_CredentialSecret_Credential_Credential",
                        column: x => x.Credential,
                        principalTable: "Credential",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_CredentialSecret_Credential",
                table: "CredentialSecret",
                column: "Credential");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "CredentialSecret");

            migrationBuilder.DropTable(
                name: "Credential");

            migrationBuilder.DropColumn(
                name: "RecallSpeeds",
                table: "TierPrice");

            migrationBuilder.DropColumn(
                name: "Credential",
                table: "Target");

            migrationBuilder.DropColumn(
                name: "Devices",
                table: "Region");

            migrationBuilder.DropColumn(
                name: "OwnKey",
                table: "Bucket");
        }
    }
}
