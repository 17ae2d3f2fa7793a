using System.IO.Pipelines;
using System.Security.Cryptography;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Runs;

namespace Ripen.Backup.Restores;

/// <summary>Objects into which files are restored: a file's path is its key.</summary>
public interface IRestoredObjects
{
    bool Has(string key);

    /// <summary>Whether there is anything at all.</summary>
    bool IsEmpty { get; }

    /// <summary>Puts an object, over one that is there; whole and durable on return, or not there.</summary>
    /// <exception cref="RefusalException">The key cannot be one, or something keeps what is there.</exception>
    Task Put(string key, Stream content, long bytes, CancellationToken cancel);

    /// <summary>What lies there now.</summary>
    Task Read(string key, Stream into, CancellationToken cancel);
}

/// <summary>Brings what a point holds back as objects. What has no place among objects, and what is damaged, is named and left out.</summary>
public static class ObjectRestore
{
    /// <summary>Every object is read back and compared after it was put.</summary>
    /// <param name="pool">Where from.</param>
    /// <param name="point">Which.</param>
    /// <param name="under">A path of the point; empty for everything. Keys begin with its last part.</param>
    /// <param name="objects">Where to.</param>
    /// <param name="existing">What becomes of what is there already.</param>
    /// <param name="progress">Told of every file; null for nobody.</param>
    /// <param name="cancel">Ends early; what was put stays.</param>
    /// <exception cref="RefusalException">There is something and nothing was said of it, the place takes nothing, or the point has nothing of this
    /// path.</exception>
    public static async Task<RestoreResult> Into(
        Pool pool,
        Point point,
        string under,
        IRestoredObjects objects,
        Existing existing,
        IProgress<string>? progress,
        CancellationToken cancel
    )
    {
        DemandEmpty(objects, existing);
        var (problems, files, bytes, left) = (new List<RunProblem>(), 0L, 0L, 0L);
        var root = Path.GetDirectoryName(under) is { Length: > 0 } parent ? parent.Length + 1 : 0;
        await foreach (var entry in Restore.Beneath(pool, point, under, cancel))
        {
            if (entry.Kind == EntryKind.Folder)
                continue;
            progress?.Report(entry.Path);
            if (entry.Kind == EntryKind.Link)
            {
                problems.Add(new RunProblem(entry.Path, $"A link (to '{entry.Target}') has no place among objects: left out."));
                continue;
            }
            var key = entry.Path[root..];
            if (objects.Has(key))
            {
                if (existing == Existing.Kept)
                {
                    left++;
                    continue;
                }
                if (existing == Existing.Beside)
                    key = RestoreFolder.Dated(key, point.Taken, objects.Has);
            }
            try
            {
                await Put(pool, entry, objects, key, cancel);
                files++;
                bytes += entry.Size;
            }
            catch (RefusalException refused)
                when (refused.Kind is RefusalKind.Damaged or RefusalKind.NotFound or RefusalKind.Invalid or RefusalKind.Conflict)
            {
                problems.Add(new RunProblem(entry.Path, refused.Message));
            }
        }
        return new RestoreResult(files, bytes, left, problems);
    }

    /// <exception cref="RefusalException">There is something, and nothing was said of it.</exception>
    public static void DemandEmpty(IRestoredObjects objects, Existing existing)
    {
        if (existing == Existing.Refused && !objects.IsEmpty)
            throw new RefusalException(
                RefusalKind.Conflict,
                "not-empty",
                "Objects are there already: choose another prefix, or say what becomes of what is there."
            );
    }

    private static async Task Put(Pool pool, Entry entry, IRestoredObjects objects, string key, CancellationToken cancel)
    {
        using var sent = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        var pipe = new Pipe();
        var sending = Send();
        await using (var body = pipe.Reader.AsStream())
        {
            try
            {
                await objects.Put(key, body, entry.Size, cancel);
            }
            catch
            {
                // Why the content ended early says more than that it did.
                await pipe.Reader.CompleteAsync();
                await sending;
                throw;
            }
        }
        await sending;
        using var there = SHA256.Create();
        await using (var hashed = new CryptoStream(Stream.Null, there, CryptoStreamMode.Write))
            await objects.Read(key, hashed, cancel);
        if (!there.Hash.AsSpan().SequenceEqual(sent.GetHashAndReset()))
            throw Damage.Of(entry.Path, "reads back otherwise than it was written");

        async Task Send()
        {
            try
            {
                await foreach (var content in pool.Content(entry, cancel))
                {
                    sent.AppendData(content.Span);
                    if ((await pipe.Writer.WriteAsync(content, cancel)).IsCompleted)
                        break;
                }
                await pipe.Writer.CompleteAsync();
            }
            catch (Exception failed)
            {
                await pipe.Writer.CompleteAsync(failed);
                throw;
            }
        }
    }
}
