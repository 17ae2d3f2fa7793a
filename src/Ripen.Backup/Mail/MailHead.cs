using MimeKit;

namespace Ripen.Backup.Mail;

/// <summary>What a message says of itself, and where it lies in its mailbox.</summary>
/// <param name="At">Where it begins, bytes; 0 for a file of its own.</param>
/// <param name="End">Where the next one begins, or the mailbox ends.</param>
/// <param name="Bytes">Of the message.</param>
/// <param name="From">Names and addresses.</param>
/// <param name="To">All who got it: to, copied, and blind.</param>
/// <param name="Subject">Decoded.</param>
/// <param name="Date">As the sender says; null for none that can be understood.</param>
/// <param name="Attachments">Their names.</param>
/// <param name="Digest">Of its bytes: the same message is the same wherever it lies.</param>
public sealed record MailHead(
    long At,
    long End,
    long Bytes,
    string From,
    string To,
    string Subject,
    DateTimeOffset? Date,
    IReadOnlyList<string> Attachments,
    string Digest
)
{
    /// <summary>What cannot be understood of a message is empty; none is left out for it.</summary>
    internal static MailHead Of(long at, long end, byte[] message)
    {
        var digest = Convert.ToHexStringLower(System.Security.Cryptography.SHA256.HashData(message));
        try
        {
            using var mail = MimeMessage.Load(new MemoryStream(message));
            return new MailHead(
                at,
                end,
                message.Length,
                MailText.People(mail.From),
                MailText.People([.. mail.To, .. mail.Cc, .. mail.Bcc]),
                mail.Subject ?? "",
                MailText.DateOf(mail),
                [.. MailText.NamesOf(mail)],
                digest
            );
        }
        catch (FormatException)
        {
            return new MailHead(at, end, message.Length, "", "", "", null, [], digest);
        }
    }
}
