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

/// <summary>One of an access's keys. The secret is not kept, only its SHA-256.</summary>
/// <param name="Ends">The provider's instant from which this key no longer works; null for as long as the access.</param>
public sealed record AccessKey(string Id, DateTimeOffset Made, DateTimeOffset? LastUsed, DateTimeOffset? Ends, bool Ended);

/// <summary>An access to a bucket, or to what lies under a prefix of it: rights, and keys whose times may overlap, so that one can be
/// replaced while another works.</summary>
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
public sealed record NewSecret(string KeyId, string Secret);

public sealed record NewAccess(AccessGrant Access, NewSecret Secret);

/// <summary>Stands for a key until it ends: whoever has it may do what the key may. Told once.</summary>
/// <param name="Ends">The provider's instant.</param>
public sealed record AccessToken(string Token, DateTimeOffset Made, DateTimeOffset Ends);

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

/// <summary>Who asks: a key with its secret, a key's token, a link's token, or nobody.</summary>
public sealed record Credentials(string? KeyId = null, string? Secret = null, string? LinkToken = null, string? KeyToken = null);
