namespace Ripen.Server.Tests;

/// <summary>The programs as a build leaves them for people to start.</summary>
internal static class Published
{
    private static readonly string Artifacts = Path.Combine(AppContext.BaseDirectory, "../../../../../artifacts");

    public static string Server => Path.Combine(Artifacts, "server", "Ripen.Server");

    public static string CommandLine => Path.Combine(Artifacts, "cli", "ripen");
}
