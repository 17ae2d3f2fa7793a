using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Advice;
using Ripen.Server.Http;

namespace Ripen.Server.Advice;

internal static class AdviceEndpoints
{
    public static void MapAdvice(this RouteGroupBuilder api) =>
        api.MapPost("/advice", Advise)
            .WithTags("Buckets")
            .WithName("adviseStorage")
            .WithSummary(
                "What kind of storage, tier, region and scheme data needs, with reasons and a filled-in draft. Nothing is stored."
            );

    private static async Task<Results<Ok<StorageAdvice>, ProblemHttpResult>> Advise(
        StorageQuestions asked,
        CurrentEstate current,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        var problems = StorageAdvice.Check(asked, view.Estate.PriceBook);
        return problems.Count > 0 ? Problems.Invalid(problems) : TypedResults.Ok(StorageAdvice.Of(view.Estate, asked));
    }
}
