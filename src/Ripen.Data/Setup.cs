using System.Data.Common;
using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Diagnostics;
using Microsoft.Extensions.DependencyInjection;

namespace Ripen.Data;

public static class Setup
{
    private const int BusySeconds = 5;

    /// <summary>Registers an <see cref="EstateStore"/> on the SQLite file at <paramref name="path"/>, with foreign keys and a busy
    /// timeout.</summary>
    public static IServiceCollection AddEstateStore(this IServiceCollection services, string path)
    {
        services.AddDbContextFactory<RipenDb>(options => options.UseSqlite(ConnectionTo(path)).AddInterceptors(new BusyTimeout()));
        return services
            .AddSingleton<PoolSecrets>()
            .AddSingleton<CredentialStore>()
            .AddSingleton<TargetProbes>()
            .AddSingleton<RestoreRecords>()
            .AddSingleton<RestoresToCome>()
            .AddSingleton<ChangeLog>()
            .AddSingleton<BudgetStore>()
            .AddSingleton<BillStore>()
            .AddSingleton<EstateStore>()
            .AddSingleton<BackupStore>();
    }

    /// <summary>Closes what is kept open of the file when nobody uses it, so that it can be moved or replaced.</summary>
    public static void LetGo(string path)
    {
        using var connection = new SqliteConnection(ConnectionTo(path));
        SqliteConnection.ClearPool(connection);
    }

    private static string ConnectionTo(string path) =>
        new SqliteConnectionStringBuilder
        {
            DataSource = path,
            ForeignKeys = true,
            DefaultTimeout = BusySeconds,
        }.ToString();

    /// <summary>Lets SQLite itself wait for another writer, so that a busy file is a pause and not an error.</summary>
    private sealed class BusyTimeout : DbConnectionInterceptor
    {
        public override void ConnectionOpened(DbConnection connection, ConnectionEndEventData eventData) => Set(connection);

        public override Task ConnectionOpenedAsync(
            DbConnection connection,
            ConnectionEndEventData eventData,
            CancellationToken cancellationToken = default
        )
        {
            Set(connection);
            return Task.CompletedTask;
        }

        private static void Set(DbConnection connection)
        {
            using var command = connection.CreateCommand();
            command.CommandText = $"PRAGMA busy_timeout = {BusySeconds * 1000};";
            command.ExecuteNonQuery();
        }
    }
}
