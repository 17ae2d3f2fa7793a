using Ripen.Core;
using Ripen.Core.Pricing;

namespace Ripen.Server.Http;

/// <summary>Money of one currency is never added to, or taken from, money of another.</summary>
internal static class Currencies
{
    /// <summary>Whether money of a currency may stand beside the price book's; it may where nobody kept its currency.</summary>
    public static bool Agree(string currency, PriceBook prices) => currency.Length == 0 || currency == prices.Currency;

    /// <exception cref="RefusalException">The price book is in another currency.</exception>
    public static void Demand(string currency, PriceBook prices, string what)
    {
        if (!Agree(currency, prices))
            throw new RefusalException(
                RefusalKind.Conflict,
                "other-currency",
                $"This {what} is in {currency}, and the price book is in {prices.Currency} now: currencies are not mixed."
            );
    }
}
