using Ripen.Core.Pricing;
using Ripen.Provider;

namespace Ripen.Server.Demo;

/// <summary>What others would take for the demo's storage: one in its own currency, and one in another.</summary>
internal static class DemoOffers
{
    private const double KroneInAEuro = 11.6;

    public static Task<bool> Receive(DemoHands hands, CancellationToken cancel) =>
        hands.Current.Change(
            async view =>
            {
                var estate = view!.Estate;
                var prices = estate.PriceBook with { Agreements = new(), Changes = [], Earlier = [] };
                Offer[] received =
                [
                    new()
                    {
                        Id = "harbour-flat",
                        Name = "Harbour co-operative, flat",
                        Prices = Flat(prices),
                    },
                    new()
                    {
                        Id = "across-the-water",
                        Name = "From across the water",
                        Prices = InKrone(prices),
                    },
                ];
                if (estate.Offers.Count == 0)
                    await hands.Current.Apply(
                        new PlannedChange(estate with { Offers = received }),
                        () => hands.Backups.ChangeOffers(estate.Offers, received, view.Version, cancel)
                    );
                return true;
            },
            cancel
        );

    /// <summary>No bands and no requests, and twice as much to have something back; in all places but one's own.</summary>
    private static PriceBook Flat(PriceBook prices) =>
        prices with
        {
            Regions = [.. prices.Regions.Select(r => r.OperatedBy == Operator.Own ? r : r with { Prices = [.. r.Prices.Select(Flat)] })],
        };

    private static TierPrice Flat(TierPrice price) =>
        price with
        {
            Storage = [new StorageBand { Price = new UnitPrice(Math.Round(price.Storage[0].Price.PerUnit * 1.03, 4)) }],
            Writes = default,
            Reads = default,
            MovesIn = default,
            Watching = default,
            Recall = new UnitPrice(Math.Round(price.Recall.PerUnit * 2, 4)),
        };

    private static PriceBook InKrone(PriceBook prices) =>
        prices with
        {
            Currency = "NOK",
            Regions =
            [
                .. prices.Regions.Select(r =>
                    r with
                    {
                        Prices = [.. r.Prices.Select(InKrone)],
                        TransferOut = [.. r.TransferOut.Select(InKrone)],
                        Devices = [.. r.Devices.Select(d => d with { Price = Krone(d.Price) })],
                    }
                ),
            ],
            Transfers = [.. prices.Transfers.Select(t => t with { Price = InKrone(t.Price) })],
        };

    private static TierPrice InKrone(TierPrice price) =>
        price with
        {
            Storage = [.. price.Storage.Select(InKrone)],
            Writes = InKrone(price.Writes),
            Reads = InKrone(price.Reads),
            MovesIn = InKrone(price.MovesIn),
            Watching = InKrone(price.Watching),
            Recall = InKrone(price.Recall),
            RecallRequests = InKrone(price.RecallRequests),
            RecallSpeeds =
            [
                .. price.RecallSpeeds.Select(s => s with { Recall = InKrone(s.Recall), RecallRequests = InKrone(s.RecallRequests) }),
            ],
        };

    private static StorageBand InKrone(StorageBand band) => band with { Price = InKrone(band.Price) };

    private static UnitPrice InKrone(UnitPrice price) => new(Krone(price.PerUnit));

    private static PricePerThousand InKrone(PricePerThousand price) => new(Krone(price.PerThousand));

    private static double Krone(double euro) => Math.Round(euro * KroneInAEuro, 4);
}
