namespace Ripen.Server;

/// <summary>The section "Ripen" of the configuration (command line: <c>--Ripen:Database=…</c>, environment:
/// <c>Ripen__Database</c>).</summary>
public sealed record RipenSettings
{
    /// <summary>The SQLite file; made when it is not there.</summary>
    public string Database { get; init; } = "data/ripen.db";

    /// <summary>The simulated provider's folder; made when it is not there. Null for "provider" beside the database.</summary>
    public string? Provider { get; init; }

    /// <summary>The folder of the keys that encrypt contents at rest; made when it is not there. Null for "sealing-keys" in the provider's
    /// folder: put it elsewhere, so that who has the one has not the other.</summary>
    public string? SealingKeys { get; init; }

    /// <summary>Whether an empty database gets the demo estate at start.</summary>
    public bool Demo { get; init; }

    /// <summary>Host names that the server answers for, with semicolons between them; "*" for all. Null for the names of this machine's
    /// loopback.</summary>
    public string? Hosts { get; init; }

    /// <summary>Whether it may listen where other machines reach it. There is no sign-in yet: whoever reaches it may do
    /// everything.</summary>
    public bool BeyondLoopback { get; init; }

    /// <summary>Folders of this machine that may be backed up and restored into, with all below them. Null for "folders" beside the
    /// database.</summary>
    public IReadOnlyList<string>? BackupRoots { get; init; }

    /// <summary>Where volumes are served over NBD, on this machine's loopback; 0 for any port that is free, null for 10809.</summary>
    public int? NbdPort { get; init; }

    /// <summary>The folder for the journals and the read shares of volumes. Null for "volumes" beside the database.</summary>
    public string? VolumeDisks { get; init; }

    /// <summary>The folder for the pipes of cartridge drives. Null for "drives" beside the database.</summary>
    public string? Drives { get; init; }

    /// <summary>The folder of programs that workloads may name to be run before and after a plan's run. Null for "programs" beside the
    /// database.</summary>
    public string? Programs { get; init; }

    /// <summary>Whether the demo has lived its ninety days, or begins on its first.</summary>
    public bool DemoPast { get; init; } = true;
}
