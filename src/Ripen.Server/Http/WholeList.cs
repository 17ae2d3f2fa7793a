using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Provider;

namespace Ripen.Server.Http;

/// <summary>A list of the estate that is read and written whole, under the estate's ETag.</summary>
internal static class WholeList
{
    public static async Task<Results<Ok<T>, ProblemHttpResult>> Read<T>(
        CurrentEstate current,
        HttpResponse response,
        Func<Estate, T> of,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is not { } view)
            return Problems.NoEstate();
        response.SetVersion(view.Version);
        return TypedResults.Ok(of(view.Estate));
    }

    /// <param name="request">With the list, as the document has it.</param>
    /// <param name="current">To be changed.</param>
    /// <param name="read">The list, or what is wrong with it.</param>
    /// <param name="with">The estate with it.</param>
    /// <param name="store">Keeps it.</param>
    /// <param name="cancel">Ends it early.</param>
    public static async Task<Results<NoContent, ProblemHttpResult>> Put<T>(
        HttpRequest request,
        CurrentEstate current,
        Func<string, Estate, Checked<T>> read,
        Func<Estate, T, Estate> with,
        Func<EstateView, T, Task> store,
        CancellationToken cancel
    )
        where T : class
    {
        var json = await request.ReadText(cancel);
        return await Replication.Plans.Change(
            current,
            request,
            async view =>
            {
                var list = read(json, view.Estate);
                if (!list.Ok)
                    return Problems.Invalid(list.Problems);
                await current.Apply(new PlannedChange(with(view.Estate, list.Value)), () => store(view, list.Value));
                return null;
            },
            cancel
        );
    }
}
