using System.Globalization;
using FsCheck;
using Microsoft.FSharp.Core;

namespace Ripen.Core.Tests;

/// <summary>How random tests draw. A test run repeats the same draws, so that a change is judged by what it changed; <c>make fuzz</c> draws
/// anew, and more. A failure is repeated with the <c>RIPEN_SEED</c> that it was drawn from.</summary>
internal static class Randomly
{
    /// <summary>What every random test begins from.</summary>
    public static int Seed { get; } = Setting("RIPEN_SEED", 20261127);

    private static readonly int Factor = Setting("RIPEN_TIMES", 1);

    /// <param name="times">Draws of an ordinary test run; <c>RIPEN_TIMES</c> multiplies them.</param>
    public static int Times(int times) => times * Factor;

    /// <inheritdoc cref="Times"/>
    public static Config Draws(int times) =>
        Config
            .QuickThrowOnFailure.WithMaxTest(Times(times))
            .WithReplay(FSharpOption<Replay>.Some(new Replay(new Rnd((ulong)Seed), FSharpOption<int>.None)));

    private static int Setting(string name, int otherwise) =>
        int.TryParse(Environment.GetEnvironmentVariable(name), CultureInfo.InvariantCulture, out var given) ? given : otherwise;
}
