using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Ripen.Data.Migrations
{
    /// <inheritdoc />
    public partial class First : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "Change",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    At = table.Column<DateTimeOffset>(type: "TEXT", nullable: false),
                    Kind = table.Column<string>(type: "TEXT", nullable: false),
                    Subject = table.Column<string>(type: "TEXT", nullable: false),
                    Before = table.Column<string>(type: "TEXT", nullable: true),
                    After = table.Column<string>(type: "TEXT", nullable: true),
                    Shown = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Change", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "Estate",
                columns: table => new
                {
                    Id = table.Column<int>(type: "INTEGER", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Today = table.Column<DateOnly>(type: "TEXT", nullable: false),
                    Currency = table.Column<string>(type: "TEXT", nullable: false),
                    Unit = table.Column<string>(type: "TEXT", nullable: false),
                    Month = table.Column<string>(type: "TEXT", nullable: false),
                    Version = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Estate", x => x.Id);
                    table.CheckConstraint("TheOnlyOne", "Id = 1");
                });

            migrationBuilder.CreateTable(
                name: "Region",
                columns: table => new
                {
                    Id = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Region", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "Scheme",
                columns: table => new
                {
                    Id = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Copies = table.Column<int>(type: "INTEGER", nullable: false),
                    Spread = table.Column<string>(type: "TEXT", nullable: false),
                    StorageFactor = table.Column<double>(type: "REAL", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Scheme", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "Tier",
                columns: table => new
                {
                    Id = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    MinimumStayDays = table.Column<int>(type: "INTEGER", nullable: false),
                    MinimumObjectBytes = table.Column<long>(type: "INTEGER", nullable: false),
                    OverheadBytes = table.Column<long>(type: "INTEGER", nullable: false),
                    IndexBytes = table.Column<long>(type: "INTEGER", nullable: false),
                    WaitHours = table.Column<double>(type: "REAL", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Tier", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "Transfer",
                columns: table => new
                {
                    FromRegionId = table.Column<string>(type: "TEXT", nullable: false),
                    ToRegionId = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Price = table.Column<double>(type: "REAL", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Transfer", x => new { x.FromRegionId, x.ToRegionId });
                    table.ForeignKey(
                        name: "FK_Transfer_Region_FromRegionId",
                        column: x => x.FromRegionId,
                        principalTable: "Region",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                    table.ForeignKey(
                        name: "FK_Transfer_Region_ToRegionId",
                        column: x => x.ToRegionId,
                        principalTable: "Region",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "Bucket",
                columns: table => new
                {
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    RegionId = table.Column<string>(type: "TEXT", nullable: false),
                    SchemeId = table.Column<string>(type: "TEXT", nullable: false),
                    TierId = table.Column<string>(type: "TEXT", nullable: false),
                    KeepDays = table.Column<int>(type: "INTEGER", nullable: true),
                    KeepUntil = table.Column<DateOnly>(type: "TEXT", nullable: true),
                    KeepStrength = table.Column<string>(type: "TEXT", nullable: true),
                    Version = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Bucket", x => x.Name);
                    table.ForeignKey(
                        name: "FK_Bucket_Region_RegionId",
                        column: x => x.RegionId,
                        principalTable: "Region",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                    table.ForeignKey(
                        name: "FK_Bucket_Scheme_SchemeId",
                        column: x => x.SchemeId,
                        principalTable: "Scheme",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                    table.ForeignKey(
                        name: "FK_Bucket_Tier_TierId",
                        column: x => x.TierId,
                        principalTable: "Tier",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "TierPrice",
                columns: table => new
                {
                    RegionId = table.Column<string>(type: "TEXT", nullable: false),
                    TierId = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Writes = table.Column<double>(type: "REAL", nullable: false),
                    Reads = table.Column<double>(type: "REAL", nullable: false),
                    MovesIn = table.Column<double>(type: "REAL", nullable: false),
                    RecallRequests = table.Column<double>(type: "REAL", nullable: false),
                    Recall = table.Column<double>(type: "REAL", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_TierPrice", x => new { x.RegionId, x.TierId });
                    table.ForeignKey(
                        name: "FK_TierPrice_Region_RegionId",
                        column: x => x.RegionId,
                        principalTable: "Region",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "FK_TierPrice_Tier_TierId",
                        column: x => x.TierId,
                        principalTable: "Tier",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "Copy",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    ToBucket = table.Column<string>(type: "TEXT", nullable: false),
                    Prefix = table.Column<string>(type: "TEXT", nullable: false),
                    CatchUp = table.Column<bool>(type: "INTEGER", nullable: false),
                    Bucket = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Copy", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Copy_Bucket_Bucket",
                        column: x => x.Bucket,
                        principalTable: "Bucket",
                        principalColumn: "Name",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "FK_Copy_Bucket_ToBucket",
                        column: x => x.ToBucket,
                        principalTable: "Bucket",
                        principalColumn: "Name",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "Lot",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Prefix = table.Column<string>(type: "TEXT", nullable: false),
                    Created = table.Column<DateOnly>(type: "TEXT", nullable: false),
                    TierId = table.Column<string>(type: "TEXT", nullable: false),
                    InTierSince = table.Column<DateOnly>(type: "TEXT", nullable: false),
                    Objects = table.Column<long>(type: "INTEGER", nullable: false),
                    BytesPerObject = table.Column<long>(type: "INTEGER", nullable: false),
                    Bucket = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Lot", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Lot_Bucket_Bucket",
                        column: x => x.Bucket,
                        principalTable: "Bucket",
                        principalColumn: "Name",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "FK_Lot_Tier_TierId",
                        column: x => x.TierId,
                        principalTable: "Tier",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateTable(
                name: "ReadBand",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    FromAge = table.Column<int>(type: "INTEGER", nullable: false),
                    ShareOfObjectsPerDay = table.Column<double>(type: "REAL", nullable: false),
                    Bucket = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_ReadBand", x => x.Id);
                    table.ForeignKey(
                        name: "FK_ReadBand_Bucket_Bucket",
                        column: x => x.Bucket,
                        principalTable: "Bucket",
                        principalColumn: "Name",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "Rule",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    RuleId = table.Column<string>(type: "TEXT", nullable: false),
                    Prefix = table.Column<string>(type: "TEXT", nullable: false),
                    SmallestBytes = table.Column<long>(type: "INTEGER", nullable: false),
                    ExpireAt = table.Column<int>(type: "INTEGER", nullable: true),
                    Bucket = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Rule", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Rule_Bucket_Bucket",
                        column: x => x.Bucket,
                        principalTable: "Bucket",
                        principalColumn: "Name",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "Stream",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Prefix = table.Column<string>(type: "TEXT", nullable: false),
                    ObjectsPerDay = table.Column<double>(type: "REAL", nullable: false),
                    BytesPerObject = table.Column<long>(type: "INTEGER", nullable: false),
                    YearlyGrowth = table.Column<double>(type: "REAL", nullable: false),
                    Bucket = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Stream", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Stream_Bucket_Bucket",
                        column: x => x.Bucket,
                        principalTable: "Bucket",
                        principalColumn: "Name",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "Band",
                columns: table => new
                {
                    RegionId = table.Column<string>(type: "TEXT", nullable: false),
                    TierId = table.Column<string>(type: "TEXT", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    UpTo = table.Column<double>(type: "REAL", nullable: true),
                    Price = table.Column<double>(type: "REAL", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Band", x => new { x.RegionId, x.TierId, x.Position });
                    table.ForeignKey(
                        name: "FK_Band_TierPrice_RegionId_TierId",
                        columns: x => new { x.RegionId, x.TierId },
                        principalTable: "TierPrice",
                        principalColumns: new[] { "RegionId", "TierId" },
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "Step",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Age = table.Column<int>(type: "INTEGER", nullable: false),
                    TierId = table.Column<string>(type: "TEXT", nullable: false),
                    Rule = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Step", x => x.Id);
                    table.ForeignKey(
                        name: "FK_Step_Rule_Rule",
                        column: x => x.Rule,
                        principalTable: "Rule",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                    table.ForeignKey(
                        name: "FK_Step_Tier_TierId",
                        column: x => x.TierId,
                        principalTable: "Tier",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Restrict);
                });

            migrationBuilder.CreateIndex(
                name: "IX_Bucket_RegionId",
                table: "Bucket",
                column: "RegionId");

            migrationBuilder.CreateIndex(
                name: "IX_Bucket_SchemeId",
                table: "Bucket",
                column: "SchemeId");

            migrationBuilder.CreateIndex(
                name: "IX_Bucket_TierId",
                table: "Bucket",
                column: "TierId");

            migrationBuilder.CreateIndex(
                name: "IX_Copy_Bucket",
                table: "Copy",
                column: "Bucket");

            migrationBuilder.CreateIndex(
                name: "IX_Copy_ToBucket",
                table: "Copy",
                column: "ToBucket");

            migrationBuilder.CreateIndex(
                name: "IX_Lot_Bucket",
                table: "Lot",
                column: "Bucket");

            migrationBuilder.CreateIndex(
                name: "IX_Lot_TierId",
                table: "Lot",
                column: "TierId");

            migrationBuilder.CreateIndex(
                name: "IX_ReadBand_Bucket",
                table: "ReadBand",
                column: "Bucket");

            migrationBuilder.CreateIndex(
                name: "IX_Rule_Bucket",
                table: "Rule",
                column: "Bucket");

            migrationBuilder.CreateIndex(
                name: "IX_Step_Rule",
                table: "Step",
                column: "Rule");

            migrationBuilder.CreateIndex(
                name: "IX_Step_TierId",
                table: "Step",
                column: "TierId");

            migrationBuilder.CreateIndex(
                name: "IX_Stream_Bucket",
                table: "Stream",
                column: "Bucket");

            migrationBuilder.CreateIndex(
                name: "IX_TierPrice_TierId",
                table: "TierPrice",
                column: "TierId");

            migrationBuilder.CreateIndex(
                name: "IX_Transfer_ToRegionId",
                table: "Transfer",
                column: "ToRegionId");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "Band");

            migrationBuilder.DropTable(
                name: "Change");

            migrationBuilder.DropTable(
                name: "Copy");

            migrationBuilder.DropTable(
                name: "Estate");

            migrationBuilder.DropTable(
                name: "Lot");

            migrationBuilder.DropTable(
                name: "ReadBand");

            migrationBuilder.DropTable(
                name: "Step");

            migrationBuilder.DropTable(
                name: "Stream");

            migrationBuilder.DropTable(
                name: "Transfer");

            migrationBuilder.DropTable(
                name: "TierPrice");

            migrationBuilder.DropTable(
                name: "Rule");

            migrationBuilder.DropTable(
                name: "Bucket");

            migrationBuilder.DropTable(
                name: "Region");

            migrationBuilder.DropTable(
                name: "Scheme");

            migrationBuilder.DropTable(
                name: "Tier");
        }
    }
}
