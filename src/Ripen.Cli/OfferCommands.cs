using System.CommandLine;

namespace Ripen.Cli;

/// <summary>Commands for price books beside the one in force.</summary>
internal static class OfferCommands
{
    private const string At = "/api/offers";

    public static IEnumerable<Command> All() =>
        [
            OutlookCommands.List(
                "offers",
                "List offers with what the estate would cost under each: id, name, currency, and the money of years 1, 3 and 10.",
                "the offers themselves, as offers-set takes them",
                At,
                of => [(string)of["currency"]!]
            ),
            OutlookCommands.Set(
                "offers-set",
                "Put a list of offers in the place of the one there is.",
                new Argument<FileInfo>("OFFERS") { Description = "{ \"offers\": [ { \"id\", \"name\", \"prices\": a price book }, … ] }" },
                At
            ),
        ];
}
