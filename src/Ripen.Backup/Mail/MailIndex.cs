using Ripen.Backup.Points;
using Ripen.Backup.Pools;

namespace Ripen.Backup.Mail;

/// <summary>What messages are looked for by: each that is said must be found, whatever its case.</summary>
/// <param name="From">In the senders' names and addresses.</param>
/// <param name="To">In those of all who got it.</param>
/// <param name="Subject">In the subject.</param>
/// <param name="Attachment">In the name of an attachment.</param>
/// <param name="Since">Sent on this day (UTC) or later.</param>
/// <param name="Until">Sent on this day or earlier.</param>
public sealed record MailQuery(
    string? From = null,
    string? To = null,
    string? Subject = null,
    string? Attachment = null,
    DateOnly? Since = null,
    DateOnly? Until = null
)
{
    public bool IsEmpty => this == new MailQuery();

    internal bool Fits(MailHead mail)
    {
        return Has(mail.From, From)
            && Has(mail.To, To)
            && Has(mail.Subject, Subject)
            && (string.IsNullOrWhiteSpace(Attachment) || mail.Attachments.Any(a => Has(a, Attachment)))
            && (Since is null || Day() >= Since)
            && (Until is null || Day() <= Until);

        static bool Has(string text, string? part) =>
            string.IsNullOrWhiteSpace(part) || text.Contains(part.Trim(), StringComparison.OrdinalIgnoreCase);

        DateOnly? Day() => mail.Date is { } date ? DateOnly.FromDateTime(date.UtcDateTime) : null;
    }
}

/// <summary>A message that was found, and in which points it is.</summary>
/// <param name="Workload">Whose points they are.</param>
/// <param name="Path">The mailbox, or the message's own file, in the newest point that has it.</param>
/// <param name="Head">What it says, and where it lies there.</param>
/// <param name="First">The oldest point that has it.</param>
/// <param name="Last">The newest.</param>
/// <param name="Points">How many have it.</param>
/// <param name="IsThere">Whether the workload's newest point has it.</param>
public sealed record FoundMail(string Workload, string Path, MailHead Head, Point First, Point Last, int Points, bool IsThere);

/// <summary>
/// The messages in the points of a pool, in memory: a mailbox that only grew is read from where it did. A message that was moved to another
/// mailbox is the same one. Not safe for several threads at once.
/// </summary>
public sealed class MailIndex
{
    private readonly FollowedPoints points = new();
    private readonly HashSet<string> taken = [];
    private readonly Dictionary<(string Workload, string Path), List<Version>> files = [];

    /// <summary>A file of mail as some points have it.</summary>
    private sealed class Version(Entry entry, IReadOnlyList<MailHead> mails)
    {
        public Entry Entry { get; } = entry;

        public IReadOnlyList<MailHead> Mails { get; } = mails;

        public HashSet<string> Points { get; } = [];
    }

    public int Points => points.All.Count;

    /// <summary>Points whose list or mail cannot be read, and why.</summary>
    public IReadOnlyCollection<RunProblem> Unreadable => points.Unreadable;

    /// <summary>Messages in memory, each as often as versions of its mailbox have it.</summary>
    public int Count => files.Values.Sum(f => f.Sum(v => v.Mails.Count));

    /// <summary>Takes in what was added to the pool since, and lets go of what went.</summary>
    public async Task Follow(Pool pool, CancellationToken cancel)
    {
        await points.Follow(pool, cancel);
        taken.IntersectWith(points.All.Keys);
        foreach (var versions in files.Values)
        {
            foreach (var version in versions)
                version.Points.IntersectWith(taken);
            versions.RemoveAll(v => v.Points.Count == 0);
        }
        foreach (var id in points.All.Keys.Where(id => !taken.Contains(id)).Order(StringComparer.Ordinal).ToList())
        {
            cancel.ThrowIfCancellationRequested();
            await points.Whole(id, () => Take(pool, points.All[id], cancel));
        }
    }

