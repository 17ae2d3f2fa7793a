namespace Ripen.Server.Http;

/// <summary>Answers for a whole group while there is no estate, and brings the provider up to the stored plan before its operations look
/// at it.</summary>
internal static class WhereEstateIs
{
    public static RouteGroupBuilder RequireEstate(this RouteGroupBuilder group) =>
        group.AddEndpointFilter(
            static async (context, next) =>
            {
                var current = context.HttpContext.RequestServices.GetRequiredService<CurrentEstate>();
                return await current.Get(context.HttpContext.RequestAborted) is null ? Problems.NoEstate() : await next(context);
            }
        );
}
