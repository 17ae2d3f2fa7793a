using System.Text;
using MimeKit;
using Ripen.Backup.Mail;
using Ripen.Backup.Points;
using Ripen.Backup.Pools;
using Ripen.Backup.Runs;
using Ripen.Backup.Sources;

namespace Ripen.Backup.Tests;

/// <summary>Mailboxes are taken apart as MimeKit's own parser takes them, what names are decoded to is that of the RFCs' examples, and what is
/// found in points is what each of them holds.</summary>
public sealed class MailTests : IDisposable
{
    private static readonly CancellationToken Never = CancellationToken.None;

    private readonly string folder = Directory.CreateTempSubdirectory("ripen-mail-").FullName;

    public void Dispose() => Directory.Delete(folder, recursive: true);

    /// <summary>A message of a made-up crew; some have lines that could be taken for the beginning of another.</summary>
    private static string Message(Random random, int number)
    {
        var who = "purser bosun mate cook pilot".Split(' ');
        var (from, to) = (who[random.Next(5)], who[random.Next(5)]);
        var date = new DateTimeOffset(2024, 1, 1, 8, 0, 0, TimeSpan.Zero).AddHours(number * 7);
        var text = string.Concat(
            Enumerable
                .Range(0, 1 + random.Next(40))
                .Select(i => i % 11 == 5 ? ">From the quay, at noon\n" : $"Line {random.Next()} of {number}.\n")
        );
        var head =
            $"From: {from}@brackwater.example\nTo: {to}@brackwater.example\nDate: {date:R}\nMessage-ID: <{number}@brackwater.example>\n";
        return random.Next(3) > 0
            ? $"{head}Subject: Berth {number % 13} on {number}\n\n{text}"
            : $"{head}Subject: Papers {number}\nMIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=b{number}\n\n--b{number}\nContent-Type: "
                + $"text/plain\n\n{text}\n--b{number}\nContent-Type: application/pdf; name=\"manifest {number % 5}.pdf\"\n"
                + $"Content-Disposition: attachment; filename=\"manifest {number % 5}.pdf\"\nContent-Transfer-Encoding: base64\n\n"
                + $"{Convert.ToBase64String(Encoding.ASCII.GetBytes($"PDF {number}"))}\n--b{number}--\n";
    }

    private static string Mbox(IEnumerable<string> messages) =>
        string.Concat(messages.Select(m => $"From crew@brackwater.example Mon Jan  1 08:00:00 2024\n{m}\n"));

    private static List<(long At, long End, byte[] Message)> Split(byte[] mbox, Random random)
    {
        var found = new List<(long, long, byte[])>();
        var splitter = new MboxSplitter(0, (at, end, message) => found.Add((at, end, message)));
        for (int at = 0, count; at < mbox.Length; at += count)
            splitter.Feed(mbox.AsSpan(at, count = Math.Min(1 + random.Next(3000), mbox.Length - at)));
        splitter.Finish();
        return found;
    }

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public void A_mailbox_is_taken_apart_where_another_parser_does(int seed)
    {
        var random = new Random(seed);
        var mbox = Encoding.UTF8.GetBytes(Mbox(Enumerable.Range(0, 200).Select(n => Message(random, n))));
        var found = Split(mbox, random);
        using var stream = new MemoryStream(mbox);
        var parser = new MimeParser(stream, MimeFormat.Mbox);
        foreach (var (at, end, message) in found)
        {
            using var expected = parser.ParseMessage();
            Assert.Equal(parser.MboxMarkerOffset, at);
            using var own = MimeMessage.Load(new MemoryStream(message));
            Assert.Equal(expected.MessageId, own.MessageId);
            Assert.Equal(expected.Subject, own.Subject);
            Assert.Equal(expected.Attachments.Count(), own.Attachments.Count());
            // What the mailbox quoted is as it was.
            Assert.DoesNotContain("\n>From ", Encoding.UTF8.GetString(message), StringComparison.Ordinal);
        }
        Assert.True(parser.IsEndOfStream);
        Assert.Equal(200, found.Count);
        Assert.Equal(mbox.Length, found[^1].End);
    }

