using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>One line of the ledger: what was charged on a day for a bucket in a tier. Quantities are in the units of a forecast's rows;
/// money is not rounded.</summary>
public sealed record LedgerRow(
    DateOnly Day,
    string Bucket,
    string Region,
    string Tier,
    Charge Charge,
    double Quantity,
    string Unit,
    double Amount
);

/// <summary>Books charges into the index, inside the transaction of what they are for: an event and its charge are stored together or not
/// at all.</summary>
internal static class Ledger
{
    /// <summary>Adds to the line of this day, bucket, tier and charge.</summary>
    /// <param name="db">Inside a transaction.</param>
    /// <param name="day">The provider's day.</param>
    /// <param name="bucket">Whose bill it is on.</param>
    /// <param name="tier">The id of the tier.</param>
    /// <param name="charge">What for.</param>
    /// <param name="quantity">In the charge's unit.</param>
    /// <param name="amount">Money.</param>
    /// <param name="weighted">For storage: quantity × the scheme's factor on that day.</param>
    public static void Book(
        SqliteConnection db,
        DateOnly day,
        BucketTerms bucket,
        string tier,
        Charge charge,
        double quantity,
        double amount,
        double weighted = 0
    )
    {
        if (quantity == 0 && amount == 0)
            return;
        Book(db, day, bucket.Bucket.Name, bucket.Bucket.Region, tier, charge, quantity, amount, weighted);
    }

    public static void Book(
        SqliteConnection db,
        DateOnly day,
        string bucket,
        string region,
        string tier,
        Charge charge,
        double quantity,
        double amount,
        double weighted
    ) =>
        db.Run(
            """
            INSERT INTO ledger(day, bucket, region, tier, charge, quantity, amount, weighted) VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)
            ON CONFLICT DO UPDATE SET quantity = quantity + excluded.quantity, amount = amount + excluded.amount,
                weighted = weighted + excluded.weighted
            """,
            day.DayNumber,
            bucket,
            region,
            tier,
            charge.Name(),
            quantity,
            amount,
            weighted
        );

    public static IEnumerable<LedgerRow> Rows(SqliteConnection db, SizeUnit unit, DateOnly from, DateOnly to, string? bucket) =>
        db.Each(
            "SELECT day, bucket, region, tier, charge, quantity, amount FROM ledger WHERE day >= ?1 AND day < ?2 AND (?3 IS NULL OR "
                + "bucket = ?3) ORDER BY day, bucket, tier, charge",
            r =>
            {
                var charge = Charges[r.GetString(4)];
                return new LedgerRow(
                    DateOnly.FromDayNumber(r.GetInt32(0)),
                    r.GetString(1),
                    r.GetString(2),
                    r.GetString(3),
                    charge,
                    r.GetDouble(5),
                    Units.Of(charge, unit),
                    r.GetDouble(6)
                );
            },
            from.DayNumber,
            to.DayNumber,
            bucket
        );

    /// <summary>The same of all buckets, summed up over days of one calendar month.</summary>
    public static IReadOnlyList<ForecastRow> OfMonth(SqliteConnection db, SizeUnit unit, DateOnly from, DateOnly to) =>
        db.List(
            "SELECT bucket, region, tier, charge, sum(quantity), sum(amount) FROM ledger WHERE day >= ?1 AND day < ?2 "
                + "GROUP BY bucket, region, tier, charge",
            r =>
            {
                var charge = Charges[r.GetString(3)];
                return new ForecastRow(
                    Month.Of(from),
                    r.GetString(0),
                    r.GetString(1),
                    r.GetString(2),
                    charge,
                    r.GetDouble(4),
                    Units.Of(charge, unit),
                    r.GetDouble(5)
                );
            },
            from.DayNumber,
            to.DayNumber
        );

    /// <summary>The running month before <paramref name="today"/>, and what today was charged so far.</summary>
    public static MonthSoFar SoFar(SqliteConnection db, PriceBook prices, DateOnly today) =>
        new(
            Storage(db, prices, Month.Of(today).FirstDay, today),
            AgreementMeter.DaysClosed(db, today),
            AgreementMeter.Charged(db, today, isAgreed: false),
            AgreementMeter.Charged(db, today, isAgreed: true)
        );

    /// <summary>Storage of days of one month, by the prices that held.</summary>
    /// <param name="db">To read.</param>
    /// <param name="prices">As they stand.</param>
    /// <param name="first">The first day.</param>
    /// <param name="end">The day after the last.</param>
    public static IReadOnlyList<StorageSoFar> Storage(SqliteConnection db, PriceBook prices, DateOnly first, DateOnly end)
    {
        var held = Held(prices, first, end);
        return
        [
            .. held.Zip(
                held.Skip(1).Select(h => h.From).Append(end),
                (part, to) =>
                    part with
                    {
                        Lines = db.List(
                            """
                            SELECT bucket, region, tier, sum(quantity), sum(weighted), sum(amount) FROM ledger
                            WHERE day >= ?1 AND day < ?2 AND charge = ?3 GROUP BY bucket, region, tier
                            """,
                            r => new StoredSoFar(
                                r.GetString(0),
                                r.GetString(1),
                                r.GetString(2),
                                r.GetDouble(3),
                                r.GetDouble(4),
                                r.GetDouble(5)
                            ),
                            part.From.DayNumber,
                            to.DayNumber,
                            Charge.Storage.Name()
                        ),
                    }
            ),
        ];
    }

    /// <summary>The prices that held on days of one month, with nothing stored.</summary>
    public static IReadOnlyList<StorageSoFar> Held(PriceBook prices, DateOnly first, DateOnly end) =>
        [
            .. prices
                .Earlier.Select(e => e.Until)
                .Where(d => d > first && d < end)
                .Distinct()
                .Order()
                .Prepend(first)
                .Select(d => new StorageSoFar(d, prices.AmountsOn(d), [])),
        ];

    /// <summary>By the names in the ledger.</summary>
    public static readonly IReadOnlyDictionary<string, Charge> Charges = Enum.GetValues<Charge>().ToDictionary(c => c.Name());
}
