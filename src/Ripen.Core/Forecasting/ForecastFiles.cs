using System.Buffers;
using System.Text;
using Ripen.Core.Billing;
using Ripen.Core.Estates;

namespace Ripen.Core.Forecasting;

/// <summary>Forecast rows as files: RFC 4180 CSV, or a JSON list of the same rows. Numbers read back to the very same double.</summary>
public static class ForecastFiles
{
    private const string Header = "month,bucket,region,tier,charge,quantity,unit,amount";

    /// <summary>So many months are put into text side by side while those before them are written: a forecast may have millions of rows.</summary>
    private const int MonthsAtOnce = 6;

    private const int FirstRoom = 1 << 19;

    /// <summary>The most that a line takes beside its names: two numbers, a month, a charge and a unit.</summary>
    private const int RestOfLine = 128;

    /// <summary>Writes the header and a line a row, in UTF-8, ended by CRLF. No field ever needs quotes: all are ids, numbers and units.</summary>
    public static void WriteCsv(Projection projection, Stream stream)
    {
        stream.Write(Encoding.UTF8.GetBytes($"{Header}\r\n"));
        // Counted once and first: months side by side would wait for the one that counts, and it for threads that wait.
        projection.AgreedMoney(0);
        var months = projection.Calendar.Months;
        var (texts, done, toWrite) = (Rooms(), Rooms(), 0);
        for (var first = 0; first < months || toWrite > 0; first += MonthsAtOnce)
        {
            var (from, into, count) = (first, texts, Math.Clamp(months - first, 0, MonthsAtOnce));
            var counting = Task.Run(() => Parallel.For(0, count, i => PutLines(projection.Rows(from + i, 1), into[i])));
            try
            {
                foreach (var text in done.Take(toWrite))
                    stream.Write(text.WrittenSpan);
            }
            finally
            {
                counting.Wait();
            }
            (texts, done, toWrite) = (done, texts, count);
        }
    }

    private static ArrayBufferWriter<byte>[] Rooms() =>
        [.. Enumerable.Range(0, MonthsAtOnce).Select(_ => new ArrayBufferWriter<byte>(FirstRoom))];

    private static void PutLines(IEnumerable<ForecastRow> rows, ArrayBufferWriter<byte> text)
    {
        text.ResetWrittenCount();
        var (last, month, begins) = (default(ForecastRow), "", 0..0);
        foreach (var row in rows)
        {
            var line = new Line(text.GetSpan(RestOfLine + row.Bucket.Length + row.Region.Length + row.Tier.Length));
            if (ReferenceEquals(row.Bucket, last.Bucket) && ReferenceEquals(row.Region, last.Region) && row.Month == last.Month)
                line.Put(text.WrittenSpan[begins]);
            else
            {
                if (row.Month != last.Month)
                    month = row.Month.ToString();
                line.Put(month, ',');
                line.Put(row.Bucket, ',');
                line.Put(row.Region, ',');
                (last, begins) = (row, text.WrittenCount..(text.WrittenCount + line.Length));
            }
            line.Put(row.Tier, ',');
            line.Put(row.Charge.Name(), ',');
            line.Put(row.Quantity, ',');
            line.Put(row.Unit, ',');
            line.Put(row.Amount, '\r');
            line.Put("", '\n');
            text.Advance(line.Length);
        }
    }

    /// <summary>A line that is being put into text.</summary>
    private ref struct Line(Span<byte> room)
    {
        private readonly Span<byte> room = room;

        public int Length { get; private set; }

        public void Put(string field, char end) => End(Encoding.UTF8.GetBytes(field, room[Length..]), end);

        public void Put(double field, char end) => End(ShortestText.Write(field, room[Length..]), end);

        public void Put(ReadOnlySpan<byte> fields)
        {
            fields.CopyTo(room[Length..]);
            Length += fields.Length;
        }

        private void End(int length, char end)
        {
            room[Length + length] = (byte)end;
            Length += length + 1;
        }
    }

    public static void WriteJson(IEnumerable<ForecastRow> rows, TextWriter writer)
    {
        // Row by row: a forecast may have millions.
        var between = "[\n";
        foreach (var row in rows)
        {
            writer.Write(between);
            writer.Write(EstateDocument.Text(row, indented: false));
            between = ",\n";
        }
        writer.Write(between.StartsWith('[') ? "[]\n" : "\n]\n");
    }
}
