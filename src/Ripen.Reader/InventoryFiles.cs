using System.Globalization;
using CsvHelper;
using Parquet;
using Parquet.Schema;

namespace Ripen.Reader;

/// <summary>A file that cannot be read, and why, in words for people.</summary>
internal sealed class UnreadableException(string message) : Exception(message);

/// <summary>Rows of an inventory as texts, whatever its format; one row at a time, so that memory stays flat.</summary>
internal interface IInventoryFile : IAsyncDisposable
{
    string Format { get; }

    IReadOnlyList<string> Columns { get; }

    /// <summary>The rows in the file's order. An array is valid until the next one is asked for; a short one lacks its last
    /// columns.</summary>
    IAsyncEnumerable<string[]> Rows(CancellationToken cancel);
}

internal static class InventoryFiles
{
    private static readonly byte[] ParquetMark = "PAR1"u8.ToArray();

    /// <exception cref="UnreadableException">It is neither CSV with a header nor Parquet.</exception>
    public static async Task<IInventoryFile> Open(string path)
    {
        var head = new byte[ParquetMark.Length];
        await using (var file = File.OpenRead(path))
            await file.ReadAtLeastAsync(head, head.Length, throwOnEndOfStream: false);
        return head.AsSpan().SequenceEqual(ParquetMark) ? await ParquetInventory.Open(path) : CsvInventory.Open(path);
    }

    /// <summary>A Parquet file ends with the length of its footer and the mark again; a footer longer than the file is none (Apache
    /// Parquet format, "File Format").</summary>
    private static void CheckFooter(FileStream file)
    {
        var tail = new byte[8];
        if (file.Length < 12)
            throw new UnreadableException("This Parquet file is cut short.");
        file.Seek(-8, SeekOrigin.End);
        file.ReadExactly(tail);
        file.Seek(0, SeekOrigin.Begin);
        var footer = BitConverter.ToUInt32(tail);
        if (!tail.AsSpan(4).SequenceEqual(ParquetMark) || footer > file.Length - 12)
            throw new UnreadableException("This Parquet file is cut short or damaged: its footer is not where it should be.");
    }

    private sealed class CsvInventory : IInventoryFile
    {
        private static readonly char[] Separators = [',', ';', '\t', '|'];

        private readonly CsvReader reader;

        private CsvInventory(CsvReader reader, string[] columns) => (this.reader, Columns) = (reader, columns);

        public string Format => "csv";

        public IReadOnlyList<string> Columns { get; }

        public static CsvInventory Open(string path)
        {
            var header = File.ReadLines(path).FirstOrDefault() ?? "";
            var reader = CsvReader.FromFile(
                path,
                new CsvReaderOptions
                {
                    HasHeader = false,
                    Separator = Separators.MaxBy(c => header.Count(h => h == c)),
                    SkipEmptyLines = true,
                    FieldCountMismatch = CsvFieldCountHandling.Allow,
                    MalformedData = CsvMalformedDataHandling.Recover,
                }
            );
            if (header.Trim().Length > 0 && reader.Read())
                return new CsvInventory(reader, Fields(reader));
            reader.Dispose();
            throw new UnreadableException("It is empty: its first line must name the columns.");
        }

        public async IAsyncEnumerable<string[]> Rows([System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancel)
        {
            while (await reader.ReadAsync(cancel))
                yield return Fields(reader);
        }

        public ValueTask DisposeAsync() => reader.DisposeAsync();

        private static string[] Fields(CsvReader reader)
        {
            var fields = new string[reader.FieldCount];
            for (var i = 0; i < fields.Length; i++)
                fields[i] = reader.GetString(i);
            return fields;
        }
    }

    private sealed class ParquetInventory : IInventoryFile
    {
        private const long MostRowsInAGroup = 10_000_000;

        private readonly Stream file;
        private readonly ParquetReader reader;
        private readonly DataField[] fields;

