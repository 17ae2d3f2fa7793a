using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider;

namespace Ripen.Server.Demo;

/// <summary>What the demo's provider wrote before Christmas: two days on which prices change, one of which has come.</summary>
internal static class DemoPrices
{
    public static Task<bool> Announce(DemoHands hands, CancellationToken cancel) =>
        hands.Current.Change(
            async view =>
            {
                var before = view!.Estate.PriceBook;
                if (before.Changes.Count > 0 || before.Earlier.Count > 0)
                    return true;
                var winter = new PriceChange { From = new DateOnly(2027, 1, 11), Regions = [Dearer("aldmouth", "counter", 1.02)] };
                var summer = new PriceChange
                {
                    From = new DateOnly(2027, 7, 15),
                    Regions = [Dearer("aldmouth", "cellar", 1.06), Dearer("kestrel-sound", "counter", 0.94)],
                    Transfers =
                    [
                        new TransferPrice
                        {
                            From = "aldmouth",
                            To = "kestrel-sound",
                            Price = new UnitPrice(0.0198),
                        },
                    ],
                };
                var after = before with { Changes = [winter, summer] };
                var estate = view.Estate with { PriceBook = after };
                var shown = Consequences.CostOf(view.Project(Consequences.Months), estate, bucket: "");
                await hands.Current.Apply(
                    new PlannedChange(estate),
                    () => hands.Store.ChangePrices(before, after, view.Version, shown, cancel: cancel)
                );
                return true;

                RegionPrices Dearer(string region, string tier, double by)
                {
                    var price = before.FindRegion(region)!.PriceOf(tier)!;
                    return new()
                    {
                        Id = region,
                        Prices =
                        [
                            price with
                            {
                                Storage =
                                [
                                    .. price.Storage.Select(b => b with { Price = new UnitPrice(Math.Round(b.Price.PerUnit * by, 4)) }),
                                ],
                            },
                        ],
                    };
                }
            },
            cancel
        );
}
