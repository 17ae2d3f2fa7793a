using System.Collections.Concurrent;
using System.Security.Cryptography;
using Ripen.Core;

namespace Ripen.Provider.Sealing;

/// <summary>A key that wraps the data keys of contents, as the index knows it: never the secret, only what tells whether it is the right
/// one.</summary>
/// <param name="Id">The index's number.</param>
/// <param name="Name">Random; its file's name.</param>
/// <param name="Fingerprint">The secret's SHA-256.</param>
/// <param name="IsWithdrawn">Whether its owner has taken it away.</param>
internal sealed record SealingKey(long Id, string Name, byte[] Fingerprint, bool IsWithdrawn);

/// <summary>The secrets of sealing keys, one file each, apart from index and contents: whoever has only those can read nothing.</summary>
internal sealed class KeyChest
{
    private const int SecretBytes = 32;

    private const UnixFileMode OwnerOnly = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;

    private readonly string folder;
    private readonly ConcurrentDictionary<string, (DateTime Written, byte[] Secret)> known = [];

    /// <param name="folder">Made when it is not there, for this user alone.</param>
    public KeyChest(string folder)
    {
        this.folder = folder;
        Directory.CreateDirectory(folder, OwnerOnly);
    }

    public string PathOf(string name) => Path.Combine(folder, $"{name}.key");

    /// <summary>A new secret, on the disk for good when this returns.</summary>
    public (string Name, byte[] Fingerprint) Make()
    {
        var name = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8));
        var secret = RandomNumberGenerator.GetBytes(SecretBytes);
        var options = new FileStreamOptions
        {
            Mode = FileMode.CreateNew,
            Access = FileAccess.Write,
            UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
        };
        using (var file = new FileStream(PathOf(name), options))
        {
            file.Write(Convert.ToHexStringLower(secret).Select(c => (byte)c).Append((byte)'\n').ToArray());
            file.Flush(flushToDisk: true);
        }
        Durable.Folder(folder);
        return (name, SHA256.HashData(secret));
    }

    /// <summary>Whether the key's file is there and is the right one.</summary>
    public bool Has(SealingKey key) => Find(key) is not null;

    /// <exception cref="RefusalException">The key is withdrawn (<c>key-withdrawn</c>), or its file is gone or another one
    /// (<c>key-lost</c>).</exception>
    public byte[] Secret(SealingKey key)
    {
        if (key.IsWithdrawn)
            throw new RefusalException(
                RefusalKind.Conflict,
                "key-withdrawn",
                $"The key {key.Name} under which this is encrypted is withdrawn: nothing under it can be read, written or copied until it is given back."
            );
        return Find(key)
            ?? throw new RefusalException(
                RefusalKind.Unavailable,
                "key-lost",
                $"The key {key.Name} under which this is encrypted is lost: its file {PathOf(key.Name)} is not there, or is not that key. Put "
                    + "it back from your copy; without it nobody can read this."
            );
    }

    /// <summary>Puts a secret aside that nothing is wrapped by: an index that is put back from a copy may still need it.</summary>
    public void PutAside(string name)
    {
        if (!File.Exists(PathOf(name)))
            return;
        Directory.CreateDirectory(Path.GetDirectoryName(FormerPathOf(name))!, OwnerOnly);
        File.Move(PathOf(name), FormerPathOf(name), overwrite: true);
        known.TryRemove(name, out _);
    }

    private string FormerPathOf(string name) => Path.Combine(folder, "former", $"{name}.key");

    private byte[]? Find(SealingKey key)
    {
        var file = new FileInfo(PathOf(key.Name));
        if (!file.Exists)
            file = new FileInfo(FormerPathOf(key.Name));
        if (!file.Exists)
            return null;
        if (known.TryGetValue(key.Name, out var same) && same.Written == file.LastWriteTimeUtc)
            return same.Secret;
        try
        {
            var secret = Convert.FromHexString(File.ReadAllText(file.FullName).Trim());
            if (!SHA256.HashData(secret).AsSpan().SequenceEqual(key.Fingerprint))
                return null;
            known[key.Name] = (file.LastWriteTimeUtc, secret);
            return secret;
        }
        catch (Exception unreadable) when (unreadable is FormatException or IOException or UnauthorizedAccessException)
        {
            return null;
        }
    }
}
