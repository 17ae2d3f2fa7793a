using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>What a backup target's objects were charged in a span, of one kind in one tier.</summary>
/// <param name="Quantity">In the unit of a forecast's row.</param>
/// <param name="Bytes">Written, read or moved; for storage those at rest on the span's last day.</param>
/// <param name="Amount">Money. A day's storage is at the price that the month's bands had come to by then.</param>
public sealed record TargetUse(string Tier, Charge Charge, double Quantity, string Unit, double Bytes, double Amount);

/// <summary>The part of the ledger that is for a target's objects.</summary>
internal static class TargetLedger
{
    public static void Book(
        SqliteConnection db,
        DateOnly day,
        string? target,
        string tier,
        Charge charge,
        double quantity,
        double bytes,
        double amount
    )
    {
        if (target is null || (quantity == 0 && amount == 0))
            return;
        db.Run(
            """
            INSERT INTO target_use(target, day, tier, charge, quantity, bytes, amount) VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7)
            ON CONFLICT DO UPDATE SET quantity = quantity + excluded.quantity, bytes = bytes + excluded.bytes,
                amount = amount + excluded.amount
            """,
            target,
            day.DayNumber,
            tier,
            charge.Name(),
            quantity,
            bytes,
            amount
        );
    }

    /// <summary>For the days [from, to), by tier from warm to cold and charge.</summary>
    public static IReadOnlyList<TargetUse> Of(SqliteConnection db, PriceBook prices, string target, DateOnly from, DateOnly to) =>
        [
            .. db.List(
                    """
                    SELECT tier, charge, sum(quantity), sum(bytes), sum(amount),
                        sum(CASE WHEN day = (SELECT max(day) FROM target_use WHERE target = ?1 AND charge = 'storage' AND day < ?3)
                            THEN bytes ELSE 0 END)
                    FROM target_use WHERE target = ?1 AND day >= ?2 AND day < ?3 GROUP BY tier, charge
                    """,
                    r =>
                    {
                        var charge = Enum.GetValues<Charge>().Single(c => c.Name() == r.GetString(1));
                        return new TargetUse(
                            r.GetString(0),
                            charge,
                            r.GetDouble(2),
                            Units.Of(charge, prices.Unit),
                            r.GetDouble(charge == Charge.Storage ? 5 : 3),
                            r.GetDouble(4)
                        );
                    },
                    target,
                    from.DayNumber,
                    to.DayNumber
                )
                .OrderBy(u => prices.Coldness(u.Tier))
                .ThenBy(u => u.Charge),
        ];

    /// <summary>Targets that are gone take what was told of them along.</summary>
    public static void KeepOnly(SqliteConnection db, IReadOnlyCollection<string> targets)
    {
        foreach (var gone in db.List("SELECT DISTINCT target FROM target_use", r => r.GetString(0)).Where(t => !targets.Contains(t)))
            db.Run("DELETE FROM target_use WHERE target = ?1", gone);
    }
}
