using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Core.Billing;

/// <summary>What all buckets of a region are charged of one kind in a tier.</summary>
/// <param name="Region">The id.</param>
/// <param name="Tier">The id.</param>
/// <param name="Charge">Of what is used.</param>
/// <param name="Quantity">In the charge's unit.</param>
/// <param name="Amount">Money.</param>
public readonly record struct UsedCharge(string Region, string Tier, Charge Charge, double Quantity, double Amount);

/// <summary>What an agreement adds to a month, or takes off it.</summary>
/// <param name="Name">Of the agreement, or of the devices.</param>
/// <param name="Charge">One that <see cref="Settlement.IsAgreed"/>.</param>
/// <param name="Region">Where; empty for no region in particular.</param>
/// <param name="Tier">On which tier; empty for none in particular.</param>
/// <param name="Agreed">Money a month; units a month of an allowance; the share of a discount.</param>
/// <param name="Due">What of that counts in the part of the month that is settled.</param>
/// <param name="Counted">What comes under it in that part: units of an allowance, money of a commitment; else 0.</param>
/// <param name="Base">Money of the region and tier that it is taken off; else 0.</param>
/// <param name="Amount">Money; negative where it is taken off.</param>
public sealed record SettledLine(
    string Name,
    Charge Charge,
    string Region,
    string Tier,
    double Agreed,
    double Due,
    double Counted,
    double Base,
    double Amount
)
{
    /// <summary>Units that an allowance makes free; else 0.</summary>
    public double Free => Charge == Charge.Allowance ? Math.Min(Due, Counted) : 0;

    /// <summary>Of <see cref="Base"/>, what is taken off; else 0.</summary>
    public double Share => Base == 0 ? 0 : -Amount / Base;
}

/// <summary>
/// What agreements make of a month, or of a part of one: what is agreed a month counts in proportion to the days. Allowances come first, each
/// off what those before it left, in proportion where it does not reach; then discounts off the rest, and what is missing to a commitment.
/// </summary>
public static class Settlement
{
    /// <summary>Whether it is charged for an agreement or for devices, and not for what a bucket uses.</summary>
    public static bool IsAgreed(this Charge charge) =>
        charge is Charge.Allowance or Charge.Commitment or Charge.Devices or Charge.Discount or Charge.Fixed;

    /// <summary>Whether something is agreed whose amount depends on what is used.</summary>
    public static bool DependsOnUse(PriceBook prices) => prices.Agreements is { Allowances.Count: > 0 } or { Commitments.Count: > 0 };

    /// <summary>What is still to be booked so that it is all of what was settled; nothing of nothing. Quantities are parts of the month.</summary>
    /// <param name="settled">Of a month, or the part of it that is over.</param>
    /// <param name="part">How much of the month that is.</param>
    /// <param name="booked">Before.</param>
    public static IEnumerable<UsedCharge> Difference(IEnumerable<SettledLine> settled, double part, IEnumerable<UsedCharge> booked) =>
        settled
            .GroupBy(l => (l.Region, l.Tier, l.Charge))
            .Where(g => g.Any(l => l.Amount != 0))
            .Select(g => new UsedCharge(g.Key.Region, g.Key.Tier, g.Key.Charge, part, g.Sum(l => l.Amount)))
            .Concat(booked.Select(b => b with { Quantity = -b.Quantity, Amount = -b.Amount }))
            .GroupBy(a => (a.Region, a.Tier, a.Charge))
            .Select(g => g.First() with { Quantity = g.Sum(a => a.Quantity), Amount = g.Sum(a => a.Amount) })
            .Where(a => a.Quantity != 0 || a.Amount != 0);

    /// <param name="prices">With what is agreed.</param>
    /// <param name="month">Which.</param>
    /// <param name="part">Of its days, from 0 to 1.</param>
    /// <param name="used">In that part of the month; a region, tier and charge comes once.</param>
    public static List<SettledLine> Of(PriceBook prices, Month month, double part, IEnumerable<UsedCharge> used) =>
        [.. WhateverIsUsed(prices, month, part), .. DependsOnUse(prices) ? ByUse(prices, month, part, [.. used]) : []];

