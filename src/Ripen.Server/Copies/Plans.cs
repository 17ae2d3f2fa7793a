using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Server.Http;

namespace Ripen.Server.Copies;

/// <summary>Changes of several buckets: checked against the estate's version, and stored together.</summary>
internal static class Plans
{
    public static ProblemHttpResult? Refusal(EstateView? view, HttpRequest request)
    {
        if (view is null) return Problems.NoEstate();
        if (!request.HasIfMatch()) return Problems.NoIfMatch();
        return request.Matches(view.Version) ? null : Problems.Stale("The estate");
    }

    /// <summary>Null when it was stored.</summary>
    public static async Task<ProblemHttpResult?> Store(EstateView view, Checked<Estate> after, string kind, EstateStore store, CancellationToken cancel)
    {
        if (!after.Ok) return Refused(after.Problems);
        var before = view.Project(Consequences.Months);
        await store.ChangeTogether(view.Estate, after.Value, kind, view.Version, bucket => Consequences.CostOf(before, after.Value, bucket), cancel);
        return null;
    }

    /// <summary>What is wrong with a request's body is bad input; what is wrong with the estate for it is a conflict.</summary>
    public static ProblemHttpResult Refused(IReadOnlyList<Problem> problems) =>
        problems is [{ Path: "$" } one] ? Problems.Conflict(one.Code, one.Message) : Problems.Invalid(problems);
}
