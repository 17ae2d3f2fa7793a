using System.Text;

namespace Ripen.Provider.Objects;

/// <summary>What can be an object's key: any Unicode text of 1 to 1,024 bytes in UTF-8 that stays inside its bucket.</summary>
public static class ObjectKeys
{
    public const int MostBytes = 1024;

    private static readonly UTF8Encoding Strict = new(encoderShouldEmitUTF8Identifier: false, throwOnInvalidBytes: true);

    /// <exception cref="RefusalException">It cannot be a key; the message says why.</exception>
    public static void Check(string key)
    {
        if (Wrong(key) is { } why)
            throw new RefusalException(RefusalKind.Invalid, "invalid-key", why);
    }

    private static string? Wrong(string key)
    {
        if (key.Length == 0)
            return "An object needs a key; write at least one character.";
        int bytes;
        try
        {
            bytes = Strict.GetByteCount(key);
        }
        catch (EncoderFallbackException)
        {
            return "The key is no valid Unicode text; send it as UTF-8.";
        }
        if (bytes > MostBytes)
            return $"The key has {bytes} bytes; {MostBytes} are the most.";
        if (key.Contains('\0', StringComparison.Ordinal))
            return "A key cannot hold the character 0; leave it out.";
        return key.Split('/').Any(part => part is "." or "..")
            ? "A key cannot climb out of its bucket; leave out the parts '.' and '..'."
            : null;
    }

    /// <summary>
    /// The first text after everything that begins with <paramref name="prefix"/>, in the order of UTF-8 bytes; null when nothing comes
    /// after.
    /// </summary>
    public static string? After(string prefix)
    {
        var runes = prefix.EnumerateRunes().ToList();
        for (var i = runes.Count - 1; i >= 0; i--)
        {
            if (runes[i].Value == 0x10FFFF)
                continue;
            // Surrogates are no characters: U+E000 follows U+D7FF.
            var next = new Rune(runes[i].Value == 0xD7FF ? 0xE000 : runes[i].Value + 1);
            return string.Concat(runes.Take(i).Append(next).Select(r => r.ToString()));
        }
        return null;
    }
}
