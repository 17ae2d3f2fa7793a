using Microsoft.Net.Http.Headers;

namespace Ripen.Server.Http;

internal static class FrontEnd
{
    /// <summary>Serves the built front end. Files with a hash in their name may be kept for ever, the page itself is asked for each
    /// time.</summary>
    public static void UseFrontEnd(this WebApplication app)
    {
        app.UseDefaultFiles();
        app.UseStaticFiles(
            new StaticFileOptions
            {
                OnPrepareResponse = context =>
                    context.Context.Response.GetTypedHeaders().CacheControl = context.Context.Request.Path.StartsWithSegments("/assets")
                        ? new CacheControlHeaderValue { Public = true, MaxAge = TimeSpan.FromDays(365) }
                        : new CacheControlHeaderValue { NoCache = true },
            }
        );
    }

    public static void MapHealth(this WebApplication app) =>
        app.MapGet("/health", () => TypedResults.Ok(new Health("ok"))).WithTags("Health").WithSummary("Whether the server answers.");

    public sealed record Health(string Status);
}
