using Microsoft.Data.Sqlite;

namespace Ripen.Server;

/// <summary>What keeps the server from starting, in a sentence for whoever started it.</summary>
internal static class Startup
{
    private const int Corrupt = 11;
    private const int NoDatabase = 26;
    private const int ReadOnly = 8;
    private const int CannotOpen = 14;
    private const int Full = 13;

    /// <summary>Null for what nobody foresaw: that is told with its stack.</summary>
    public static string? Sentence(Exception error, string database, string folder) =>
        error switch
        {
            RefusalException refusal => refusal.Message,
            SqliteException { SqliteErrorCode: Corrupt or NoDatabase } =>
                $"'{database}' or '{Path.Combine(folder, "index.db")}' is damaged or no SQLite file; put a backup in its place. "
                    + "Nothing was changed.",
            SqliteException { SqliteErrorCode: ReadOnly or CannotOpen }
            or UnauthorizedAccessException
            or DirectoryNotFoundException
            or FileNotFoundException =>
                $"'{Path.GetDirectoryName(database)}' or '{folder}' cannot be written; Ripen keeps its database and the provider's "
                    + "folder there.",
            SqliteException { SqliteErrorCode: Full } => $"The disk of '{folder}' is full; make room and start again.",
            IOException { InnerException: Microsoft.AspNetCore.Connections.AddressInUseException } taken =>
                $"{taken.Message} Something listens there already; stop it, or start with --urls=http://127.0.0.1:PORT.",
            IOException io => io.Message,
            _ => null,
        };
}