    [Fact]
    public void What_is_no_mailbox_has_no_messages()
    {
        Assert.Empty(Split(Encoding.UTF8.GetBytes("To whom it may concern.\nFrom the quay.\n"), new Random(1)));
        Assert.Empty(Split([], new Random(1)));
        // A line in the middle of a text is no beginning.
        Assert.Single(Split(Encoding.UTF8.GetBytes("From a Mon Jan  1 08:00:00 2024\nSubject: x\n\ntext\nFrom here on\n"), new Random(1)));
    }

    /// <summary>A file that is called a mailbox may be anything, and as large as a disk.</summary>
    [Fact]
    public void What_is_too_large_is_passed_over_and_what_follows_is_found()
    {
        var found = new List<(long At, int Bytes)>();
        var splitter = new MboxSplitter(0, (at, _, message) => found.Add((at, message.Length)));
        var noise = new byte[1 << 20];
        Array.Fill(noise, (byte)'x');
        "From "u8.CopyTo(noise);
        var large = "From a Mon Jan  1 08:00:00 2024\nSubject: large\n\n"u8.ToArray();
        var small = "\n\nFrom b Mon Jan  1 08:00:00 2024\nSubject: small\n\ntext\n"u8.ToArray();
        splitter.Feed(large);
        splitter.Feed("y"u8);
        for (var i = 0; i < 130; i++)
            splitter.Feed(noise);
        splitter.Feed(small);
        // One line of 200 kB, in pieces that begin like a message: it is a line like any other.
        splitter.Feed("\nFrom c Mon Jan  1 08:00:00 2024\nSubject: long\n\ny"u8);
        for (var i = 0; i < 200; i++)
            splitter.Feed(noise.AsSpan(0, 1000));
        splitter.Finish();
        var second = large.Length + 1 + (130L << 20) + 2;
        Assert.Equal(
            [(second, "Subject: small\n\ntext\n".Length), (second + small.Length - 2 + 1, "Subject: long\n\ny".Length + 200_000)],
            found
        );
    }

    [Fact]
    public async Task What_is_put_back_comes_out_as_it_was()
    {
        var random = new Random(7);
        var path = Path.Combine(folder, "back.mbox");
        var messages = Enumerable
            .Range(0, 60)
            .Select(n => Message(random, n).Replace("\n>From", "\nFrom", StringComparison.Ordinal))
            .ToList();
        // What is there already stays, and is not run into, however it ends.
        await File.WriteAllTextAsync(path, "From old Mon Jan  1 08:00:00 2024\nSubject: old\n\nThe end is not ended");
        foreach (var message in messages)
            await MboxFile.Append(path, Encoding.UTF8.GetBytes(message), DateTimeOffset.UnixEpoch, Never);
        var found = Split(await File.ReadAllBytesAsync(path), random).Select(m => Encoding.UTF8.GetString(m.Message)).ToList();
        Assert.Equal(["Subject: old\n\nThe end is not ended\n", .. messages], found);
    }

    [Fact]
    public async Task What_is_no_mailbox_is_left_as_it_is()
    {
        var path = Path.Combine(folder, "list.mbox");
        await File.WriteAllTextAsync(path, "not mail");
        var refused = await Assert.ThrowsAsync<RefusalException>(() =>
            MboxFile.Append(path, "x"u8.ToArray(), DateTimeOffset.UnixEpoch, Never)
        );
        Assert.Equal("no-mailbox", refused.Code);
        Assert.Equal("not mail", await File.ReadAllTextAsync(path));
        Assert.Equal(
            "cannot-write",
            (
                await Assert.ThrowsAsync<RefusalException>(() => MboxFile.Append(folder, "x"u8.ToArray(), DateTimeOffset.UnixEpoch, Never))
            ).Code
        );
    }