    /// <summary>What of it is paid whatever is used.</summary>
    public static IEnumerable<SettledLine> WhateverIsUsed(PriceBook prices, Month month, double part)
    {
        foreach (var amount in prices.Agreements.Fixed.Where(f => f.Holds(month)))
            yield return Fixed(amount.Name, Charge.Fixed, amount.Region ?? "", amount.Amount);
        foreach (var region in prices.Regions)
        {
            foreach (var devices in region.Devices.Where(d => d.MonthlyAmount > 0))
                yield return Fixed(devices.Id, Charge.Devices, region.Id, devices.MonthlyAmount);
        }

        SettledLine Fixed(string name, Charge charge, string region, double amount) =>
            new(name, charge, region, "", amount, amount * part, 0, 0, amount * part);
    }

    /// <summary>What of it depends on what is used.</summary>
    /// <param name="prices">As in <see cref="Of"/>.</param>
    /// <param name="month">As there.</param>
    /// <param name="part">As there.</param>
    /// <param name="left">What is used; afterwards what is left of it to pay.</param>
    public static List<SettledLine> ByUse(PriceBook prices, Month month, double part, UsedCharge[] left)
    {
        var (agreed, lines) = (prices.Agreements, new List<SettledLine>());
        foreach (var allowance in agreed.Allowances)
        {
            if (allowance.Holds(month))
                Take(allowance);
        }
        foreach (var commitment in agreed.Commitments)
        {
            if (commitment.Discount > 0 && commitment.Holds(month))
                Discount(commitment);
        }
        foreach (var commitment in agreed.Commitments)
        {
            if (commitment.Amount > 0 && commitment.Holds(month))
                Commit(commitment);
        }
        return lines;

        void Take(Allowance allowance)
        {
            var counted = 0.0;
            foreach (var u in left)
                counted += allowance.Takes(u.Region, u.Tier, u.Charge) ? u.Quantity : 0;
            if (counted <= 0)
                return;
            var due = allowance.Quantity * part;
            var share = Math.Min(1, due / counted);
            for (var i = 0; i < left.Length; i++)
            {
                var was = left[i];
                if (was.Amount == 0 || !allowance.Takes(was.Region, was.Tier, was.Charge))
                    continue;
                var off = was.Amount * share;
                lines.Add(new(allowance.Name, Charge.Allowance, was.Region, was.Tier, allowance.Quantity, due, counted, was.Amount, -off));
                left[i] = was with { Amount = was.Amount - off, Quantity = was.Quantity * (1 - share) };
            }
        }

        void Discount(Commitment commitment)
        {
            var places = new Dictionary<(string Region, string Tier), double>();
            for (var i = 0; i < left.Length; i++)
            {
                var was = left[i];
                if (!commitment.IsFor(was.Region))
                    continue;
                var place = (was.Region, was.Tier);
                places[place] = places.GetValueOrDefault(place) + was.Amount;
                left[i] = was with { Amount = was.Amount * (1 - commitment.Discount) };
            }
            foreach (var ((region, tier), money) in places.Where(p => p.Value != 0))
                lines.Add(
                    new(
                        commitment.Name,
                        Charge.Discount,
                        region,
                        tier,
                        commitment.Discount,
                        commitment.Discount,
                        0,
                        money,
                        -money * commitment.Discount
                    )
                );
        }

        void Commit(Commitment commitment)
        {
            var paid = 0.0;
            foreach (var u in left)
                paid += commitment.IsFor(u.Region) ? u.Amount : 0;
            var due = commitment.Amount * part;
            if (due > paid)
                lines.Add(
                    new(commitment.Name, Charge.Commitment, commitment.Region ?? "", "", commitment.Amount, due, paid, 0, due - paid)
                );
        }
    }
}
