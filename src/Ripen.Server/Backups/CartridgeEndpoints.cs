using System.Text.Json.Serialization;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.AspNetCore.Http.HttpResults;
using Ripen.Backup.Cartridges;
using Ripen.Core.Backups;
using Ripen.Core.Pricing;
using Ripen.Provider;
using Ripen.Provider.Objects;
using Ripen.Server.Http;

namespace Ripen.Server.Backups;

/// <summary>Cartridges and drives as they stand.</summary>
/// <param name="Made">When.</param>
/// <param name="CartridgeBytes">That each holds.</param>
/// <param name="Slots">How many cartridges there is room for, those put away not counted.</param>
/// <param name="Encrypts">Whether a passphrase is needed.</param>
/// <param name="CanOpen">Whether this server knows it.</param>
/// <param name="Cartridges">By number; empty while it cannot be opened.</param>
/// <param name="Drives">By number.</param>
public sealed record LibraryReading(
    DateTimeOffset Made,
    long CartridgeBytes,
    int Slots,
    bool Encrypts,
    bool CanOpen,
    IReadOnlyList<CartridgeReading> Cartridges,
    IReadOnlyList<DriveReading> Drives
);

/// <summary>A cartridge as lists show it.</summary>
/// <param name="Label">What is written on it.</param>
/// <param name="Files">On it.</param>
/// <param name="Bytes">Of them.</param>
/// <param name="Drive">In which it is; null for none.</param>
/// <param name="Tier">The coldest in which something of it rests; null for a blank one.</param>
/// <param name="ReadyFrom">The provider's instant from which a recalled one can be read; null when it has not to wait.</param>
/// <param name="IsAway">Whether it must be brought back before it is read.</param>
public sealed record CartridgeReading(
    CartridgeLabel Label,
    IReadOnlyList<CartridgeFile> Files,
    long Bytes,
    int? Drive,
    string? Tier,
    DateTimeOffset? ReadyFrom,
    bool IsAway
);

/// <summary>A drive, and the path of its pipe.</summary>
public sealed record DriveReading(int Number, string Path, DriveStatus Status);

/// <summary>What a cartridge is put into a drive for.</summary>
public sealed record LoadOrder(int Cartridge, DriveUse Use);

/// <summary>What a label is to say.</summary>
public sealed record LabelOrder(bool Protected, DateOnly? KeepUntil);

/// <summary>The tier in which a cartridge is to rest.</summary>
public sealed record RestOrder([property: JsonRequired] string Tier);

internal static class CartridgeEndpoints
{
    public static void MapCartridges(this RouteGroupBuilder targets)
    {
        var target = targets.MapGroup("/{id}");
        target.MapPost("/library", Make).WithName("makeLibrary").WithSummary("Makes the target's library of cartridges.");
        target.MapGet("/library", Read).WithName("readLibrary").WithSummary("The target's cartridges and drives as they stand.");
        target.MapPost("/cartridges", Add).WithName("addCartridge").WithSummary("Adds a blank cartridge of the next number.");
        target
            .MapPut("/cartridges/{number:int}", Label)
            .WithName("labelCartridge")
            .WithSummary("Protects a cartridge or not, and keeps it for longer; never for less.");
        target
            .MapDelete("/cartridges/{number:int}/content", Erase)
            .WithName("eraseCartridge")
            .WithSummary("Begins a cartridge anew: what is on it is gone.");
        target
            .MapGet("/cartridges/{number:int}/content", SendArchive)
            .WithName("readCartridge")
            .WithSummary("Everything on a cartridge, as one POSIX tar archive.")
            .Produces<byte[]>(contentType: "application/x-tar");
        target
            .MapGet("/cartridges/{number:int}/files/{file:int}", SendFile)
            .WithName("readCartridgeFile")
            .WithSummary("One file of a cartridge as it was written.")
            .Produces<byte[]>(contentType: "application/octet-stream");
        target
            .MapPost("/cartridges/{number:int}/rest-draft", Foresee)
            .WithName("readRestDraft")
            .WithSummary("What it costs and takes to move a cartridge to a tier.");
        target
            .MapPost("/cartridges/{number:int}/rest", Rest)
            .WithName("moveCartridge")
            .WithSummary("Puts a cartridge away into a tier, or brings it back.");
        target.MapPut("/drives/{drive:int}", Load).WithName("loadDrive").WithSummary("Puts a cartridge into a drive.");
        target.MapDelete("/drives/{drive:int}", Unload).WithName("unloadDrive").WithSummary("Takes the cartridge out of a drive.");
        target
            .MapPost("/drives/{drive:int}/content", Write)
            .WithName("writeDrive")
            .WithSummary("Writes the body as one file onto the cartridge in a drive, as a program would through its pipe.")
            .TakesBytes();
    }