    /// <summary>RFC 2047, section 2 (encoded words, Q and B), and the example of RFC 2231, section 4, of an encoded parameter.</summary>
    [Fact]
    public void Names_are_decoded_as_the_standards_say()
    {
        var message = Encoding.ASCII.GetBytes(
            """
            From: =?ISO-8859-1?Q?F=E6rgen?= <ferry@brackwater.example>
            To: quay@brackwater.example
            Cc: =?utf-8?B?w4Zyw7g=?= <aero@brackwater.example>
            Subject: =?utf-8?q?Stra=C3=9Fe_?= =?utf-8?q?und_Hafen?=
            Date: Tue, 3 Mar 2026 09:30:00 +0100
            MIME-Version: 1.0
            Content-Type: multipart/mixed; boundary=x

            --x
            Content-Type: text/html; charset=utf-8

            <html><head><title>not this</title><style>p { color: red }</style><script>alert(1)</script></head>
            <body><p>The ferry leaves at&nbsp;nine.</p><img src="http://far.example/pixel.png"><p>Bring &lt;papers&gt;.<br>Soon.</p></body></html>
            --x
            Content-Type: application/octet-stream
            Content-Disposition: attachment; filename*=us-ascii'en-us'This%20is%20%2A%2A%2Afun%2A%2A%2A
            Content-Transfer-Encoding: base64

            c2FpbHM=
            --x--
            """
        );
        var head = MailHead.Of(0, message.Length, message);
        Assert.Contains("Færgen", head.From, StringComparison.Ordinal);
        Assert.Contains("Ærø", head.To, StringComparison.Ordinal);
        Assert.Equal("Straße und Hafen", head.Subject);
        Assert.Equal(new DateTimeOffset(2026, 3, 3, 8, 30, 0, TimeSpan.Zero), head.Date);
        Assert.Equal(["This is ***fun***"], head.Attachments);
        var text = MailText.Of(message);
        Assert.True(text.WasHtml);
        Assert.Equal("The ferry leaves at\u00a0nine.\nBring <papers>.\nSoon.", text.Text.Replace("\n\n", "\n", StringComparison.Ordinal));
        Assert.Equal(("This is ***fun***", 5), (text.Attachments[0].Name, text.Attachments[0].Bytes));
        Assert.Equal("sails"u8.ToArray(), MailText.Attachment(message, 0).Content);
        Assert.Equal("no-attachment", Assert.Throws<RefusalException>(() => MailText.Attachment(message, 1)).Code);
    }

    /// <summary>Weeks of mailboxes that grow, are thinned, and have their messages moved; points go now and then.</summary>
    [Theory]
    [InlineData(1, true)]
    [InlineData(2, true)]
    [InlineData(3, false)]
    public async Task What_is_found_is_what_the_points_hold(int seed, bool deduplicates)
    {
        var random = new Random(seed);
        var options = Folders.Options with { Deduplicates = deduplicates };
        using var pool = await Pool.Create(new MemoryObjects(), options, DateTimeOffset.UnixEpoch, Never);
        var (inbox, archive, loose, held) = (
            new List<string>(),
            new List<string>(),
            new List<string>(),
            new Dictionary<string, List<string>>()
        );
        var (index, number) = (new MailIndex(), 0);
        Directory.CreateDirectory(Path.Combine(folder, "post", "cur"));
        for (var week = 0; week < 14; week++)
        {
            for (var i = random.Next(60); i > 0; i--)
                inbox.Add(Message(random, number++));
            if (random.Next(3) == 0 && inbox.Count > 5)
                inbox.RemoveRange(random.Next(inbox.Count / 2), 4);
            if (random.Next(3) == 0 && inbox.Count > 5)
            {
                archive.AddRange(inbox.Take(3));
                inbox.RemoveRange(0, 3);
            }
            loose.Add(Message(random, number++));
            await File.WriteAllTextAsync(Path.Combine(folder, "in.mbox"), Mbox(inbox), Never);
            await File.WriteAllTextAsync(Path.Combine(folder, "Old.MBX"), Mbox(archive), Never);
            await File.WriteAllTextAsync(Path.Combine(folder, "post", "cur", $"{week}.brackwater:2,S"), loose[^1], Never);
            var taken = new RunOptions { Taken = new DateTimeOffset(2026, 1, 1, 0, 0, 0, TimeSpan.Zero).AddDays(7 * week) };
            var point = await BackupRun.Of(pool, new FolderSource(folder), "crew", taken, TimeProvider.System, null, Never);
            held[point.Id] = [.. inbox, .. archive, .. loose];
            if (week > 3 && random.Next(4) == 0)
            {
                var gone = held.Keys.Order(StringComparer.Ordinal).ElementAt(random.Next(held.Count));
                await pool.Remove(gone, Never);
                held.Remove(gone);
            }
            if (random.Next(2) == 0)
                await Compare();
        }
        await Compare();

        async Task Compare()
        {
            await index.Follow(pool, Never);
            Assert.Equal(held.Count, index.Points);
            var newest = held.Keys.Max(StringComparer.Ordinal)!;
            MailQuery[] queries =
            [
                new(From: "BOSUN"),
                new(Subject: "berth 7", To: "cook"),
                new(Attachment: "manifest 3"),
                new(Since: new DateOnly(2024, 1, 20), Until: new DateOnly(2024, 2, 10)),
            ];
            foreach (var query in queries)
            {
                var (mails, total) = index.Find(query, null, 10_000);
                var all = held.SelectMany(p => p.Value.Select(text => (Point: p.Key, Text: text)))
                    .GroupBy(m => m.Text)
                    .Where(m => Fits(query, m.Key))
                    .ToDictionary(m => IdOf(m.Key), m => m.Select(p => p.Point).ToHashSet());
                Assert.Equal(all.Count, total);
                foreach (var mail in mails)
                {
                    var message = await Mailbox.Message(pool, mail.Last, mail.Path, mail.Head.At, Never);
                    var expected = all[IdOf(Encoding.UTF8.GetString(message))];
                    Assert.Equal(expected.Count, mail.Points);
                    Assert.Equal(expected.Min(StringComparer.Ordinal), mail.First.Id);
                    Assert.Equal(expected.Max(StringComparer.Ordinal), mail.Last.Id);
                    Assert.Equal(expected.Contains(newest), mail.IsThere);
                }
            }
        }
    }

