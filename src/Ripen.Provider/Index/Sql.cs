using Microsoft.Data.Sqlite;

namespace Ripen.Provider.Index;

/// <summary>Short forms for statements on SQLite. Parameters are numbered ?1, ?2, … in the statement.</summary>
internal static class Sql
{
    public static int Run(this SqliteConnection db, string sql, params ReadOnlySpan<object?> values)
    {
        using var command = db.Statement(sql, values);
        return command.ExecuteNonQuery();
    }

    /// <summary>The first column of the first row; the default of <typeparamref name="T"/> when there is none or it is null.</summary>
    public static T? Value<T>(this SqliteConnection db, string sql, params ReadOnlySpan<object?> values)
    {
        using var command = db.Statement(sql, values);
        using var reader = command.ExecuteReader();
        return reader.Read() && !reader.IsDBNull(0) ? reader.GetFieldValue<T>(0) : default;
    }

    public static List<T> List<T>(this SqliteConnection db, string sql, Func<SqliteDataReader, T> row, params ReadOnlySpan<object?> values)
    {
        using var command = db.Statement(sql, values);
        using var reader = command.ExecuteReader();
        var rows = new List<T>();
        while (reader.Read())
            rows.Add(row(reader));
        return rows;
    }

    /// <summary>The same row by row, none of them held.</summary>
    public static IEnumerable<T> Each<T>(this SqliteConnection db, string sql, Func<SqliteDataReader, T> row, params object?[] values)
    {
        using var command = db.Statement(sql, values);
        using var reader = command.ExecuteReader();
        while (reader.Read())
            yield return row(reader);
    }

    public static SqliteCommand Statement(this SqliteConnection db, string sql, params ReadOnlySpan<object?> values)
    {
        var command = db.CreateCommand();
        command.CommandText = sql;
        for (var i = 0; i < values.Length; i++)
            command.Parameters.AddWithValue($"?{i + 1}", values[i] ?? DBNull.Value);
        return command;
    }

    /// <summary>A statement with so many parameters that is prepared once and run many times, by <see cref="Again"/>.</summary>
    public static SqliteCommand Repeated(this SqliteConnection db, string sql, int parameters)
    {
        var command = db.CreateCommand();
        command.CommandText = sql;
        for (var i = 0; i < parameters; i++)
            command.Parameters.AddWithValue($"?{i + 1}", DBNull.Value);
        command.Prepare();
        return command;
    }

    public static void Again(this SqliteCommand command, params ReadOnlySpan<object?> values)
    {
        for (var i = 0; i < values.Length; i++)
            command.Parameters[i].Value = values[i] ?? DBNull.Value;
        command.ExecuteNonQuery();
    }

    /// <summary>The rows of a repeated statement.</summary>
    public static List<T> RowsAgain<T>(this SqliteCommand command, Func<SqliteDataReader, T> row, params ReadOnlySpan<object?> values)
    {
        for (var i = 0; i < values.Length; i++)
            command.Parameters[i].Value = values[i] ?? DBNull.Value;
        using var reader = command.ExecuteReader();
        var rows = new List<T>();
        while (reader.Read())
            rows.Add(row(reader));
        return rows;
    }

    public static int? Int(this SqliteDataReader row, int column) => row.IsDBNull(column) ? null : row.GetInt32(column);

    public static long? Long(this SqliteDataReader row, int column) => row.IsDBNull(column) ? null : row.GetInt64(column);

    public static string? Text(this SqliteDataReader row, int column) => row.IsDBNull(column) ? null : row.GetString(column);

    public static byte[]? Blob(this SqliteDataReader row, int column) => row.IsDBNull(column) ? null : row.GetFieldValue<byte[]>(column);
}