    private static async Task<NoContent> Make(
        string id,
        PassphraseOrder order,
        CurrentEstate current,
        Cartridges cartridges,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        await cartridges.Make(target, order.Passphrase, cancel);
        return TypedResults.NoContent();
    }

    private static async Task<Ok<LibraryReading>> Read(string id, CurrentEstate current, Cartridges cartridges, CancellationToken cancel)
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        var (description, canOpen) = await cartridges.Look(target, cancel);
        var read = new List<CartridgeReading>();
        var drives = new List<DriveReading>();
        if (canOpen)
        {
            var shelf = await cartridges.Open(target, cancel);
            foreach (var cartridge in await shelf.All(cancel))
                read.Add(Reading(target, cartridge, cartridges, view.Estate.PriceBook));
            for (var drive = 1; drive <= target.Library!.Drives; drive++)
            {
                var known = await cartridges.DriveOf(target, drive, cancel);
                drives.Add(new DriveReading(drive, known.Path, known.Status));
            }
        }
        return TypedResults.Ok(
            new LibraryReading(
                description.Made,
                description.CartridgeBytes,
                target.Library!.Slots,
                description.Encrypts,
                canOpen,
                read,
                drives
            )
        );
    }

    private static CartridgeReading Reading(BackupTarget target, Cartridge cartridge, Cartridges cartridges, PriceBook prices)
    {
        var number = cartridge.Label.Number;
        var (tier, ready) = cartridges.Rest(target, number, prices);
        return new CartridgeReading(
            cartridge.Label,
            cartridge.Files,
            cartridge.Bytes,
            cartridges.DriveWith(target.Id, number),
            tier?.Id,
            ready,
            tier?.WaitHours > 0
        );
    }

    private static async Task<Ok<CartridgeLabel>> Add(string id, CurrentEstate current, Cartridges cartridges, CancellationToken cancel)
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        var shelf = await cartridges.Open(target, cancel);
        var here = (await shelf.All(cancel)).Count(c => !Reading(target, c, cartridges, view.Estate.PriceBook).IsAway);
        if (here >= target.Library!.Slots)
            throw new RefusalException(
                RefusalKind.Conflict,
                "no-slot",
                $"All {target.Library.Slots} slots are taken: put a cartridge away, erase one and use it again, or give the target more slots."
            );
        return TypedResults.Ok(await shelf.Add(cancel));
    }

    private static async Task<Ok<CartridgeLabel>> Label(
        string id,
        int number,
        LabelOrder order,
        CurrentEstate current,
        Cartridges cartridges,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var shelf = await cartridges.Open(target, cancel);
        return TypedResults.Ok(
            await cartridges.OutOfDrives(id, number, () => shelf.Change(number, order.Protected, order.KeepUntil, cancel), cancel)
        );
    }

    private static async Task<Ok<CartridgeLabel>> Erase(
        string id,
        int number,
        CurrentEstate current,
        Cartridges cartridges,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var shelf = await cartridges.Open(target, cancel);
        return TypedResults.Ok(await cartridges.OutOfDrives(id, number, () => shelf.Erase(number, provider.Clock.Today, cancel), cancel));
    }

    private static async Task SendArchive(
        string id,
        int number,
        CurrentEstate current,
        Cartridges cartridges,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var shelf = await cartridges.Open(target, cancel);
        await shelf.Find(number, cancel);
        Download(response, $"{id} {number:D6}.tar", "application/x-tar");
        await shelf.SendArchive(number, response.Body, cancel);
    }

    private static async Task SendFile(
        string id,
        int number,
        int file,
        CurrentEstate current,
        Cartridges cartridges,
        HttpResponse response,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        var shelf = await cartridges.Open(target, cancel);
        Download(response, $"{id} {number:D6} {file:D4}", "application/octet-stream");
        await shelf.Send(number, file, response.Body, cancel);
    }

    private static async Task<Ok<TierMove>> Foresee(
        string id,
        int number,
        RestOrder order,
        CurrentEstate current,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        return TypedResults.Ok(
            provider.Objects.ForeseeMove(target.Bucket!, target.Prefix + CartridgeShelf.DataOf(number), wholePrefix: true, order.Tier)
        );
    }

    private static async Task<Ok<TierMove>> Rest(
        string id,
        int number,
        RestOrder order,
        CurrentEstate current,
        Cartridges cartridges,
        SimulatedProvider provider,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        await (await cartridges.Open(target, cancel)).Find(number, cancel);
        return TypedResults.Ok(await cartridges.OutOfDrives(id, number, () => Task.FromResult(Move()), cancel));

        TierMove Move() =>
            provider.Objects.Move(target.Bucket!, target.Prefix + CartridgeShelf.DataOf(number), wholePrefix: true, order.Tier);
    }

    private static async Task<Ok<DriveReading>> Load(
        string id,
        int drive,
        LoadOrder order,
        CurrentEstate current,
        Cartridges cartridges,
        CancellationToken cancel
    )
    {
        var (view, target) = await TargetEndpoints.Find(current, id, cancel);
        var known = await cartridges.DriveOf(target, drive, cancel);
        await cartridges.OutOfDrives(id, order.Cartridge, Into, cancel);
        return TypedResults.Ok(new DriveReading(drive, known.Path, known.Status));

        async Task<DriveStatus> Into()
        {
            var cartridge = Reading(
                target,
                await (await cartridges.Open(target, cancel)).Find(order.Cartridge, cancel),
                cartridges,
                view.Estate.PriceBook
            );
            if (cartridge.IsAway)
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "put-away",
                    $"Cartridge {order.Cartridge} rests in '{cartridge.Tier}': bring it back first.",
                    "$.cartridge"
                );
            if (cartridge.ReadyFrom is { } from)
                throw new RefusalException(
                    RefusalKind.Conflict,
                    "recall-under-way",
                    $"Cartridge {order.Cartridge} is on its way back: it can be read from {from:yyyy-MM-dd HH:mm} of the provider's clock on.",
                    "$.cartridge"
                );
            await known.Load(order.Cartridge, order.Use, cancel);
            return known.Status;
        }
    }

    private static async Task<NoContent> Unload(
        string id,
        int drive,
        CurrentEstate current,
        Cartridges cartridges,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        await (await cartridges.DriveOf(target, drive, cancel)).Unload();
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<CartridgeFile>, NoContent>> Write(
        string id,
        int drive,
        HttpRequest request,
        CurrentEstate current,
        Cartridges cartridges,
        CancellationToken cancel
    )
    {
        var (_, target) = await TargetEndpoints.Find(current, id, cancel);
        if (request.HttpContext.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } size)
            size.MaxRequestBodySize = null;
        var written = await (await cartridges.DriveOf(target, drive, cancel)).Write(request.Body, cancel);
        return written is null ? TypedResults.NoContent() : TypedResults.Ok(written);
    }

    private static void Download(HttpResponse response, string name, string type)
    {
        response.ContentType = type;
        response.Headers.ContentDisposition = $"attachment; filename*=UTF-8''{Uri.EscapeDataString(name)}";
        response.Headers.XContentTypeOptions = "nosniff";
    }
}
