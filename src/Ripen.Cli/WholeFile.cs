namespace Ripen.Cli;

/// <summary>Files that are whole or not there.</summary>
internal static class WholeFile
{
    /// <summary>Writes beside the place, which is taken at the end; what does not come to its end is not left behind as a file that looks
    /// so.</summary>
    public static async Task<T> Write<T>(string name, Func<Stream, Task<T>> write)
    {
        var partial = name + ".part";
        try
        {
            T result;
            await using (var file = File.Create(partial))
                result = await write(file);
            File.Move(partial, name, overwrite: true);
            return result;
        }
        finally
        {
            File.Delete(partial);
        }
    }
}
