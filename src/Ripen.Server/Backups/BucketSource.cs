using System.IO.Pipelines;
using Ripen.Backup.Points;
using Ripen.Backup.Sources;
using Ripen.Provider;
using Ripen.Provider.Objects;

namespace Ripen.Server.Backups;

/// <summary>
/// Objects of a bucket below a prefix, '/' in their keys taken as folders. A key that cannot be a path is a problem of the run, and so is an
/// object under whose name others lie; weightless objects of simulated workloads have no content to back up.
/// </summary>
internal sealed class BucketSource(SimulatedProvider provider, string bucket, string prefix) : ISource
{
    private const string Delimiter = "/";

    /// <summary>Read and write for the owner, read for others: an object has no permissions of its own.</summary>
    private const int Mode = 0x1a4;
    private const int FolderMode = 0x1ed;
    private const int NanosecondsATick = 100;

    // Names begin after the prefix's last '/': what follows it is the beginning of a name.
    private readonly string root = prefix[..(prefix.LastIndexOf('/') + 1)];

    public void Demand()
    {
        if (!provider.HasBucket(bucket))
            throw new RefusalException(RefusalKind.NotFound, "no-source", $"There is no bucket '{bucket}' to back up.", "$.bucket");
    }

    public IEnumerable<Entry> Walk(Action<RunProblem> problem) => Walk(prefix, problem);

    public Entry? Look(string path) => provider.Objects.Find(bucket, root + path, null) is { } found ? FileOf(path, found) : null;

    public Stream Open(Entry file)
    {
        IOpenedObject opened;
        try
        {
            opened = provider.Objects.Open(bucket, root + file.Path, null);
        }
        catch (RefusalException refused)
        {
            throw new IOException(refused.Message, refused);
        }
        var pipe = new Pipe();
        _ = Task.Run(async () =>
        {
            using (opened)
            {
                try
                {
                    await opened.Send(0, opened.Version.Bytes, pipe.Writer.AsStream(), CancellationToken.None);
                    await pipe.Writer.CompleteAsync();
                }
                catch (Exception failed)
                {
                    await pipe.Writer.CompleteAsync(new IOException(failed.Message, failed));
                }
            }
        });
        return pipe.Reader.AsStream();
    }

    private IEnumerable<Entry> Walk(string under, Action<RunProblem> problem)
    {
        foreach (var (name, inside, found) in Level(under, problem))
        {
            var path = name[root.Length..];
            if (inside)
            {
                yield return new Entry
                {
                    Path = path,
                    Kind = EntryKind.Folder,
                    Mode = FolderMode,
                };
                foreach (var entry in Walk(name + Delimiter, problem))
                    yield return entry;
            }
            else
                yield return FileOf(path, found!);
        }
    }

    /// <summary>The names directly below a prefix, by the order of entries; an object and a folder of one name are told apart.</summary>
    private List<(string Name, bool Inside, StoredVersion? Object)> Level(string under, Action<RunProblem> problem)
    {
        var names = new List<(string Name, bool Inside, StoredVersion? Object)>();
        string? after = null;
        do
        {
            var page = provider.Objects.List(bucket, under, Delimiter, after, ListingPage.Most);
            names.AddRange(page.Prefixes.Select(p => (p[..^1], true, (StoredVersion?)null)));
            names.AddRange(page.Objects.Select(o => (o.Key, false, (StoredVersion?)o)));
            foreach (var batch in page.Batches)
                problem(new RunProblem(batch.Key, $"{Wording.ObjectsAre(batch.Count)} simulated and without content: not backed up."));
            after = page.Next;
        } while (after is not null);
        var folders = names.Where(n => n.Inside).Select(n => n.Name).ToHashSet(StringComparer.Ordinal);
        var kept = new List<(string Name, bool Inside, StoredVersion? Object)>();
        foreach (var found in names)
        {
            var last = found.Name[(found.Name.LastIndexOf('/') + 1)..];
            if (last is "" or "." or ".." || last.Contains('\0', StringComparison.Ordinal))
                problem(new RunProblem(found.Name, "This key cannot be a path: it is not backed up, nor what lies below it."));
            else if (!found.Inside && folders.Contains(found.Name))
                problem(
                    new RunProblem(found.Name, "Objects lie under this object's name as under a folder: it is not backed up, they are.")
                );
            else
                kept.Add(found);
        }
        kept.Sort((a, b) => Entry.Compare(a.Name, b.Name));
        return kept;
    }

    private static Entry FileOf(string path, StoredVersion found) =>
        new()
        {
            Path = path,
            Kind = EntryKind.File,
            Mode = Mode,
            Modified = (found.Written.UtcTicks - DateTimeOffset.UnixEpoch.UtcTicks) * NanosecondsATick,
            // A version's number never comes again: the same one is the same content.
            Changed = found.Version,
            Inode = (ulong)found.Version,
            Size = found.Bytes,
        };
}
