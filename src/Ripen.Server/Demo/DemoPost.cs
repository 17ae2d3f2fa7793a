using System.Globalization;
using System.Text;

namespace Ripen.Server.Demo;

/// <summary>The harbour office's mail, made up: a message every other day since February 2024. In spring 2026 somebody clears the first year
/// out, so that it is only in points from before.</summary>
internal static class DemoPost
{
    private const int DaysApart = 2;
    private static readonly DateOnly First = new(2024, 2, 1);
    private static readonly DateOnly Cleared = new(2026, 4, 15);
    private static readonly DateOnly ClearedUntil = new(2025, 2, 1);

    private static readonly string[] People =
    [
        "Harbour office <office@brackwater.example>",
        "Purser <purser@brackwater.example>",
        "Ticket counter <counter@brackwater.example>",
        "Bosun of the Gannet <gannet@brackwater.example>",
        "Chandlery <orders@quayside-chandlery.example>",
        "Quarrydown machine hall <hall@brackwater.example>",
    ];

    private static readonly (string Subject, string Text, string? Paper)[] Matters =
    [
        (
            "Berth plan, week {0}",
            "The plan for week {0} is attached. Berth 2 stays closed until the fender is mended.",
            "berth plan {0}.pdf"
        ),
        ("Late running on line {0}", "Line {0} ran twenty minutes late in the evening; the tide table of the month explains it.", null),
        ("Delivery note {0}", "Rope, two drums, and a box of shackles. Please sign the note and send it back.", "delivery note {0}.pdf"),
        ("Lost property {0}", "A green umbrella and a child's left boot were handed in. They are on shelf {0}.", null),
        ("Crew rota {0}", "The rota changes on Thursday: the cook and the second mate have swapped.", "rota {0}.csv"),
        (
            "Insurance of the Gannet {0}",
            "The surveyor asks for the engine log of the past quarter, and for photographs of the stern.",
            "survey {0}.pdf"
        ),
        ("Ticket refunds {0}", "Forty tickets of the cancelled sailing are refunded; the list is below. Nothing is left over.", null),
    ];

    /// <summary>Writes the mailbox as it is on a day.</summary>
    /// <param name="office">The office's folder.</param>
    /// <param name="day">From the first message on.</param>
    public static void Write(string office, DateOnly day)
    {
        var post = Directory.CreateDirectory(Path.Combine(office, "Post")).FullName;
        var text = new StringBuilder();
        for (var (sent, number) = (First, 0); sent <= day; (sent, number) = (sent.AddDays(DaysApart), number + 1))
        {
            if (day < Cleared || sent >= ClearedUntil)
                text.Append(Message(sent, number));
        }
        File.WriteAllText(Path.Combine(post, "harbour.mbox"), text.ToString());
    }

    private static string Message(DateOnly sent, int number)
    {
        var random = new Random(number * 31);
        var from = People[random.Next(People.Length)];
        var to = People[(Array.IndexOf(People, from) + 1 + random.Next(People.Length - 1)) % People.Length];
        var (subject, text, paper) = Matters[random.Next(Matters.Length)];
        var at = new DateTimeOffset(sent.ToDateTime(new TimeOnly(7 + random.Next(10), random.Next(60))), TimeSpan.Zero);
        string Say(string shape) => string.Format(CultureInfo.InvariantCulture, shape, number);
        var mail = new StringBuilder()
            .Append(CultureInfo.InvariantCulture, $"From office@brackwater.example {at.UtcDateTime:ddd MMM d HH:mm:ss yyyy}\n")
            .Append(CultureInfo.InvariantCulture, $"From: {from}\nTo: {to}\nSubject: {Say(subject)}\nDate: {at:R}\n")
            .Append(CultureInfo.InvariantCulture, $"Message-ID: <{number}.{sent:yyyyMMdd}@brackwater.example>\nMIME-Version: 1.0\n");
        if (paper is null)
            return mail.Append(CultureInfo.InvariantCulture, $"Content-Type: text/plain; charset=utf-8\n\n{Say(text)}\n\n").ToString();
        var content = new byte[600 + random.Next(3000)];
        random.NextBytes(content);
        return mail.Append(CultureInfo.InvariantCulture, $"Content-Type: multipart/mixed; boundary=\"quay-{number}\"\n\n--quay-{number}\n")
            .Append(CultureInfo.InvariantCulture, $"Content-Type: text/plain; charset=utf-8\n\n{Say(text)}\n--quay-{number}\n")
            .Append("Content-Type: application/octet-stream\nContent-Transfer-Encoding: base64\n")
            .Append(CultureInfo.InvariantCulture, $"Content-Disposition: attachment; filename=\"{Say(paper)}\"\n\n")
            .Append(Convert.ToBase64String(content, Base64FormattingOptions.InsertLineBreaks).ReplaceLineEndings("\n"))
            .Append(CultureInfo.InvariantCulture, $"\n--quay-{number}--\n\n")
            .ToString();
    }
}
