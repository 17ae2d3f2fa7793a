using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Scenarios;

namespace Ripen.Core.Tests;

/// <summary>Every figure is a sum of what is told of it, down to prices and to what was put there.</summary>
public sealed class DerivationTests
{
    private const int Months = 4;

    private static string? Whole(Estate estate)
    {
        var projection = Projection.Of(estate, Months);
        var rows = new List<BillRow>();
        for (var b = 0; b < projection.Usages.Count; b++)
        {
            rows.Clear();
            projection.Bill.AddRows(b, Months - 2, rows);
            projection.Bill.AddRows(b, 0, rows);
            foreach (var row in rows)
            {
                var told = Derivation.Of(projection, b, row.Month, row.Tier, row.Charge)!;
                if (!Compare.Close(row.Amount, told.Row.Amount) || !Compare.Close(row.Amount, told.Terms.Sum(t => t.Amount)))
                    return $"{told.Row}: its terms make {told.Terms.Sum(t => t.Amount)}";
                if (row.Charge != Charge.Transfer && !Compare.Close(row.Quantity, told.Parts.Sum(p => p.Quantity)))
                    return $"{told.Row}: its parts make {told.Parts.Sum(p => p.Quantity)}";
                foreach (var term in told.Terms)
                {
                    if (!Compare.Close(term.Quantity / term.Per * term.Price * term.Factor, term.Amount))
                        return $"{told.Row}: {term}";
                    if (term.Bands.Count > 0 && !Compare.Close(term.Bands.Sum(x => x.Amount), term.Price * term.Bands.Sum(x => x.Units)))
                        return $"{told.Row}: the bands of {term}";
                }
            }
        }
        return null;
    }

    [Fact]
    public void Terms_make_the_amount_and_parts_the_quantity() => RandomEstates.Check(40, Whole);

    [Fact]
    public void Of_what_plans_store_as_well() => RandomPlans.Check(15, Whole);

    /// <summary>Graduated prices come by their bands, and alike quantities of the months together.</summary>
    [Fact]
    public void Terms_of_a_year_make_what_is_charged_in_it() =>
        RandomEstates.Check(
            15,
            estate =>
            {
                var projection = Projection.Of(estate, 14);
                for (var b = 0; b < projection.Usages.Count; b++)
                {
                    var rows = new List<BillRow>();
                    for (var month = 2; month < 14; month++)
                        projection.Bill.AddRows(b, month, rows);
                    var terms = PricedTerm.OfLastYear(projection, b).Sum(t => t.Quantity / t.Per * t.Price * t.Factor);
                    if (!Compare.Close(rows.Sum(r => r.Amount), terms))
                        return $"{projection.Usages[b].Bucket.Name}: {rows.Sum(r => r.Amount)}, and its terms make {terms}";
                }
                return null;
            }
        );

    /// <summary>Whatever grows, is read more often, or is agreed: what makes a difference adds up to it, and nothing makes none.</summary>
    [Fact]
    public void Terms_of_a_difference_make_it()
    {
        var agreed = 0;
        RandomEstates.Check(
            40,
            estate =>
            {
                var assumed = Assuming.Of(
                    new Assumption
                    {
                        Growth = new() { YearlyGrowth = 0.3, Arrivals = 1.5 },
                    },
                    estate,
                    "$"
                );
                if (!assumed.Ok)
                    return null;
                agreed += estate.PriceBook.Agreements.IsEmpty ? 0 : 1;
                var before = Projection.Of(estate, 14);
                var after = before.With(assumed.Value);
                if (PricedTerm.OfDifference(before, before, 0, 14).Count > 0)
                    return "nothing is said to differ";
                var change = after.MoneyInAll.Skip(3).Take(6).Sum() - before.MoneyInAll.Skip(3).Take(6).Sum();
                var terms = PricedTerm.OfDifference(before, after, 3, 6).Sum(t => t.Quantity / t.Per * t.Price * t.Factor);
                return Math.Abs(change - terms) <= 1e-9 * (1 + after.MoneyInAll.Skip(3).Take(6).Sum())
                    ? null
                    : $"{change}, and its terms make {terms}";
            }
        );
        Assert.True(agreed > 3, $"{agreed} estates have agreements");
    }

    /// <summary>10 objects of 1 GB a day from 1 March, moved at 30 days: in May (days 61 to 91 from then) 310 are moved, and on each day those of the
    /// thirty days before it lie in the first tier. By hand.</summary>
    [Fact]
    public void A_figure_leads_to_its_price_and_to_the_rule()
    {
        var estate = Samples.Single(Samples.Steady(10, 1_000_000_000), [new Step { Age = 30, Tier = "pantry" }], null) with
        {
            Today = new(2026, 3, 1),
        };
        var projection = Projection.Of(estate, 4);
        var book = estate.PriceBook;
        var (counter, pantry) = (book.Coldness("counter"), book.Coldness("pantry"));
        var price = book.FindRegion("aldmouth")!;
        var moved = Derivation.Of(projection, 0, 2, pantry, Charge.Moves)!;
        Assert.Equal(310, moved.Row.Quantity, 1e-9);
        Assert.Equal("rule 'rule' moves it here at 30 days", Assert.Single(moved.Parts).Why);
        var term = Assert.Single(moved.Terms);
        Assert.Equal((price.PriceOf("pantry")!.MovesIn.PerThousand, 1000), (term.Price, term.Per));
        Assert.Equal((new DateOnly(2026, 5, 1), new DateOnly(2026, 5, 31)), (term.From, term.To));

        var stored = Derivation.Of(projection, 0, 2, counter, Charge.Storage)!;
        var of = book.Tiers[counter];
        // 300 objects on each of 31 days, and the index of those that have moved: 310 + 320 + … in the landing tier.
        var resting = 300 * of.BilledBytes(1_000_000_000) + (300 * of.IndexBytes);
        var index = Enumerable.Range(0, 31).Average(d => (61 + d + 1 - 30) * 10.0) * book.Tiers[pantry].IndexBytes;
        Assert.Equal((resting + index) / 1e9, stored.Row.Quantity, 1e-9);
        Assert.Equal("10 objects a day that arrive", Assert.Single(stored.Parts).What);
        Assert.Equal("new objects land here", stored.Parts[0].Why);
        Assert.Equal(stored.Row.Quantity, Assert.Single(stored.Terms[0].Bands).Units, 1e-9);
        Assert.Equal(price.PriceOf("counter")!.Storage[0].Price.PerUnit, stored.Terms[0].Price, 1e-12);
        Assert.Null(Derivation.Of(projection, 0, 2, pantry, Charge.EarlyLeave));
    }
}
