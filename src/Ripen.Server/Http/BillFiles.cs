using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Files;

namespace Ripen.Server.Http;

/// <summary>Bill lines as the files that finance opens.</summary>
internal static class BillFiles
{
    private const string Sheets = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";

    /// <param name="format">xlsx, parquet or focus.csv.</param>
    /// <param name="lines">Asked for once.</param>
    /// <param name="of">Whose they are.</param>
    /// <param name="name">Of the file, without its ending.</param>
    /// <exception cref="RefusalException">There are more lines than a sheet holds.</exception>
    public static Results<PushStreamHttpResult, ProblemHttpResult> Of(
        string format,
        Func<IEnumerable<BillLine>> lines,
        BillOf of,
        string name
    )
    {
        switch (format)
        {
            case "xlsx":
                // A workbook's parts are written out of order: it is made whole first.
                var file = new MemoryStream();
                Workbook.Write([.. lines()], of, file);
                file.Position = 0;
                return TypedResults.Stream(to => file.CopyToAsync(to), Sheets, $"{name}.xlsx");
            case "parquet":
                return TypedResults.Stream(
                    async to =>
                    {
                        using var whole = new MemoryStream();
                        await ParquetFile.Write(lines(), whole, CancellationToken.None);
                        whole.Position = 0;
                        await whole.CopyToAsync(to);
                    },
                    "application/vnd.apache.parquet",
                    $"{name}.parquet"
                );
            case "focus.csv":
                return Streams.Text(writer => FocusFile.Write(lines(), of, writer), "text/csv", $"{name}.focus.csv");
            default:
                return Problems.Invalid("unknown-choice", "$.format", $"'{format}' is not known; ask for csv, xlsx, parquet or focus.csv.");
        }
    }
}
