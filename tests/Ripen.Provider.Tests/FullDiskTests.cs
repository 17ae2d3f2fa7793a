using System.Diagnostics;
using System.Text;

namespace Ripen.Provider.Tests;

/// <summary>A disk that is really full: a file system of a few megabytes in memory.</summary>
public sealed class FullDiskTests : IDisposable
{
    private readonly string disk = Directory.CreateTempSubdirectory("ripen-full-").FullName;

    public void Dispose()
    {
        Run("umount", "--lazy", disk);
        Directory.Delete(disk, recursive: true);
    }

    [Fact]
    public async Task On_a_full_disk_writing_is_refused_and_deleting_and_starting_still_work()
    {
        Assert.SkipUnless(Run("mount", "-t", "tmpfs", "-o", "size=24m", "tmpfs", disk), "Only root may make a small file system.");
        var estate = TestProvider.OneBucket();
        using (var provider = new SimulatedProvider(disk, TimeProvider.System))
        {
            provider.Adopt(TestProvider.Plan(estate));
            var stored = new List<string>();
            RefusalException? refused = null;
            for (var size = 1_000_000; refused is null || size > 1000; size = refused is null ? size : size / 4)
            {
                refused = null;
                try
                {
                    var key = $"{stored.Count}";
                    await provider.Objects.Write("harbour", key, new MemoryStream(new byte[size]), new(), CancellationToken.None);
                    stored.Add(key);
                }
                catch (RefusalException full)
                {
                    Assert.Equal("disk-full", full.Code);
                    refused = full;
                }
            }
            // What is left is taken by somebody else.
            Fill();
            Assert.True(
                await Refused(() =>
                    provider.Objects.Write("harbour", "more", new MemoryStream(new byte[50_000]), new(), CancellationToken.None)
                )
            );
            provider.Objects.Delete("harbour", stored[0], null);
            stored.RemoveAt(0);
            Assert.Equal(stored.Count, provider.Contents("harbour").Objects);
            Fill();
        }
        using (var again = new SimulatedProvider(disk, TimeProvider.System))
        {
            again.Adopt(TestProvider.Plan(estate));
            Assert.NotEmpty(again.Objects.List("harbour", "", null, null, 10).Objects);
            again.Objects.Delete("harbour", again.Objects.List("harbour", "", null, null, 1).Objects[0].Key, null);
        }
    }

    private void Fill()
    {
        try
        {
            using var file = File.Create(Path.Combine(disk, $"somebody-else-{Guid.NewGuid():N}"), 1);
            while (true)
                file.Write(Encoding.ASCII.GetBytes(new string('x', 512)));
        }
        catch (IOException)
        {
            // It is full now.
        }
    }

    private static async Task<bool> Refused(Func<Task> attempt) =>
        (await Assert.ThrowsAsync<RefusalException>(attempt)).Code == "disk-full";

    private static bool Run(string command, params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo(command, arguments) { RedirectStandardError = true, RedirectStandardOutput = true }
        )!;
        process.WaitForExit();
        return process.ExitCode == 0;
    }
}
