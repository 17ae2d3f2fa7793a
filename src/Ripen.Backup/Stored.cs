using System.Diagnostics.CodeAnalysis;
using System.Runtime.CompilerServices;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup;

/// <summary>What is stored as JSON.</summary>
internal static class Stored
{
    private const string IsWhole = "The command line, which is compiled ahead of time, reads pools, whose members are in StoredJson.";

    /// <summary>The members of what a pool is read from: found at run time where code can be made then, which is faster, and as they were compiled
    /// where it cannot.</summary>
    [UnconditionalSuppressMessage("Trimming", "IL2026", Justification = IsWhole)]
    [UnconditionalSuppressMessage("AOT", "IL3050", Justification = IsWhole)]
    public static IJsonTypeInfoResolver Members { get; } =
        RuntimeFeature.IsDynamicCodeSupported ? new DefaultJsonTypeInfoResolver() : StoredJson.Default;

    /// <returns>Null where the text says null.</returns>
    /// <exception cref="JsonException">It is no such thing.</exception>
    [UnconditionalSuppressMessage("Trimming", "IL2026", Justification = IsWhole)]
    [UnconditionalSuppressMessage("AOT", "IL3050", Justification = IsWhole)]
    public static T? Read<T>(ReadOnlySpan<byte> text, JsonSerializerOptions? json = null) => JsonSerializer.Deserialize<T>(text, json);

    [UnconditionalSuppressMessage("Trimming", "IL2026", Justification = IsWhole)]
    [UnconditionalSuppressMessage("AOT", "IL3050", Justification = IsWhole)]
    public static byte[] Write<T>(T value, JsonSerializerOptions? json = null) => JsonSerializer.SerializeToUtf8Bytes(value, json);
}

/// <summary>Members of what a pool is read from.</summary>
[JsonSourceGenerationOptions(GenerationMode = JsonSourceGenerationMode.Metadata)]
[JsonSerializable(typeof(PoolDescription))]
[JsonSerializable(typeof(PoolPart))]
[JsonSerializable(typeof(PoolPrune.Doom))]
[JsonSerializable(typeof(Point))]
[JsonSerializable(typeof(Entry))]
internal sealed partial class StoredJson : JsonSerializerContext;
