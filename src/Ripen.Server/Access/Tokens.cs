using System.Text.Json.Serialization;
using Ripen.Provider;
using Ripen.Server.Objects;

namespace Ripen.Server.Access;

/// <summary>What a key and its secret are exchanged for (RFC 6749, section 5.1).</summary>
public sealed record TokenAnswer(
    [property: JsonPropertyName("access_token")] string AccessToken,
    [property: JsonPropertyName("token_type")] string TokenType,
    [property: JsonPropertyName("expires_in")] long ExpiresIn
);

/// <summary>Why not (RFC 6749, section 5.2).</summary>
public sealed record TokenError(string Error, [property: JsonPropertyName("error_description")] string ErrorDescription);

/// <summary>The client credentials grant of OAuth 2.0 (RFC 6749, section 4.4) for a bucket's keys. Its seconds are the provider's.</summary>
internal static class Tokens
{
    public const string Address = "/token";

    public static void MapTokens(this WebApplication app) => app.MapPost(Address, Issue).DisableAntiforgery().ExcludeFromDescription();

    private static async Task<IResult> Issue(HttpRequest request, SimulatedProvider provider, CancellationToken cancel)
    {
        var grant = request.HasFormContentType ? (await request.ReadFormAsync(cancel))["grant_type"].ToString() : "";
        if (grant != "client_credentials")
            return Refused("unsupported_grant_type", "Send grant_type=client_credentials as a form.", StatusCodes.Status400BadRequest);
        var who = PlainObjects.Credentials(request);
        if (who.KeyId is null)
            return Refused(
                "invalid_client",
                "Send the key and its secret by HTTP basic authentication.",
                StatusCodes.Status401Unauthorized
            );
        try
        {
            var token = provider.Access.Token(who.KeyId, who.Secret ?? "");
            return Results.Json(new TokenAnswer(token.Token, "Bearer", (long)(token.Ends - token.Made).TotalSeconds));
        }
        catch (RefusalException refusal) when (refusal.Kind is RefusalKind.Unauthorized or RefusalKind.Forbidden)
        {
            return Refused("invalid_client", refusal.Message, StatusCodes.Status401Unauthorized);
        }

        IResult Refused(string error, string description, int status)
        {
            if (status == StatusCodes.Status401Unauthorized)
                request.HttpContext.Response.Headers.WWWAuthenticate = "Basic realm=\"ripen\"";
            return Results.Json(new TokenError(error, description), statusCode: status);
        }
    }
}
