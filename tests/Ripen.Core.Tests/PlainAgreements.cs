using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Tests;

/// <summary>What agreements make of rows of a bill, in their plainest form: row by row of every bucket. The reference for
/// <see cref="Settlement"/>.</summary>
internal static class PlainAgreements
{
    /// <param name="estate">Whose bill it is.</param>
    /// <param name="bill">Without agreements, from the estate's today on.</param>
    /// <param name="months">How many.</param>
    public static IEnumerable<ForecastRow> Rows(Estate estate, IReadOnlyList<ForecastRow> bill, int months)
    {
        for (var m = 0; m < months; m++)
        {
            var month = Month.Of(estate.Today).Plus(m);
            var days = DateTime.DaysInMonth(month.Year, month.Number);
            var part = m > 0 ? 1.0 : (days - estate.Today.Day + 1) / (double)days;
            foreach (
                var ((region, tier, charge), amount) in OfMonth(estate.PriceBook, month, part, bill)
                    .OrderBy(a => a.Key.Region, StringComparer.Ordinal)
                    .ThenBy(a => a.Key.Tier, StringComparer.Ordinal)
                    .ThenBy(a => a.Key.Charge.Name(), StringComparer.Ordinal)
            )
            {
                if (amount != 0)
                    yield return new ForecastRow(month, "", region, tier, charge, part, "month", amount);
            }
        }
    }

    private static Dictionary<(string Region, string Tier, Charge Charge), double> OfMonth(
        PriceBook prices,
        Month month,
        double part,
        IReadOnlyList<ForecastRow> bill
    )
    {
        var told = new Dictionary<(string, string, Charge), double>();
        foreach (var one in prices.Agreements.Fixed.Where(f => IsIn(f, month)))
            Add(one.Region ?? "", "", Charge.Fixed, one.Amount * part);
        foreach (var region in prices.Regions)
        {
            foreach (var devices in region.Devices.Where(d => d.Price > 0))
                Add(region.Id, "", Charge.Devices, devices.Count * devices.Price / devices.LifeMonths * part);
        }
        var rows = bill.Where(r => r.Month == month).ToList();
        foreach (var free in prices.Agreements.Allowances.Where(a => IsIn(a, month)))
        {
            var units = rows.Where(r => Falls(r, free.Region, free.Tier) && r.Charge == free.Charge).Sum(r => r.Quantity);
            if (units == 0)
                continue;
            var paid = Math.Max(0, units - (free.Quantity * part)) / units;
            for (var i = 0; i < rows.Count; i++)
            {
                if (!Falls(rows[i], free.Region, free.Tier) || rows[i].Charge != free.Charge || rows[i].Amount == 0)
                    continue;
                Add(rows[i].Region, rows[i].Tier, Charge.Allowance, (rows[i].Amount * paid) - rows[i].Amount);
                rows[i] = rows[i] with { Amount = rows[i].Amount * paid, Quantity = rows[i].Quantity * paid };
            }
        }
        var promises = prices.Agreements.Commitments.Where(c => IsIn(c, month)).ToList();
        foreach (var promise in promises)
        {
            for (var i = 0; i < rows.Count; i++)
            {
                if (!Falls(rows[i], promise.Region, null))
                    continue;
                Add(rows[i].Region, rows[i].Tier, Charge.Discount, rows[i].Amount * -promise.Discount);
                rows[i] = rows[i] with { Amount = rows[i].Amount * (1 - promise.Discount) };
            }
        }
        foreach (var promise in promises)
        {
            var used = rows.Where(r => Falls(r, promise.Region, null)).Sum(r => r.Amount);
            Add(promise.Region ?? "", "", Charge.Commitment, Math.Max(0, (promise.Amount * part) - used));
        }
        return told;

        void Add(string region, string tier, Charge charge, double amount) =>
            told[(region, tier, charge)] = told.GetValueOrDefault((region, tier, charge)) + amount;
    }

    private static bool Falls(ForecastRow row, string? region, string? tier) =>
        (region is null || row.Region == region) && (tier is null || row.Tier == tier);

    private static bool IsIn(Agreed agreed, Month month) =>
        string.CompareOrdinal(agreed.From?.ToString() ?? "0000-00", month.ToString()) <= 0
        && string.CompareOrdinal(month.ToString(), agreed.Through?.ToString() ?? "9999-99") <= 0;
}
