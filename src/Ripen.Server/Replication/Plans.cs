using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server.Buckets;
using Ripen.Server.Http;

namespace Ripen.Server.Replication;

/// <summary>The mark of the figures that were shown, which are those of this bucket and the estate.</summary>
internal readonly record struct ShownCost(string Bucket, string Mark);

/// <summary>Changes of several buckets: checked against the estate's version, and stored together.</summary>
internal static class Plans
{
    public static ProblemHttpResult? Refusal(EstateView? view, HttpRequest request)
    {
        if (view is null)
            return Problems.NoEstate();
        if (!request.HasIfMatch())
            return Problems.NoIfMatch();
        return request.Matches(view.Version) ? null : Problems.Stale("The estate");
    }

    /// <summary>Runs a change on the newest estate that the request has looked at; null from it when it was done.</summary>
    public static async Task<Results<NoContent, ProblemHttpResult>> Change(
        CurrentEstate current,
        HttpRequest request,
        Func<EstateView, Task<ProblemHttpResult?>> change,
        CancellationToken cancel
    ) =>
        await current.Change(async view => Refusal(view, request) ?? await change(view!), cancel) is { } refused
            ? refused
            : TypedResults.NoContent();

    /// <summary>Null when it was stored.</summary>
    /// <param name="current">Through which it goes.</param>
    /// <param name="view">The estate that was looked at.</param>
    /// <param name="after">As it is to be, or what is wrong.</param>
    /// <param name="kind">What the log calls it.</param>
    /// <param name="store">Where it goes.</param>
    /// <param name="cancel">Stops; nothing is stored.</param>
    /// <param name="shown">What the person saw that it would cost, if a mark of it was sent: other figures by now refuse the change.</param>
    /// <param name="last">A last look, when buckets that go take nothing in any more; throws when it may not be after all.</param>
    public static async Task<ProblemHttpResult?> Store(
        CurrentEstate current,
        EstateView view,
        Checked<Estate> after,
        string kind,
        EstateStore store,
        CancellationToken cancel,
        ShownCost? shown = null,
        Action? last = null
    )
    {
        if (!after.Ok)
            return Refused(after.Problems);
        var before = view.Project(Consequences.Months);
        if (shown is { } cost && Seen.Refusal(cost.Mark, Consequences.CostOf(before, after.Value, cost.Bucket)) is { } otherwise)
            return otherwise;
        await current.Apply(
            new PlannedChange(after.Value),
            () =>
            {
                last?.Invoke();
                return store.ChangeTogether(
                    view.Estate,
                    after.Value,
                    kind,
                    view.Version,
                    bucket => Consequences.CostOf(before, after.Value, bucket),
                    cancel
                );
            }
        );
        return null;
    }

    /// <summary>What is wrong with a request's body is bad input; what is wrong with the estate for it is a conflict.</summary>
    public static ProblemHttpResult Refused(IReadOnlyList<Problem> problems) =>
        problems is [{ Path: "$" } one] ? Problems.Conflict(one.Code, one.Message) : Problems.Invalid(problems);
}
