using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class BackupTargets : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "PoolSecret",
                columns: table => new
                {
                    PoolId = table.Column<string>(type: "TEXT", nullable: false),
                    Protected = table.Column<byte[]>(type: "BLOB", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_PoolSecret", x => x.PoolId);
                });

            migrationBuilder.CreateTable(
                name: "Target",
                columns: table => new
                {
                    Id = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Kind = table.Column<string>(type: "TEXT", nullable: false),
                    Bucket = table.Column<string>(type: "TEXT", nullable: false),
                    Prefix = table.Column<string>(type: "TEXT", nullable: false),
                    PackBytes = table.Column<long>(type: "INTEGER", nullable: false),
                    Deduplicates = table.Column<bool>(type: "INTEGER", nullable: false),
                    Compresses = table.Column<bool>(type: "INTEGER", nullable: false),
                    Encrypts = table.Column<bool>(type: "INTEGER", nullable: false),
                    OperatedBy = table.Column<string>(type: "TEXT", nullable: true),
                    Writers = table.Column<int>(type: "INTEGER", nullable: false),
                    BytesPerSecond = table.Column<double>(type: "REAL", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Target", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Target_Bucket_Bucket",
                        column: x => x.Bucket,
                        principalTable: "Bucket",
                        principalColumn: "Name",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "Workload",
                columns: table => new
                {
                    Id = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Bytes = table.Column<double>(type: "REAL", nullable: false),
                    YearlyGrowth = table.Column<double>(type: "REAL", nullable: false),
                    Changing = table.Column<double>(type: "REAL", nullable: false),
                    DailyChange = table.Column<double>(type: "REAL", nullable: false),
                    Unique = table.Column<double>(type: "REAL", nullable: false),
                    Compression = table.Column<double>(type: "REAL", nullable: false),
                    EncryptedAtSource = table.Column<bool>(type: "INTEGER", nullable: false),
                    RegionId = table.Column<string>(type: "TEXT", nullable: false),
                    RpoHours = table.Column<double>(type: "REAL", nullable: true),
                    RtoHours = table.Column<double>(type: "REAL", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Workload", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Workload_Region_RegionId",
                        column: x => x.RegionId,
                        principalTable: "Region",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateIndex(
                name: "IX_Target_Bucket",
                table: "Target",
                column: "Bucket");

            migrationBuilder.CreateIndex(
                name: "IX_Workload_RegionId",
                table: "Workload",
                column: "RegionId");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "PoolSecret");

            migrationBuilder.DropTable(
                name: "Target");

            migrationBuilder.DropTable(
                name: "Workload");
        }
    }
}
