using Ripen.Backup.Mail;
using Ripen.Core.Backups;

namespace Ripen.Server.Backups;

/// <summary>A message that was found.</summary>
/// <param name="Bytes">Of the message.</param>
/// <param name="From">As the message says.</param>
/// <param name="To">All who got it.</param>
/// <param name="Subject">As the message says.</param>
/// <param name="Date">Null for none.</param>
/// <param name="Attachments">Their names.</param>
/// <param name="Places">Where it lies, the place with the newest point first.</param>
public sealed record FoundMailReading(
    long Bytes,
    string From,
    string To,
    string Subject,
    DateTimeOffset? Date,
    IReadOnlyList<string> Attachments,
    IReadOnlyList<MailPlace> Places
);

/// <summary>Where a message lies in a pool.</summary>
/// <param name="Target">The id of the target.</param>
/// <param name="Workload">Whose points they are.</param>
/// <param name="Point">The newest that has it: where it is read and restored from.</param>
/// <param name="Path">Its mailbox in that point, or its own file.</param>
/// <param name="At">Where in the mailbox it begins; 0 in a file of its own.</param>
/// <param name="FirstTaken">When the oldest point that has it was taken.</param>
/// <param name="LastTaken">When the newest was taken.</param>
/// <param name="Points">How many have it.</param>
/// <param name="IsThere">Whether the workload's newest point has it.</param>
public sealed record MailPlace(
    string Target,
    string Workload,
    string Point,
    string Path,
    long At,
    DateTimeOffset FirstTaken,
    DateTimeOffset LastTaken,
    int Points,
    bool IsThere
);

/// <summary>Messages that were found.</summary>
/// <param name="Mails">Newest first, at most so many as were asked for.</param>
/// <param name="IsMore">Whether more fit.</param>
/// <param name="Points">How many points were searched.</param>
/// <param name="NotSearched">Where nobody looked.</param>
public sealed record FoundMailsReading(
    IReadOnlyList<FoundMailReading> Mails,
    bool IsMore,
    int Points,
    IReadOnlyList<NotSearched> NotSearched
);

/// <summary>Looks for messages in the mailboxes of all pools' points.</summary>
internal sealed class MailSearch(Pools pools) : IDisposable
{
    /// <summary>Each as often as versions of its mailbox have it; most share what is said of them.</summary>
    private const int MostMails = 5_000_000;

    private readonly PoolMemory<MailIndex> memory = new(pools, MostMails);

    public async Task<FoundMailsReading> Find(
        IEnumerable<BackupTarget> targets,
        MailQuery query,
        string? workload,
        int most,
        CancellationToken cancel
    )
    {
        var (found, damaged, isMore, points) = (new List<(string Target, FoundMail Mail)>(), new List<NotSearched>(), false, 0);
        var not = await memory.Each(
            targets,
            async (target, pool, index) =>
            {
                await index.Follow(pool, cancel);
                var (mails, total) = index.Find(query, workload, most);
                isMore |= total > mails.Count;
                points += index.Points;
                found.AddRange(mails.Select(m => (target.Id, m)));
                damaged.AddRange(index.Unreadable.Select(u => new NotSearched(target.Id, u.What)));
                return index.Count;
            },
            cancel
        );
        // In several pools it is one message.
        var all = found.GroupBy(f => f.Mail.Head.Digest).OrderByDescending(m => m.First().Mail.Head.Date).ToList();
        return new FoundMailsReading([.. all.Take(most).Select(Told)], isMore || all.Count > most, points, [.. not, .. damaged]);
    }

    private static FoundMailReading Told(IEnumerable<(string Target, FoundMail Mail)> places)
    {
        var there = places.OrderByDescending(p => p.Mail.Last.Taken).ToList();
        var head = there[0].Mail.Head;
        return new FoundMailReading(
            head.Bytes,
            head.From,
            head.To,
            head.Subject,
            head.Date,
            head.Attachments,
            [
                .. there.Select(p => new MailPlace(
                    p.Target,
                    p.Mail.Workload,
                    p.Mail.Last.Id,
                    p.Mail.Path,
                    p.Mail.Head.At,
                    p.Mail.First.Taken,
                    p.Mail.Last.Taken,
                    p.Mail.Points,
                    p.Mail.IsThere
                )),
            ]
        );
    }

    public void Dispose() => memory.Dispose();
}
