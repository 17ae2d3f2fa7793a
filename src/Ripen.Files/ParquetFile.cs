using Parquet;
using Parquet.Schema;
using Ripen.Core.Forecasting;

namespace Ripen.Files;

/// <summary>Bill lines as Apache Parquet, in groups of rows, so that memory stays flat.</summary>
public static class ParquetFile
{
    private const int RowsInGroup = 100_000;

    private static readonly DataField[] Fields =
    [
        new DateTimeDataField("from", DateTimeFormat.Date),
        new DateTimeDataField("to", DateTimeFormat.Date),
        new DataField<string>("bucket"),
        new DataField<string>("region"),
        new DataField<string>("tier"),
        new DataField<string>("charge"),
        new DataField<double>("quantity"),
        new DataField<string>("unit"),
        new DataField<double>("amount"),
    ];

    public static async Task Write(IEnumerable<BillLine> lines, Stream stream, CancellationToken cancel)
    {
        await using var writer = await ParquetWriter.CreateAsync(new ParquetSchema(Fields), stream, cancellationToken: cancel);
        foreach (var group in lines.Chunk(RowsInGroup))
        {
            using var rows = writer.CreateRowGroup();
            await Column(0, l => l.From.ToDateTime(TimeOnly.MinValue));
            await Column(1, l => l.To.ToDateTime(TimeOnly.MinValue));
            await Text(2, l => l.Bucket);
            await Text(3, l => l.Region);
            await Text(4, l => l.Tier);
            await Text(5, l => l.Charge.Name());
            await Column(6, l => l.Quantity);
            await Text(7, l => l.Unit);
            await Column(8, l => l.Amount);

            Task Text(int field, Func<BillLine, string> of) => rows.WriteAsync(Fields[field], Array.ConvertAll(group, l => of(l)));

            Task Column<T>(int field, Func<BillLine, T> of)
                where T : struct => rows.WriteAsync<T>(Fields[field], Array.ConvertAll(group, l => of(l)), cancellationToken: cancel);
        }
    }
}