    private static string IdOf(string message) => message.Split("Message-ID: ")[1].Split('\n')[0];

    /// <summary>By the text of the message alone.</summary>
    private static bool Fits(MailQuery query, string message)
    {
        string Of(string header) => message.Split($"{header}: ")[1].Split('\n')[0];
        var day = DateOnly.FromDateTime(DateTimeOffset.Parse(Of("Date"), System.Globalization.CultureInfo.InvariantCulture).UtcDateTime);
        return Of("From").Contains(query.From ?? "", StringComparison.OrdinalIgnoreCase)
            && Of("To").Contains(query.To ?? "", StringComparison.OrdinalIgnoreCase)
            && Of("Subject").Contains(query.Subject ?? "", StringComparison.OrdinalIgnoreCase)
            && (query.Attachment is null || message.Contains($"filename=\"{query.Attachment}", StringComparison.Ordinal))
            && !(day < query.Since)
            && !(day > query.Until);
    }

    [Fact]
    public async Task A_message_is_only_where_one_begins()
    {
        using var pool = await Pool.Create(new MemoryObjects(), Folders.Options, DateTimeOffset.UnixEpoch, Never);
        var text = Mbox([Message(new Random(1), 1), Message(new Random(2), 2)]);
        await File.WriteAllTextAsync(Path.Combine(folder, "in.mbox"), text, Never);
        var point = await BackupRun.Of(pool, new FolderSource(folder), "crew", null, TimeProvider.System, null, Never);
        var second = text.IndexOf("\nFrom crew", StringComparison.Ordinal) + 1;
        Assert.Contains(
            "<2@",
            Encoding.UTF8.GetString(await Mailbox.Message(pool, point, "in.mbox", second, Never)),
            StringComparison.Ordinal
        );
        foreach (var at in new[] { -1L, 3, second + 1, text.Length, long.MaxValue })
            Assert.Equal(
                "no-message",
                (await Assert.ThrowsAsync<RefusalException>(() => Mailbox.Message(pool, point, "in.mbox", at, Never))).Code
            );
        Assert.Equal(
            "no-path",
            (await Assert.ThrowsAsync<RefusalException>(() => Mailbox.Message(pool, point, "out.mbox", 0, Never))).Code
        );
    }
}
