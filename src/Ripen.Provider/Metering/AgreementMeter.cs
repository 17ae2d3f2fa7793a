using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>Books what agreements make of a month. Each day settles the month so far anew, as storage is: its lines are the difference to what
/// was booked before, and those of a month add up to what is agreed when it ends. They are on no bucket's bill.</summary>
internal static class AgreementMeter
{
    /// <summary>After everything else of the day is booked.</summary>
    public static void Book(SqliteConnection db, PriceBook prices, DateOnly day)
    {
        var month = Month.Of(day);
        var part = (DaysClosed(db, day) + 1.0) / month.Days;
        var used = Settlement.DependsOnUse(prices) ? Charged(db, day, isAgreed: false) : [];
        foreach (var line in Settlement.Difference(Settlement.Of(prices, month, part, used), part, Charged(db, day, isAgreed: true)))
            Ledger.Book(db, day, "", line.Region, line.Tier, line.Charge, line.Quantity, line.Amount, 0);
    }

    /// <summary>How many days of the month of <paramref name="day"/> are closed.</summary>
    public static int DaysClosed(SqliteConnection db, DateOnly day) =>
        (int)db.Value<long>("SELECT count(*) FROM run WHERE day >= ?1 AND day < ?2", Month.Of(day).FirstDay.DayNumber, day.DayNumber);

    /// <summary>What was booked in the month, up to and with <paramref name="day"/>: for use of buckets, or for agreements.</summary>
    public static IReadOnlyList<UsedCharge> Charged(SqliteConnection db, DateOnly day, bool isAgreed) =>
        db.List(
            $"""
            SELECT region, tier, charge, sum(quantity), sum(amount) FROM ledger
            WHERE day >= ?1 AND day <= ?2 AND bucket {(isAgreed ? "=" : "<>")} '' GROUP BY region, tier, charge
            """,
            r => new UsedCharge(r.GetString(0), r.GetString(1), Ledger.Charges[r.GetString(2)], r.GetDouble(3), r.GetDouble(4)),
            Month.Of(day).FirstDay.DayNumber,
            day.DayNumber
        );
}
