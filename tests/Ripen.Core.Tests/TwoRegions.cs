namespace Ripen.Core.Tests;

/// <summary>The smallest price book with a place elsewhere: one tier, the regions near and far, a line between them.</summary>
internal static class TwoRegions
{
    private const string Price =
        """{ "tier": "counter", "storage": [{ "price": 0.02 }], "writes": 0.1, "reads": 0.1, "movesIn": 0, "recallRequests": 0, "recall": 0 }""";

    /// <param name="megabitsPerSecond">Of the line from near to far.</param>
    /// <param name="minimumStayDays">Of the tier.</param>
    public static string PriceBook(double megabitsPerSecond = 1000, int minimumStayDays = 0) =>
        $$"""
            {
              "currency": "EUR", "unit": "GB", "month": "thirty-days",
              "tiers": [{ "id": "counter", "name": "Counter", "minimumStayDays": {{minimumStayDays}}, "minimumObjectBytes": 0, "overheadBytes": 0, "indexBytes": 0, "waitHours": 0 }],
              "schemes": [{ "id": "plain", "name": "Plain", "copies": 3, "spread": "rack", "storageFactor": 1 }],
              "regions": [{ "id": "near", "name": "Near", "prices": [{{Price}}] }, { "id": "far", "name": "Far", "prices": [{{Price}}] }],
              "transfers": [{ "from": "near", "to": "far", "price": 0.02, "megabitsPerSecond": {{megabitsPerSecond}} }]
            }
            """;
}
