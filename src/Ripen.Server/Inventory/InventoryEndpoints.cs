using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Provider;
using Ripen.Provider.Inventory;
using Ripen.Server.Http;
using Ripen.Server.Objects;

namespace Ripen.Server.Inventory;

/// <summary>How an inventory is to be read, and whether rows that are broken may be left out.</summary>
public sealed record InventoryOrder
{
    public required ColumnMapping Mapping { get; init; }
    public bool LeaveOutBroken { get; init; }
}

internal static class InventoryEndpoints
{
    public static void MapInventories(this RouteGroupBuilder api)
    {
        api.MapPost("/inventories", Receive)
            .WithTags("Inventory")
            .WithName("sendInventory")
            .WithSummary(
                "Takes a CSV or Parquet list of data that is elsewhere, and shows its columns and first rows. Nothing is imported."
            )
            .TakesBytes();
        api.MapGet("/inventories/{id}/errors.csv", Errors)
            .WithTags("Inventory")
            .WithName("readInventoryErrors")
            .WithSummary("Every broken row of the last reading.")
            .Produces<string>(contentType: "text/csv");
        var bucket = api.MapGroup("/buckets/{name}/inventories/{id}").WithTags("Inventory").ForKnownBucket();
        bucket
            .MapPost("/draft", Check)
            .WithName("readInventoryDraft")
            .WithSummary("Reads the whole inventory with a mapping: what it would come to in this bucket, and which rows are broken.");
        bucket
            .MapPost("", Import)
            .WithName("importInventory")
            .WithSummary("Puts the inventory into the bucket as lots, whole or not at all.");
    }

    private static async Task<Results<Created<InventoryPreview>, ProblemHttpResult>> Receive(
        HttpContext context,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        if (await current.Get(cancel) is null)
            return Problems.NoEstate();
        if (context.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } limit)
            limit.MaxRequestBodySize = null;
        var preview = await provider.Inventories.Receive(context.Request.Body, cancel);
        return TypedResults.Created($"/api/inventories/{preview.Id}", preview);
    }

    private static Results<PhysicalFileHttpResult, ProblemHttpResult> Errors(string id, SimulatedProvider provider) =>
        provider.Inventories.ErrorFile(id) is { } file
            ? TypedResults.PhysicalFile(file, "text/csv", "broken-rows.csv")
            : Problems.NotFound("no-errors", "No broken rows are known: read the inventory with a mapping first.");

    private static async Task<Ok<InventoryReading>> Check(
        string name,
        string id,
        InventoryOrder order,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => TypedResults.Ok(await provider.Inventories.Check(id, name, order.Mapping, cancel));

    private static async Task<Ok<InventoryReading>> Import(
        string name,
        string id,
        InventoryOrder order,
        SimulatedProvider provider,
        CancellationToken cancel
    ) => TypedResults.Ok(await provider.Inventories.Import(id, name, order.Mapping, order.LeaveOutBroken, cancel));
}
