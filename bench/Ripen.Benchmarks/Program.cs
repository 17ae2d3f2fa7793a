using BenchmarkDotNet.Columns;
using BenchmarkDotNet.Configs;
using BenchmarkDotNet.Diagnosers;
using BenchmarkDotNet.Jobs;
using BenchmarkDotNet.Running;
using BenchmarkDotNet.Toolchains.InProcess.Emit;

// In this process: no second build, so that the numbers come in a minute and the two cores stay free.
var config = DefaultConfig
    .Instance.AddJob(
        Job.Default.WithToolchain(new InProcessEmitToolchain(TimeSpan.FromMinutes(30), logOutput: true))
            .WithWarmupCount(2)
            .WithIterationCount(8)
    )
    .AddDiagnoser(MemoryDiagnoser.Default)
    .HideColumns(Column.Error, Column.RatioSD)
    .WithOptions(ConfigOptions.JoinSummary);
BenchmarkSwitcher.FromAssembly(typeof(Program).Assembly).Run(args.Length == 0 ? ["--filter", "*"] : args, config);
