using System.ComponentModel;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Core.Estates;
using Ripen.Provider;
using Ripen.Provider.Retention;
using Ripen.Server.Objects;

namespace Ripen.Server.Retention;

/// <summary>The retention that one object is to have of its own; without a day and days it is lifted.</summary>
/// <param name="Until">The first day on which it may go.</param>
/// <param name="Days">From its creation, instead of a day: 1 to 36,500.</param>
/// <param name="Strength">Sealed can be lengthened and nothing else.</param>
/// <param name="By">Who answers for it; needed for less than before.</param>
/// <param name="Reason">Needed for less than before; the log keeps it.</param>
public sealed record ObjectKeepRequest(
    DateOnly? Until = null,
    int? Days = null,
    KeepStrength Strength = KeepStrength.Liftable,
    string? By = null,
    string? Reason = null
);

internal static class ObjectKeepEndpoints
{
    private const int MostDays = 36_500;
    private const int LongestText = 500;
    private const string VersionWords = "The number of the version; left out: the current one.";

    public static void MapObjectKeeping(this RouteGroupBuilder api)
    {
        var kept = api.MapGroup("/buckets/{name}").WithTags("Retention").ForKnownBucket();
        kept.MapPost("/kept-drafts/{**key}", Foresee)
            .WithName("readObjectKeep")
            .WithSummary("What retention of its own would do to an object, and cost. Nothing is done.");
        kept.MapPut("/kept/{**key}", Set)
            .WithName("keepObject")
            .WithSummary("Gives an object retention of its own, lengthens it, or lifts what is not sealed.");
    }

    private static Ok<ObjectKeep> Foresee(
        string name,
        string key,
        ObjectKeepRequest request,
        SimulatedProvider provider,
        [Description(VersionWords)] long? version = null
    ) => TypedResults.Ok(provider.ObjectRetention.Foresee(Order(name, key, version, request)));

    private static Ok<ObjectKeep> Set(
        string name,
        string key,
        ObjectKeepRequest request,
        SimulatedProvider provider,
        [Description(VersionWords)] long? version = null
    ) => TypedResults.Ok(provider.ObjectRetention.Set(Order(name, key, version, request)));

    private static ObjectKeepOrder Order(string bucket, string key, long? version, ObjectKeepRequest request)
    {
        if (request.Days is < 1 or > MostDays)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", $"Say 1 to {MostDays} days.", "$.days");
        Short(request.By, "$.by");
        Short(request.Reason, "$.reason");
        return new(bucket, key, version, request.Until, request.Days, request.Strength, request.By, request.Reason);
    }

    private static void Short(string? text, string path)
    {
        if (text?.Length > LongestText)
            throw new RefusalException(RefusalKind.Invalid, "out-of-range", $"At most {LongestText} characters.", path);
    }
}
