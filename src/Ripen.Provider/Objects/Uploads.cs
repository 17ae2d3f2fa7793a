using System.IO.Pipelines;
using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Ripen.Core;
using Ripen.Provider.Index;
using Ripen.Provider.Retention;
using Ripen.Provider.Sealing;

namespace Ripen.Provider.Objects;

/// <summary>What is begun.</summary>
/// <param name="Length">Bytes that the object will have.</param>
/// <param name="MediaType">To be given back with the object.</param>
/// <param name="Tags">To be kept with the object.</param>
/// <param name="OnlyNew">Whether it must not take the place of an object.</param>
/// <param name="Fingerprint">By which its sender knows the file again.</param>
public sealed record UploadOrder(
    long Length,
    string? MediaType = null,
    IReadOnlyDictionary<string, string>? Tags = null,
    bool OnlyNew = false,
    string? Fingerprint = null
);

/// <summary>How far an upload is.</summary>
/// <param name="Received">Bytes that have come.</param>
/// <param name="Stored">The object that it became; null while bytes are missing.</param>
public sealed record UploadProgress(long Received, StoredVersion? Stored);

/// <summary>
/// Uploads that can be resumed. Every part that comes is on the disk for good, encrypted like any content, before its sender hears of it; one
/// that breaks off keeps what had come. Parts rest in the bucket's landing tier and are charged there, and each counts as a write. When the last
/// byte is there the parts become an object, through the same conditions as any write; what is refused then stays as it is.
/// </summary>
public sealed class Uploads
{
    private readonly ProviderState state;
    private readonly LocalObjects objects;

    internal Uploads(ProviderState state, LocalObjects objects) => (this.state, this.objects) = (state, objects);

