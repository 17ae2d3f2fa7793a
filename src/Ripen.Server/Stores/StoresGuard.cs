namespace Ripen.Server.Stores;

/// <summary>While the database and the provider's folder are not one truth, whatever is there can be looked at and nothing be changed but
/// that.</summary>
internal sealed class StoresGuard(RequestDelegate next)
{
    public Task Invoke(HttpContext context, CurrentEstate current)
    {
        var request = context.Request;
        var changes = !HttpMethods.IsGet(request.Method) && !HttpMethods.IsHead(request.Method) && !HttpMethods.IsOptions(request.Method);
        if (changes && !request.Path.StartsWithSegments("/api/stores", StringComparison.Ordinal) && !IsQuestion(request.Path.Value ?? ""))
            current.DemandTogether();
        return next(context);
    }

    /// <summary>Whether it is asked what something would do; nothing is stored for it.</summary>
    private static bool IsQuestion(string path) =>
        path.StartsWith("/api/", StringComparison.Ordinal)
        && (
            path.EndsWith("/draft", StringComparison.Ordinal)
            || path.EndsWith("/drafts", StringComparison.Ordinal)
            || path is "/api/advice" or "/api/schemes/comparison"
        );
}
