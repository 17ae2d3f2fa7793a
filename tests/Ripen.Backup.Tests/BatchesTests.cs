using Ripen.Backup.Chunking;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Runs;

namespace Ripen.Backup.Tests;

public sealed class BatchesTests
{
    private static readonly Chunker Chunker = new(new PoolKeys(new byte[32]).Gear, 256);

    [Fact]
    public async Task Files_of_any_sizes_keep_their_own_chunks_in_their_order_wherever_batches_end()
    {
        var random = new Random(20261128);
        for (var times = 0; times < 30; times++)
        {
            var files = Enumerable.Range(0, random.Next(1500)).Select(i => (Name: $"{i}", Content: Content(random))).ToList();
            var stored = new Stored();
            await using (var batches = new Batches(Chunker, stored.Take, CancellationToken.None))
            {
                foreach (var (name, content) in files)
                {
                    Assert.Equal(content.Length, await batches.Read(new Halting(content)));
                    await batches.Add(FileOf(name));
                }
                await batches.Finish();
            }
            Assert.Equal(files.Select(f => f.Name), stored.Files.Select(f => f.Name));
            foreach (var (file, chunks) in files.Zip(stored.Files))
            {
                var lengths = new List<int>();
                Chunker.Cut(file.Content, ended: true, lengths);
                Assert.Equal(lengths, chunks.Chunks.Select(c => c.Length));
                Assert.Equal(file.Content, chunks.Chunks.SelectMany(c => c));
            }
        }
    }

    [Fact]
    public async Task What_is_left_of_a_file_that_broke_off_goes_to_no_other()
    {
        var content = new byte[100_000];
        new Random(5).NextBytes(content);
        var stored = new Stored();
        await using var batches = new Batches(Chunker, stored.Take, CancellationToken.None);
        foreach (var whole in new[] { true, false, true })
        {
            if (whole)
                await batches.Read(new MemoryStream(content));
            else
                await Assert.ThrowsAsync<IOException>(() => batches.Read(new Breaking(content)));
            await batches.Add(whole ? FileOf("whole") : null);
        }
        await batches.Finish();
        Assert.Equal(2, stored.Files.Count);
        Assert.All(stored.Files, f => Assert.Equal(content, f.Chunks.SelectMany(c => c)));
    }

    [Fact]
    public async Task Who_reads_on_after_storing_failed_is_ended_and_told_why()
    {
        await using var batches = new Batches(Chunker, _ => throw new InvalidOperationException("full"), CancellationToken.None);
        await Assert.ThrowsAnyAsync<OperationCanceledException>(async () =>
        {
            while (true)
                await batches.Read(new MemoryStream(new byte[100_000]));
        });
        Assert.Equal("full", batches.Failure?.Message);
    }

    private static byte[] Content(Random random)
    {
        var content = new byte[random.Next(20) == 0 ? random.Next(40_000) : random.Next(300)];
        random.NextBytes(content);
        return content;
    }

    private static Entry FileOf(string name) => new() { Path = name, Kind = EntryKind.File };

    private sealed class Stored
    {
        private readonly List<byte[]> begun = [];

        public List<(string Name, List<byte[]> Chunks)> Files { get; } = [];

        public void Take(Batch batch)
        {
            var content = batch.Content;
            var at = 0;
            foreach (var (entry, chunks) in batch.Entries)
            {
                for (; at < chunks; at++)
                    content = Next(content, batch.Lengths[at]);
                if (entry is not null)
                    Files.Add((entry.Path, [.. begun]));
                begun.Clear();
            }
            for (; at < batch.Lengths.Count; at++)
                content = Next(content, batch.Lengths[at]);
            Assert.True(content.IsEmpty);
        }

        private ReadOnlySpan<byte> Next(ReadOnlySpan<byte> content, int length)
        {
            begun.Add(content[..length].ToArray());
            return content[length..];
        }
    }

    /// <summary>A stream that gives a little at a time, as pipes and networks do.</summary>
    private sealed class Halting(byte[] content) : MemoryStream(content)
    {
        public override int Read(byte[] buffer, int offset, int count) => base.Read(buffer, offset, Math.Min(count, 1 + (count / 3)));
    }

    /// <summary>A stream that cannot be read to its end.</summary>
    private sealed class Breaking(byte[] content) : MemoryStream(content)
    {
        public override int Read(byte[] buffer, int offset, int count) =>
            Position > 60_000 ? throw new IOException("broken") : base.Read(buffer, offset, Math.Min(count, 5000));
    }
}
