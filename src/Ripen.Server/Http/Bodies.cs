namespace Ripen.Server.Http;

internal static class Bodies
{
    /// <summary>The body as text, for the estate document's own strict reader.</summary>
    public static async Task<string> ReadText(this HttpRequest request, CancellationToken cancel)
    {
        using var reader = new StreamReader(request.Body);
        return await reader.ReadToEndAsync(cancel);
    }
}
