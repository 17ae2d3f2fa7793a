using System.Text;
using MimeKit;
using MimeKit.Text;

namespace Ripen.Backup.Mail;

/// <summary>A part of a message that is a file.</summary>
/// <param name="Name">As the sender called it.</param>
/// <param name="Type">Its media type, as the sender says.</param>
/// <param name="Bytes">Decoded.</param>
public sealed record MailAttachment(string Name, string Type, long Bytes);

/// <summary>A message as it can be read without anything happening: text only, nothing fetched.</summary>
/// <param name="From">Who sent it.</param>
/// <param name="To">To whom.</param>
/// <param name="Cc">Who got a copy.</param>
/// <param name="Subject">Decoded.</param>
/// <param name="Date">As the sender says.</param>
/// <param name="Text">Its body; of one that is HTML only, the text in it.</param>
/// <param name="WasHtml">Whether the text was taken out of HTML.</param>
/// <param name="Attachments">In the message's order.</param>
public sealed record MailText(
    string From,
    string To,
    string Cc,
    string Subject,
    DateTimeOffset? Date,
    string Text,
    bool WasHtml,
    IReadOnlyList<MailAttachment> Attachments
)
{
    private static readonly string[] Hidden = ["script", "style", "head", "title"];
    private static readonly string[] Breaking = ["br", "p", "div", "tr", "li", "h1", "h2", "h3", "h4", "h5", "h6", "blockquote", "table"];

    /// <exception cref="RefusalException">It is no message.</exception>
    public static MailText Of(byte[] message)
    {
        using var mail = Load(message);
        var html = mail.TextBody is null ? mail.HtmlBody : null;
        return new MailText(
            People(mail.From),
            People(mail.To),
            People(mail.Cc),
            mail.Subject ?? "",
            DateOf(mail),
            html is null ? mail.TextBody ?? "" : TextOf(html),
            html is not null,
            [.. Parts(mail).Select(p => About(p, Decoded(p).Length))]
        );
    }

    /// <summary>The decoded content of an attachment.</summary>
    /// <exception cref="RefusalException">There is none of this number, counted from 0.</exception>
    public static (MailAttachment About, byte[] Content) Attachment(byte[] message, int number)
    {
        using var mail = Load(message);
        var parts = Parts(mail).ToList();
        if (number < 0 || number >= parts.Count)
            throw new RefusalException(RefusalKind.NotFound, "no-attachment", "The message has no such attachment.", "$.number");
        var content = Decoded(parts[number]);
        return (About(parts[number], content.Length), content);
    }

    /// <summary>Names and addresses, as people read them.</summary>
    internal static string People(IEnumerable<InternetAddress> addresses) =>
        string.Join(
            ", ",
            new InternetAddressList(addresses).Mailboxes.Select(m => string.IsNullOrEmpty(m.Name) ? m.Address : $"{m.Name} <{m.Address}>")
        );

    /// <summary>As the sender says; null for none that can be understood.</summary>
    internal static DateTimeOffset? DateOf(MimeMessage mail) =>
        mail.Headers.Contains(HeaderId.Date) && mail.Date != default ? mail.Date : null;

    /// <summary>Of the attachments, none of which is decoded for it.</summary>
    internal static IEnumerable<string> NamesOf(MimeMessage mail) => Parts(mail).Select(NameOf);

    private static MimeMessage Load(byte[] message)
    {
        try
        {
            return MimeMessage.Load(new MemoryStream(message));
        }
        catch (FormatException)
        {
            throw new RefusalException(RefusalKind.Invalid, "no-message", "What lies there is no message.", "$.at");
        }
    }

    /// <summary>Attachments, and what is shown inside the text but has a name.</summary>
    private static IEnumerable<MimeEntity> Parts(MimeMessage mail) =>
        mail.BodyParts.Where(p => p is MessagePart || p is MimePart { FileName: not null } || (p is MimePart and not TextPart));

    private static MailAttachment About(MimeEntity part, long bytes) => new(NameOf(part), part.ContentType.MimeType, bytes);

    private static string NameOf(MimeEntity part) =>
        (part as MimePart)?.FileName ?? ((part as MessagePart)?.Message?.Subject is { } subject ? $"{subject}.eml" : "unnamed");

    private static byte[] Decoded(MimeEntity part)
    {
        using var content = new MemoryStream();
        if (part is MessagePart { Message: { } inner })
            inner.WriteTo(content);
        else
            (part as MimePart)?.Content?.DecodeTo(content);
        return content.ToArray();
    }

    /// <summary>The text of an HTML page, with a line's end where it breaks one.</summary>
    private static string TextOf(string html)
    {
        var text = new StringBuilder();
        var hidden = 0;
        var tokens = new HtmlTokenizer(new StringReader(html));
        while (tokens.ReadNextToken(out var token))
        {
            if (token is HtmlTagToken tag)
            {
                if (Hidden.Contains(tag.Name.ToLowerInvariant()) && !tag.IsEmptyElement)
                    hidden = Math.Max(0, hidden + (tag.IsEndTag ? -1 : 1));
                else if (Breaking.Contains(tag.Name.ToLowerInvariant()) && (text.Length == 0 || text[^1] != '\n'))
                    text.Append('\n');
            }
            else if (token is HtmlDataToken data && token.Kind == HtmlTokenKind.Data && hidden == 0)
                text.Append(data.Data);
        }
        return text.ToString().Trim();
    }
}
