namespace Ripen.Provider;

/// <summary>Why the provider did not do something, each with an answer of its own over HTTP.</summary>
public enum RefusalKind { NotFound, Invalid, Conflict, PreconditionFailed, Forbidden, Unauthorized, Full, Damaged, Unavailable }

/// <summary>The provider refuses: nothing was changed. The code is stable, the message says what to do.</summary>
public sealed class RefusalException(RefusalKind kind, string code, string message, string? path = null) : Exception(message)
{
    /// <summary>The JSON path of what is wrong in a request's body, where one thing is.</summary>
    public string? Path => path;

    public RefusalKind Kind => kind;

    public string Code => code;

    internal static RefusalException NoBucket(string name) => new(RefusalKind.NotFound, "no-bucket", $"There is no bucket '{name}'.");

    internal static RefusalException Unreachable(Ripen.Core.Estates.Bucket bucket) => new(RefusalKind.Unavailable, "region-lost",
        $"'{bucket.Name}' lies in region '{bucket.Region}', which is lost at present; read a copy elsewhere, or wait until the region is back.");

    internal static RefusalException NoObject(string key) => new(RefusalKind.NotFound, "no-object", $"There is no object '{key}' here.");

    internal static RefusalException NoVersion(string key, long version) =>
        new(RefusalKind.NotFound, "no-version", $"There is no version {version} of '{key}'.");
}