    /// <exception cref="RefusalException">A wrong key, length or tag, or the object is there already and must not be.</exception>
    public Upload Begin(string bucket, string key, UploadOrder order)
    {
        ObjectKeys.Check(key);
        if (order.Length < 0)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", "The length is a whole number of bytes from 0 on.");
        return state.Change(db =>
        {
            var own = state.ReachToAdd(db, bucket);
            if (order.OnlyNew)
                objects.Demand(db, own, key, WriteConditions.OnlyNew);
            var now = ProviderState.Now(db);
            var today = DateOnly.FromDateTime(now.UtcDateTime);
            var upload = new Upload(
                Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(16)),
                bucket,
                key,
                order.Length,
                0,
                now,
                today,
                null,
                order.MediaType,
                order.Tags,
                order.OnlyNew,
                order.Fingerprint
            );
            UploadRows.Add(db, own, upload);
            return UploadRows.Find(db, own, upload.Id)!;
        });
    }

    public IReadOnlyList<Upload> All(string bucket) => state.Index.Read(db => UploadRows.All(db, state.Reach(db, bucket)));

    /// <exception cref="RefusalException">There is none of this id.</exception>
    public Upload Find(string bucket, string id) => state.Index.Read(db => Demand(db, state.Reach(db, bucket), id));

    /// <summary>Takes bytes from where the upload stands, as many as come; with the last one it becomes an object. No bytes try that again
    /// that was refused.</summary>
    /// <param name="bucket">Its name.</param>
    /// <param name="id">Of the upload.</param>
    /// <param name="offset">Where the sender thinks that it stands.</param>
    /// <param name="body">When it breaks off, what had come stays, unless <paramref name="demand"/> refuses it.</param>
    /// <param name="demand">Looks at the part when it has been read to its end, and throws when it is not to be kept.</param>
    /// <param name="cancel">Of the sender; what had come stays.</param>
    /// <exception cref="RefusalException">The upload stands elsewhere (<c>wrong-offset</c>), more comes than was announced, or the object is
    /// refused.</exception>
    public async Task<UploadProgress> Append(
        string bucket,
        string id,
        long offset,
        Stream body,
        Action<bool>? demand,
        CancellationToken cancel
    )
    {
        var (upload, own, key) = state.Index.Read(db =>
        {
            var terms = state.ReachToAdd(db, bucket);
            var found = Demand(db, terms, id);
            DemandOffset(found, offset);
            return (found, terms.Id, SealingRows.Current(db, terms.Id));
        });
        var left = upload.Length - upload.Received;
        await using var part = new PartStream(body, left, cancel);
        WrittenContent? written = null;
        try
        {
            if (left > 0)
                written = await state.Contents.Write(part, key, sumOfBlocks: false, CancellationToken.None);
            demand?.Invoke(part.Failure is null);
            if (written?.Bytes > 0)
                state.Change(db => Keep(db, bucket, id, offset, written), CancellationToken.None);
        }
        catch (IOException full) when (ProviderState.IsFull(full))
        {
            throw ProviderState.DiskFull();
        }
        finally
        {
            if (written is not null && !state.Index.Read(db => LocalObjects.IsKnown(db, written.Name)))
                state.Contents.Remove(written.Name);
        }
        if (part.Failure is { } broken)
            throw broken;
        var received = offset + (written?.Bytes ?? 0);
        return new UploadProgress(received, received == upload.Length ? await Complete(bucket, own, upload) : null);
    }

    /// <summary>Removes what has come.</summary>
    /// <exception cref="RefusalException">There is none of this id.</exception>
    public void Discard(string bucket, string id) =>
        state.Free(db =>
        {
            var own = state.Reach(db, bucket);
            var upload = Demand(db, own, id);
            Remove(db, upload.Id);
            ProviderState.Touch(db, own);
            return true;
        });

    /// <summary>Inside a transaction: an upload goes, and its parts.</summary>
    internal static void Remove(SqliteConnection db, string id)
    {
        var parts = UploadRows.Parts(db, id);
        UploadRows.Remove(db, id);
        using var gate = new RetentionGate(db);
        foreach (var (content, _) in parts)
            gate.Release(content.Name);
    }

    private void Keep(SqliteConnection db, string bucket, string id, long offset, WrittenContent part)
    {
        var own = state.ReachToAdd(db, bucket);
        // Somebody else may have sent the same meanwhile.
        DemandOffset(Demand(db, own, id), offset);
        var (terms, today) = (state.TermsIn(db), ProviderState.Today(db));
        UploadRows.AddPart(db, id, part, own.Id, today);
        Metering.Events.Written(db, terms, today, own, own.Landing, 1);
        ProviderState.Touch(db, own);
    }

    private async Task<StoredVersion> Complete(string bucket, long own, Upload upload)
    {
        var (parts, key) = state.Index.Read(db => (UploadRows.Parts(db, upload.Id), SealingRows.Current(db, own)));
        var conditions = new WriteConditions(
            Allows: upload.OnlyNew ? WriteConditions.OnlyNew : null,
            Length: upload.Length,
            MediaType: upload.MediaType,
            Tags: upload.Tags
        );
        // What came in one piece is the object's content as it lies.
        if (parts is [var whole] && whole.Content.Key is { } itsKey)
        {
            var content = whole.Content;
            return objects.Put(
                bucket,
                upload.Key,
                new WrittenContent(content.Name, content.Bytes, whole.Sum, content.Sums, content.Wrapped!, itsKey.Id),
                conditions,
                db =>
                {
                    DemandWhole(db, bucket, upload);
                    UploadRows.Remove(db, upload.Id);
                    db.Run("DELETE FROM content WHERE name = ?1", content.Name);
                }
            );
        }
        var pipe = new Pipe();
        var reading = Task.Run(() => Read([.. parts.Select(p => p.Content)], pipe.Writer));
        var joined = await state.Contents.Write(pipe.Reader.AsStream(), key, sumOfBlocks: false, CancellationToken.None);
        await reading;
        return objects.Put(
            bucket,
            upload.Key,
            joined,
            conditions,
            db =>
            {
                DemandWhole(db, bucket, upload);
                Remove(db, upload.Id);
            }
        );
    }

    private async Task Read(IReadOnlyList<StoredContent> parts, PipeWriter to)
    {
        try
        {
            foreach (var part in parts)
            {
                using var content = state.Contents.Open(part);
                await content.Send(0, part.Bytes, to.AsStream(), CancellationToken.None);
            }
            await to.CompleteAsync();
        }
        catch (Exception error)
        {
            await to.CompleteAsync(error);
        }
    }

    private void DemandWhole(SqliteConnection db, string bucket, Upload upload) =>
        DemandOffset(Demand(db, state.ReachToAdd(db, bucket), upload.Id), upload.Length);

    private static Upload Demand(SqliteConnection db, BucketTerms own, string id) =>
        UploadRows.Find(db, own, id)
        ?? throw new RefusalException(
            RefusalKind.NotFound,
            "no-upload",
            "There is no such upload: it is an object by now, was discarded, or was removed because nothing more came."
        );

    private static void DemandOffset(Upload upload, long offset)
    {
        if (upload.Received != offset)
            throw new RefusalException(
                RefusalKind.Conflict,
                "wrong-offset",
                $"{upload.Received} bytes have come, not {offset}: go on from there."
            );
    }

    /// <summary>A body that may break off: it ends there, and says why afterwards.</summary>
    private sealed class PartStream(Stream body, long left, CancellationToken cancel) : Stream
    {
        private long taken;

        public Exception? Failure { get; private set; }

        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => throw new NotSupportedException();
        public override long Position
        {
            get => throw new NotSupportedException();
            set => throw new NotSupportedException();
        }

        public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            int read;
            try
            {
                read = await body.ReadAsync(buffer, cancel);
            }
            catch (Exception broken) when (broken is IOException or OperationCanceledException)
            {
                Failure = broken;
                return 0;
            }
            taken += read;
            return taken <= left
                ? read
                : throw new RefusalException(
                    RefusalKind.TooLarge,
                    "too-long",
                    "More came than was announced; nothing of this part was kept."
                );
        }

        public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
