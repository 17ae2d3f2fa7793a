using Microsoft.Data.Sqlite;
using Ripen.Core.Billing;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Provider.Metering;

/// <summary>What reading costs. Money.</summary>
/// <param name="Reads">Read requests.</param>
/// <param name="RecallRequests">Recall requests.</param>
/// <param name="RecallBytes">Recalled bytes.</param>
internal readonly record struct ReadCharge(double Reads, double RecallRequests, double RecallBytes)
{
    public double Recall => RecallRequests + RecallBytes;

    public void Deconstruct(out double reads, out double recall) => (reads, recall) = (Reads, Recall);
}

/// <summary>Charges for what happens to objects, booked at once; each returns the money. The meter of a day at rest is
/// <see cref="Midnight"/>'s.</summary>
internal static class Events
{
    /// <param name="db">Inside a transaction.</param>
    /// <param name="terms">In force.</param>
    /// <param name="day">The provider's.</param>
    /// <param name="bucket">Whose bill it is on.</param>
    /// <param name="tier">Written in.</param>
    /// <param name="objects">How many.</param>
    /// <param name="target">The id of the backup target whose objects they are; null for none.</param>
    /// <param name="bytes">Of them, where there is a target.</param>
    public static double Written(
        SqliteConnection db,
        Terms terms,
        DateOnly day,
        BucketTerms bucket,
        int tier,
        double objects,
        string? target = null,
        double bytes = 0
    )
    {
        var amount = bucket.Prices[tier]!.Writes.For(objects);
        TargetLedger.Book(db, day, target, terms.Prices.Tiers[tier].Id, Charge.Writes, objects, bytes, amount);
        Ledger.Book(db, day, bucket, terms.Prices.Tiers[tier].Id, Charge.Writes, objects, amount);
        return amount;
    }

    public static double Sent(SqliteConnection db, Terms terms, DateOnly day, BucketTerms from, BucketTerms to, double bytes) =>
        SentHome(db, terms, day, from, to.Bucket.Region, bytes);

    /// <summary>What goes to a region in which no bucket takes it.</summary>
    public static double SentHome(SqliteConnection db, Terms terms, DateOnly day, BucketTerms from, string region, double bytes) =>
        Carried(db, terms, day, from, ChargePart.To, region, terms.Prices.TransferPrice(from.Bucket.Region, region), bytes);

    /// <summary>What comes from a region in which no bucket gives it.</summary>
    public static double CarriedIn(SqliteConnection db, Terms terms, DateOnly day, BucketTerms to, string region, double bytes) =>
        Carried(db, terms, day, to, ChargePart.From, region, terms.Prices.TransferPrice(region, to.Bucket.Region), bytes);

    private static double Carried(
        SqliteConnection db,
        Terms terms,
        DateOnly day,
        BucketTerms pays,
        ChargePart way,
        string region,
        UnitPrice price,
        double bytes
    )
    {
        var units = bytes / terms.Prices.Unit.Bytes();
        var amount = price.For(units);
        Ledger.Book(db, day, pays, pays.Bucket.Tier, Charge.Transfer, units, amount);
        LedgerParts.Carried(db, day, pays, way, region, units, amount);
        return amount;
    }

    public static double Read(
        SqliteConnection db,
        Terms terms,
        DateOnly day,
        BucketTerms bucket,
        int tier,
        double objects,
        double bytes,
        string? target = null,
        string? speed = null
    )
    {
        var units = bytes / terms.Prices.Unit.Bytes();
        var charge = ReadCharge(bucket, tier, objects, units, speed);
        var (reads, recall) = charge;
        var name = terms.Prices.Tiers[tier].Id;
        Ledger.Book(db, day, bucket, name, Charge.Reads, objects, reads);
        Ledger.Book(db, day, bucket, name, Charge.Recall, units, recall);
        LedgerParts.Recalled(db, day, bucket, name, objects, units, charge, speed);
        TargetLedger.Book(db, day, target, name, Charge.Reads, objects, bytes, reads);
        TargetLedger.Book(db, day, target, name, Charge.Recall, units, bytes, recall);
        return reads + recall;
    }

    /// <summary>What reading costs, and recalling; a tier that lacks the speed gives its ordinary one.</summary>
    public static ReadCharge ReadCharge(BucketTerms bucket, int tier, double objects, double units, string? speed)
    {
        var price = bucket.Prices[tier]!;
        var own = price.RecallSpeeds.FirstOrDefault(s => s.Id == speed);
        return new(
            price.Reads.For(objects),
            (own?.RecallRequests ?? price.RecallRequests).For(objects),
            (own?.Recall ?? price.Recall).For(units)
        );
    }

    public static double Moved(
        SqliteConnection db,
        Terms terms,
        DateOnly day,
        BucketTerms bucket,
        int to,
        double objects,
        string? target = null
    )
    {
        var amount = bucket.Prices[to]!.MovesIn.For(objects);
        TargetLedger.Book(db, day, target, terms.Prices.Tiers[to].Id, Charge.Moves, objects, 0, amount);
        Ledger.Book(db, day, bucket, terms.Prices.Tiers[to].Id, Charge.Moves, objects, amount);
        return amount;
    }

    /// <summary>The rest of a minimum stay, for objects that leave the tier on <paramref name="day"/> having come on
    /// <paramref name="since"/>.</summary>
    public static double LeftEarly(
        SqliteConnection db,
        Terms terms,
        DateOnly day,
        BucketTerms bucket,
        int tier,
        DateOnly since,
        double objects,
        long bytesPerObject,
        string? target = null
    )
    {
        var (units, amount) = EarlyLeave(terms, day, bucket, tier, since, objects, bytesPerObject);
        Ledger.Book(db, day, bucket, terms.Prices.Tiers[tier].Id, Charge.EarlyLeave, units, amount);
        TargetLedger.Book(db, day, target, terms.Prices.Tiers[tier].Id, Charge.EarlyLeave, units, objects * bytesPerObject, amount);
        return amount;
    }

    public static (double UnitMonths, double Amount) EarlyLeave(
        Terms terms,
        DateOnly day,
        BucketTerms bucket,
        int tier,
        DateOnly since,
        double objects,
        long bytesPerObject
    )
    {
        var from = terms.Prices.Tiers[tier];
        var missing = from.DaysShort(day.DayNumber - since.DayNumber);
        if (missing == 0)
            return default;
        var units = objects * from.BilledBytes(bytesPerObject) * missing / terms.UnitMonth(day);
        return (units, bucket.Prices[tier]!.Storage[0].Price.For(units) * bucket.Factor);
    }
}
