using Microsoft.Data.Sqlite;

namespace Ripen.Provider.Index;

/// <summary>
/// The provider's index: one SQLite file with write-ahead logging. Changes go through one connection, one at a time, each a transaction
/// that is on the disk when it returns; readers see the last finished one and never wait.
/// </summary>
internal sealed class ProviderIndex : IDisposable
{
    private readonly SqliteConnection writer;
    private readonly SemaphoreSlim writing = new(1);
    private readonly string reading;

    public ProviderIndex(string file)
    {
        var text = new SqliteConnectionStringBuilder
        {
            DataSource = file,
            ForeignKeys = true,
            DefaultTimeout = 30,
            Pooling = false,
        };
        writer = new SqliteConnection(text.ToString());
        writer.Open();
        // FULL: what is acknowledged outlives a power cut as well, not only the end of the process.
        writer.Run("PRAGMA journal_mode = WAL");
        writer.Run("PRAGMA synchronous = FULL");
        writer.Run("PRAGMA cache_size = -200000");
        Schema.Prepare(writer);
        (text.Mode, text.Pooling) = (SqliteOpenMode.ReadOnly, true);
        reading = text.ToString();
    }

    /// <summary>Runs <paramref name="change"/> as one transaction; an exception leaves nothing of it. The number of changes so far rises
    /// by one.</summary>
    public T Change<T>(Func<SqliteConnection, T> change, CancellationToken cancel = default)
    {
        writing.Wait(cancel);
        try
        {
            using var transaction = writer.BeginTransaction();
            var result = change(writer);
            transaction.Commit();
            return result;
        }
        finally
        {
            writing.Release();
        }
    }

    public void Change(Action<SqliteConnection> change, CancellationToken cancel = default) =>
        Change(
            db =>
            {
                change(db);
                return true;
            },
            cancel
        );

    /// <summary>Whether nobody changes anything at this moment.</summary>
    public bool IsFree => writing.CurrentCount > 0;

    /// <summary>Reads one consistent state, while others go on.</summary>
    public T Read<T>(Func<SqliteConnection, T> read)
    {
        using var db = new SqliteConnection(reading);
        db.Open();
        using var transaction = db.BeginTransaction(deferred: true);
        return read(db);
    }

    /// <summary>Reads one consistent state row by row; it lasts until the last row was taken, or the reader gave up.</summary>
    public IEnumerable<T> Stream<T>(Func<SqliteConnection, IEnumerable<T>> read)
    {
        using var db = new SqliteConnection(reading);
        db.Open();
        using var transaction = db.BeginTransaction(deferred: true);
        foreach (var row in read(db))
            yield return row;
    }

    public void Dispose()
    {
        SqliteConnection.ClearPool(new SqliteConnection(reading));
        writer.Dispose();
        writing.Dispose();
    }
}
