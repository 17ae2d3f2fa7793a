using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;

namespace Ripen.Provider.Metering;

/// <summary>What lines of the ledger are made of whose quantity has more than one price: recalls by speed, with their requests, and what is
/// carried by its other end. Told apart while it happens, because later nobody knows.</summary>
internal static class LedgerParts
{
    /// <summary>Of a recall, by bytes and by request, as it is charged.</summary>
    /// <param name="db">Inside a transaction.</param>
    /// <param name="day">The provider's day.</param>
    /// <param name="bucket">Whose bill it is on.</param>
    /// <param name="tier">The id of the tier.</param>
    /// <param name="objects">Requests.</param>
    /// <param name="units">Recalled.</param>
    /// <param name="charge">Money of both.</param>
    /// <param name="speed">The id of the speed that was asked for; null for the ordinary one.</param>
    public static void Recalled(
        SqliteConnection db,
        DateOnly day,
        BucketTerms bucket,
        string tier,
        double objects,
        double units,
        ReadCharge charge,
        string? speed
    )
    {
        Book(db, day, bucket, tier, Charge.Recall, ChargePart.Bytes, speed ?? "", units, charge.RecallBytes);
        Book(db, day, bucket, tier, Charge.Recall, ChargePart.Requests, speed ?? "", objects, charge.RecallRequests);
    }

    public static void Carried(
        SqliteConnection db,
        DateOnly day,
        BucketTerms pays,
        ChargePart way,
        string region,
        double units,
        double amount
    ) => Book(db, day, pays, pays.Bucket.Tier, Charge.Transfer, way, region, units, amount);

    /// <summary>Of the days [from, to), in their order.</summary>
    public static IReadOnlyList<MeteredPart> Of(
        SqliteConnection db,
        string bucket,
        string tier,
        Charge charge,
        DateOnly from,
        DateOnly to
    ) =>
        db.List(
            "SELECT day, what, which, quantity, amount FROM ledger_part WHERE bucket = ?1 AND day >= ?2 AND day < ?3 AND tier = ?4 AND charge = ?5 "
                + "ORDER BY day, what, which",
            r => new MeteredPart(
                DateOnly.FromDayNumber(r.GetInt32(0)),
                (ChargePart)r.GetInt32(1),
                r.GetString(2),
                r.GetDouble(3),
                r.GetDouble(4)
            ),
            bucket,
            from.DayNumber,
            to.DayNumber,
            tier,
            charge.Name()
        );

    private static void Book(
        SqliteConnection db,
        DateOnly day,
        BucketTerms bucket,
        string tier,
        Charge charge,
        ChargePart what,
        string which,
        double quantity,
        double amount
    )
    {
        if (amount == 0)
            return;
        db.Run(
            """
            INSERT INTO ledger_part(bucket, day, tier, charge, what, which, quantity, amount) VALUES(?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)
            ON CONFLICT DO UPDATE SET quantity = quantity + excluded.quantity, amount = amount + excluded.amount
            """,
            bucket.Bucket.Name,
            day.DayNumber,
            tier,
            charge.Name(),
            (int)what,
            which,
            quantity,
            amount
        );
    }
}
