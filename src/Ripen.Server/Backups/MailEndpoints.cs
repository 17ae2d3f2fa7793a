using System.ComponentModel;
using System.Text;
using System.Text.Json.Serialization;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Mail;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Restores;
using Ripen.Core.Backups;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

/// <summary>Which message of a point is put back, and into which mailbox.</summary>
/// <param name="Point">Its id.</param>
/// <param name="Path">The mailbox in the point, or the message's own file.</param>
/// <param name="At">Where it begins.</param>
/// <param name="Into">A file of this machine in the mbox format, below the folders that are allowed; made when it is not there.</param>
public sealed record MailRestoreOrder(
    [property: JsonRequired] string Point,
    [property: JsonRequired] string Path,
    [property: JsonRequired] long At,
    [property: JsonRequired] string Into
);

internal static class MailEndpoints
{
    private const int Most = 200;

    public static void MapMailSearch(this RouteGroupBuilder api) =>
        api.MapGet("/found-mail", Find)
            .WithTags("Backups")
            .WithName("findMail")
            .WithSummary(
                "Looks for messages in all restore points of all pools: in files whose names end in .mbox or .mbx, and in the folders cur and "
                    + "new of Maildirs. Newest first."
            );

    public static void MapMails(this RouteGroupBuilder target)
    {
        target
            .MapGet("/points/{point}/message", Read)
            .WithName("readMessage")
            .WithSummary("A message as text: nothing in it is shown otherwise, and nothing is fetched.");
        target
            .MapGet("/points/{point}/message.eml", ReadWhole)
            .WithName("readWholeMessage")
            .WithSummary("A message as it was received (RFC 5322); a record says that it was brought back.")
            .Produces<byte[]>(contentType: "message/rfc822");
        target
            .MapGet("/points/{point}/attachment", ReadAttachment)
            .WithName("readAttachment")
            .WithSummary("An attachment of a message, to be stored and not shown.")
            .Produces<byte[]>(contentType: "application/octet-stream");
        target
            .MapPost("/restored-messages", Restored)
            .WithName("restoreMessage")
            .WithSummary("Puts a message back at the end of a mailbox (mbox) of this machine; a record says so.");
    }

    private static async Task<Results<Ok<FoundMailsReading>, ProblemHttpResult>> Find(
        CurrentEstate current,
        MailSearch search,
        CancellationToken cancel,
        [Description("In the senders' names and addresses, whatever its case.")] string? from = null,
        [Description("In those of all who got it.")] string? to = null,
        [Description("In the subject.")] string? subject = null,
        [Description("In the name of an attachment.")] string? attachment = null,
        [Description("Sent on this day (UTC) or later.")] DateOnly? since = null,
        [Description("Sent on this day or earlier.")] DateOnly? until = null,
        [Description("A target's id: only in its pool.")] string? target = null,
        [Description("Only in points of this workload.")] string? workload = null,
        [Description("Messages from each target, 1 to 200.")] int most = Most
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        if (most is < 1 or > Most)
            return Problems.Invalid("out-of-range", "$.most", $"From 1 to {Most} messages are told.");
        var query = new MailQuery(Said(from), Said(to), Said(subject), Said(attachment), since, until);
        if (query.IsEmpty)
            return Problems.Invalid("out-of-range", "$.from", "Say one thing at least to look for.");
        var targets = target is null ? view.Estate.Targets : [(await TargetEndpoints.Find(current, target, cancel)).Target];
        return TypedResults.Ok(await search.Find(targets, query, workload, most, cancel));

        static string? Said(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
    }

    private static async Task<Ok<MailText>> Read(
        string id,
        string point,
        [Description("The mailbox, or the message's own file.")] string path,
        CurrentEstate current,
        Pools pools,
        CancellationToken cancel,
        [Description("Where in the mailbox it begins.")] long at = 0
    ) => TypedResults.Ok(MailText.Of((await Message(id, point, path, at, current, pools, cancel)).Content));

    private static async Task ReadWhole(
        string id,
        string point,
        string path,
        CurrentEstate current,
        Pools pools,
        Recorded recorded,
        HttpResponse response,
        CancellationToken cancel,
        long at = 0
    )
    {
        var (found, content) = await Message(id, point, path, at, current, pools, cancel);
        PointContentEndpoints.Offer(response, $"{NameOf(MailText.Of(content).Subject)}.eml");
        response.ContentType = "message/rfc822";
        await recorded.Of(
            found,
            new RestoreAim(id, RestoreKind.Restore, path, "a message"),
            async _ =>
            {
                await response.Body.WriteAsync(content, cancel);
                return new RestoreResult(1, content.Length, 0, []);
            }
        );
    }

    private static async Task ReadAttachment(
        string id,
        string point,
        string path,
        [Description("Counted from 0, in the message's order.")] int number,
        CurrentEstate current,
        Pools pools,
        HttpResponse response,
        CancellationToken cancel,
        long at = 0
    )
    {
        var (_, message) = await Message(id, point, path, at, current, pools, cancel);
        var (about, content) = MailText.Attachment(message, number);
        PointContentEndpoints.Offer(response, NameOf(about.Name));
        await response.Body.WriteAsync(content, cancel);
    }

    private static async Task<NoContent> Restored(
        string id,
        MailRestoreOrder order,
        CurrentEstate current,
        Pools pools,
        Recorded recorded,
        BackupRoots roots,
        TargetPlaces places,
        CancellationToken cancel
    )
    {
        var into = roots.Place(order.Into, "$.into");
        var (view, _) = await TargetEndpoints.Find(current, id, cancel);
        places.DemandNotIn(into, view.Estate.Targets, "$.into");
        var (found, content) = await Message(id, order.Point, order.Path, order.At, current, pools, cancel);
        await recorded.Of(
            found,
            new RestoreAim(id, RestoreKind.Restore, order.Path, into),
            async _ =>
            {
                await MboxFile.Append(into, content, found.Taken, cancel);
                return new RestoreResult(1, content.Length, 0, []);
            }
        );
        return TypedResults.NoContent();
    }

    private static async Task<(Point Point, byte[] Content)> Message(
        string id,
        string point,
        string path,
        long at,
        CurrentEstate current,
        Pools pools,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        using var pool = await pools.Open(target, cancel);
        var found = await pool.FindPoint(point, cancel);
        return (found, await Mailbox.Message(pool, found, path, at, cancel));
    }

    /// <summary>What a file may be called that a sender named.</summary>
    private static string NameOf(string said)
    {
        var name = new StringBuilder();
        foreach (var c in said.Trim().TrimStart('.'))
            name.Append(char.IsControl(c) || "/\\:*?\"<>|".Contains(c, StringComparison.Ordinal) ? '_' : c);
        return name.Length == 0 ? "message" : name.ToString(0, Math.Min(name.Length, 120));
    }
}
