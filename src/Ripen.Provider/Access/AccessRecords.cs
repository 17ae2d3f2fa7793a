namespace Ripen.Provider.Access;

/// <summary>
/// What an access may do with objects: with current ones (Read, Write, List), with earlier versions (ReadVersions), and destroying versions
/// for good or taking deletions back (DeleteVersions).
/// </summary>
public enum Right
{
    Read,
    Write,
    List,
    ReadVersions,
    DeleteVersions,
}

/// <summary>One of the two keys of an access. The secret is not kept, only its SHA-256.</summary>
public sealed record AccessKey(string Id, int Place, DateTimeOffset Made, DateTimeOffset? LastUsed);

/// <summary>An access to a bucket, or to what lies under a prefix of it: rights, and a pair of keys so that one can be replaced while the
/// other works.</summary>
/// <param name="Ends">The provider's instant from which it no longer works; null for never.</param>
public sealed record AccessGrant(
    long Id,
    string Label,
    string Prefix,
    IReadOnlyList<Right> Rights,
    DateTimeOffset? Ends,
    bool Ended,
    IReadOnlyList<AccessKey> Keys
);

/// <summary>A key's secret, told once.</summary>
public sealed record NewSecret(string KeyId, int Place, string Secret);

public sealed record NewAccess(AccessGrant Access, IReadOnlyList<NewSecret> Secrets);

/// <summary>A timed link to an object, or to everything under a prefix: whoever has it may read what is current, until it ends or is
/// revoked.</summary>
public sealed record TimedLink(
    string Id,
    string Key,
    bool WholePrefix,
    DateTimeOffset Made,
    DateTimeOffset Ends,
    DateTimeOffset? Revoked,
    bool Ended,
    int Uses
);

/// <summary>A link that was just made, with its address below the server's: told once, and nowhere kept.</summary>
public sealed record NewLink(TimedLink Link, string Path);

/// <summary>Who asks: a key with its secret, a link's token, or nobody.</summary>
public sealed record Credentials(string? KeyId = null, string? Secret = null, string? LinkToken = null);
