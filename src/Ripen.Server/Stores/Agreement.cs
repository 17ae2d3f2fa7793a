using Ripen.Data;
using Ripen.Provider;

namespace Ripen.Server.Stores;

/// <summary>How the database and the provider's folder stand to each other.</summary>
public enum Standing
{
    /// <summary>They belong together; what the folder has not taken up yet, it takes up now.</summary>
    Together,

    /// <summary>The folder follows a plan and the database has no estate.</summary>
    DatabaseEmpty,

    /// <summary>The folder took up newer decisions than the database knows: the database was restored from a backup.</summary>
    DatabaseOlder,

    /// <summary>The folder took up nothing yet, and the database knows of one that had: it was lost, or its index was.</summary>
    FolderEmpty,

    /// <summary>The database knows that the folder had taken up more than it says: the folder was restored from a backup.</summary>
    FolderOlder,

    /// <summary>Of one origin, both went on by themselves.</summary>
    Parted,

    /// <summary>Of different origins.</summary>
    Foreign,

    /// <summary>The database's newest decisions would destroy or weaken what the folder keeps.</summary>
    NotTakenUp,
}

/// <summary>What can be done when the two do not belong together.</summary>
public enum StoresChoice
{
    /// <summary>The folder's plan takes the place of what the database says.</summary>
    TakeFolder,

    /// <summary>The database's estate becomes the folder's plan; buckets that it does not know go, if nothing in them is kept.</summary>
    TakeDatabase,
}

/// <summary>Whether two stores belong together. Pure.</summary>
public static class Agreement
{
    /// <param name="store">Null when the database has no estate.</param>
    /// <param name="folder">What the folder says.</param>
    public static Standing Of(StoreStanding? store, FolderStanding folder)
    {
        if (store is null)
            return folder.Version == 0 && folder.ImportVersion == 0 ? Standing.Together : Standing.DatabaseEmpty;
        if (folder.Identity is null)
        {
            // A folder of an older program knows its import only.
            if (folder.ImportVersion == store.ImportVersion)
                return Standing.Together;
            return folder.ImportVersion > store.ImportVersion ? Standing.DatabaseOlder
                : folder.ImportVersion > 0 ? Standing.FolderOlder
                : store.AdoptedVersion > 0 ? Standing.FolderEmpty
                : Standing.Together;
        }
        if (folder.Identity != store.Identity)
            return Standing.Foreign;
        if (folder.Version > store.Version)
            return Standing.DatabaseOlder;
        if (folder.Version == store.Version)
            return folder.Mark == store.Mark ? Standing.Together : Standing.Parted;
        if (folder.Version < store.AdoptedVersion)
            return Standing.FolderOlder;
        return folder.Version > store.AdoptedVersion || folder.Mark == store.AdoptedMark ? Standing.Together : Standing.Parted;
    }

    /// <summary>In a sentence or two: what is the case, and that nothing was touched.</summary>
    public static string Words(Standing standing) =>
        standing switch
        {
            Standing.Together => "Database and folder belong together.",
            Standing.DatabaseEmpty =>
                "The database has no estate, and the provider's folder follows one: the database was lost or replaced. Nothing was "
                    + "touched.",
            Standing.DatabaseOlder =>
                "The database is older than the provider's folder: it was probably restored from a backup. Nothing was touched; what "
                    + "was made since lies in the folder.",
            Standing.FolderEmpty =>
                "The provider's folder is empty or lost its index, and the database knows that it was in use. Nothing was touched; if "
                    + "you have the folder or its index.db in a backup, put it back.",
            Standing.FolderOlder =>
                "The provider's folder is older than the database: it was probably restored from a backup. Nothing was touched.",
            Standing.Parted => "Database and folder are of one origin and went different ways since. Nothing was touched.",
            Standing.Foreign =>
                "The database and the provider's folder come from different places and do not belong together. Nothing was touched.",
            _ => "The database's newest decisions were not taken up by the provider, because they would destroy or weaken what is "
                + "kept. What you see is what the folder follows.",
        };

    /// <param name="standing">How they stand.</param>
    /// <param name="folderHasPlan">Whether the folder knows its plan whole.</param>
    public static IReadOnlyList<StoresChoice> Choices(Standing standing, bool folderHasPlan) =>
        standing switch
        {
            Standing.Together => [],
            Standing.DatabaseEmpty => folderHasPlan ? [StoresChoice.TakeFolder] : [],
            Standing.NotTakenUp => [StoresChoice.TakeFolder],
            _ => folderHasPlan ? [StoresChoice.TakeFolder, StoresChoice.TakeDatabase] : [StoresChoice.TakeDatabase],
        };
}