    /// <summary>Newest messages first; those without a date last.</summary>
    public (IReadOnlyList<FoundMail> Mails, int Total) Find(MailQuery query, string? workload, int most)
    {
        var found = new Dictionary<(string Workload, string Digest), Hit>();
        var newest = points.All.Values.GroupBy(p => p.Workload).ToDictionary(w => w.Key, w => w.MaxBy(p => p.Taken)!);
        foreach (var ((of, path), versions) in files)
        {
            if (workload is not null && of != workload)
                continue;
            foreach (var version in versions)
            {
                var own = version.Points.Select(id => points.All[id]).ToList();
                var (first, last) = (own.MinBy(p => p.Taken)!, own.MaxBy(p => p.Taken)!);
                foreach (var mail in version.Mails.Where(query.Fits))
                {
                    if (!found.TryGetValue((of, mail.Digest), out var hit))
                        found[(of, mail.Digest)] = hit = new Hit(mail, path, first, last);
                    hit.Points.UnionWith(version.Points);
                    if (first.Taken < hit.First.Taken)
                        hit.First = first;
                    // It is restored from where it was last.
                    if (last.Taken > hit.Last.Taken)
                        (hit.Head, hit.Path, hit.Last) = (mail, path, last);
                }
            }
        }
        return (
            [
                .. found
                    .OrderByDescending(f => f.Value.Head.Date ?? DateTimeOffset.MinValue)
                    .ThenBy(f => f.Key.Digest, StringComparer.Ordinal)
                    .Take(most)
                    .Select(f => new FoundMail(
                        f.Key.Workload,
                        f.Value.Path,
                        f.Value.Head,
                        f.Value.First,
                        f.Value.Last,
                        f.Value.Points.Count,
                        f.Value.Points.Contains(newest[f.Key.Workload].Id)
                    )),
            ],
            found.Count
        );
    }

    /// <summary>A message that fits, as far as versions of mailboxes were looked at.</summary>
    private sealed class Hit(MailHead head, string path, Point first, Point last)
    {
        public MailHead Head { get; set; } = head;
        public string Path { get; set; } = path;
        public Point First { get; set; } = first;
        public Point Last { get; set; } = last;
        public HashSet<string> Points { get; } = [];
    }

    private async Task Take(Pool pool, Point point, CancellationToken cancel)
    {
        var mail = new List<(string Path, Version Version)>();
        await foreach (var entry in pool.Entries(point, cancel))
        {
            if (!Mailbox.IsMailbox(entry) && !Mailbox.IsMessage(entry))
                continue;
            var versions = files.GetValueOrDefault((point.Workload, entry.Path)) ?? [];
            var same = versions.FirstOrDefault(v => v.Entry.Chunks.AsSpan().SequenceEqual(entry.Chunks));
            mail.Add((entry.Path, same ?? new Version(entry, await Read(pool, entry, versions.LastOrDefault(), cancel))));
        }
        taken.Add(point.Id);
        foreach (var (path, version) in mail)
        {
            if (!files.TryGetValue((point.Workload, path), out var versions))
                files[(point.Workload, path)] = versions = [];
            if (version.Points.Count == 0)
                versions.Add(version);
            version.Points.Add(point.Id);
        }
    }

    private static async Task<IReadOnlyList<MailHead>> Read(Pool pool, Entry entry, Version? before, CancellationToken cancel)
    {
        if (Mailbox.IsMessage(entry))
            return [MailHead.Of(0, entry.Size, await Mailbox.Whole(pool, entry, cancel))];
        var mails = new List<MailHead>();
        if (before is not null)
        {
            // A message is whole where the next one's beginning is in both.
            var common = await Mailbox.InCommon(pool, before.Entry, entry, cancel) - "From ".Length;
            mails.AddRange(before.Mails.SkipLast(1).TakeWhile(m => m.End <= common));
        }
        var from = mails.Count > 0 ? mails[^1].End : 0;
        await Mailbox.Read(pool, entry, from, (at, end, mail) => mails.Add(MailHead.Of(at, end, mail)), () => false, cancel);
        return mails;
    }
}
