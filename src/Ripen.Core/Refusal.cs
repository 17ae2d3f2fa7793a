namespace Ripen.Core;

/// <summary>Why something was not done, each with an answer of its own over HTTP.</summary>
public enum RefusalKind
{
    NotFound,
    Invalid,
    Conflict,
    PreconditionFailed,
    Forbidden,
    Unauthorized,
    TooLarge,
    Full,
    Damaged,
    Unavailable,
}

/// <summary>What was asked for is refused: nothing was changed. The code is stable, the message says what to do.</summary>
/// <param name="kind">Decides the answer over HTTP.</param>
/// <param name="code">Stable, in kebab case.</param>
/// <param name="message">What is wrong, and what to do.</param>
/// <param name="path">The JSON path of what is wrong in a request's body, where one thing is.</param>
public sealed class RefusalException(RefusalKind kind, string code, string message, string? path = null) : Exception(message)
{
    public string? Path => path;

    public RefusalKind Kind => kind;

    public string Code => code;

    public static RefusalException NoBucket(string name) => new(RefusalKind.NotFound, "no-bucket", $"There is no bucket '{name}'.");

    public static RefusalException NoObject(string key) => new(RefusalKind.NotFound, "no-object", $"There is no object '{key}' here.");

    public static RefusalException NoVersion(string key, long version) =>
        new(RefusalKind.NotFound, "no-version", $"There is no version {version} of '{key}'.");

    /// <summary>Somebody else changed the same thing since it was looked at.</summary>
    public static RefusalException Stale(string what) =>
        new(
            RefusalKind.PreconditionFailed,
            "changed-meanwhile",
            $"{what} was changed in the meantime. Nothing was stored: look at the newer one and apply again."
        );
}