        private ParquetInventory(Stream file, ParquetReader reader)
        {
            (this.file, this.reader) = (file, reader);
            // Lists within rows have rows of their own.
            fields = [.. reader.Schema.GetDataFields().Where(f => f.MaxRepetitionLevel == 0)];
            Columns = [.. fields.Select(f => f.Name)];
        }

        public string Format => "parquet";

        public IReadOnlyList<string> Columns { get; }

        public static async Task<ParquetInventory> Open(string path)
        {
            var file = File.OpenRead(path);
            CheckFooter(file);
            return new ParquetInventory(file, await ParquetReader.CreateAsync(file));
        }

        public async IAsyncEnumerable<string[]> Rows([System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancel)
        {
            for (var g = 0; g < reader.RowGroupCount; g++)
            {
                using var group = reader.OpenRowGroupReader(g);
                if (group.RowCount is < 0 or > MostRowsInAGroup)
                    throw new UnreadableException(
                        $"A row group of this Parquet file claims {group.RowCount} rows; {MostRowsInAGroup} are the most that are read."
                    );
                var columns = new Func<int, string>[fields.Length];
                for (var c = 0; c < fields.Length; c++)
                    columns[c] = await Column(group, fields[c], cancel);
                for (var i = 0; i < (int)group.RowCount; i++)
                {
                    cancel.ThrowIfCancellationRequested();
                    var row = new string[fields.Length];
                    for (var c = 0; c < fields.Length; c++)
                        row[c] = columns[c](i);
                    yield return row;
                }
            }
        }

        public async ValueTask DisposeAsync()
        {
            await reader.DisposeAsync();
            await file.DisposeAsync();
        }

        private static async Task<Func<int, string>> Column(ParquetRowGroupReader group, DataField field, CancellationToken cancel)
        {
            if (field.ClrType == typeof(string) || field.ClrType == typeof(ReadOnlyMemory<char>))
            {
                var texts = new string?[group.RowCount];
                await group.ReadAsync(field, texts.AsMemory(), null, cancel);
                return i => texts[i] ?? "";
            }
            return Type.GetTypeCode(field.ClrType) switch
            {
                TypeCode.Int64 => await Numbers<long>(group, field, Text, cancel),
                TypeCode.Int32 => await Numbers<int>(group, field, Text, cancel),
                TypeCode.UInt64 => await Numbers<ulong>(group, field, Text, cancel),
                TypeCode.UInt32 => await Numbers<uint>(group, field, Text, cancel),
                TypeCode.Double => await Numbers<double>(group, field, Text, cancel),
                TypeCode.Single => await Numbers<float>(group, field, Text, cancel),
                TypeCode.Decimal => await Numbers<decimal>(group, field, Text, cancel),
                TypeCode.Boolean => await Numbers<bool>(group, field, flag => flag ? "true" : "false", cancel),
                TypeCode.DateTime => await Numbers<DateTime>(group, field, Text, cancel),
                _ => throw new UnreadableException(
                    $"The column '{field.Name}' has a type that is not read here, {field.ClrType.Name}; write texts, whole numbers or "
                        + "instants."
                ),
            };
        }

        private static async Task<Func<int, string>> Numbers<T>(
            ParquetRowGroupReader group,
            DataField field,
            Func<T, string> text,
            CancellationToken cancel
        )
            where T : struct
        {
            if (field.IsNullable)
            {
                var some = new T?[group.RowCount];
                await group.ReadAsync(field, some.AsMemory(), null, cancel);
                return i => some[i] is { } value ? text(value) : "";
            }
            var all = new T[group.RowCount];
            await group.ReadAsync(field, all.AsMemory(), null, cancel);
            return i => text(all[i]);
        }

        private static string Text<T>(T value)
            where T : IFormattable =>
            value is DateTime time
                ? time.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture)
                : value.ToString(null, CultureInfo.InvariantCulture);
    }
}
