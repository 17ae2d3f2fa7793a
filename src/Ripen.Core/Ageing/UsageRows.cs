namespace Ripen.Core.Ageing;

/// <summary>A row of numbers by stretch for each tier and measure. Most buckets use few of them: what is nothing takes no room.</summary>
internal sealed class UsageRows(int tiers, BillingCalendar calendar)
{
    private static readonly int Measures = Enum.GetValues<Measure>().Length;

    private readonly double[]?[] rows = new double[]?[tiers * Measures];

    /// <summary>Where a row stands among all of them.</summary>
    public static int Place(int tier, Measure measure) => (tier * Measures) + (int)measure;

    public bool Has(int tier) => rows.AsSpan(tier * Measures, Measures).ContainsAnyExcept((double[]?)null);

    public ReadOnlySpan<double> Of(int tier, Measure measure) => rows[Place(tier, measure)] ?? calendar.Nothing;

    public double At(int tier, Measure measure, int stretch) => rows[Place(tier, measure)] is { } row ? row[stretch] : 0;

    /// <summary>To write to.</summary>
    public Span<double> Filled(int tier, Measure measure) => Filled(Place(tier, measure));

    public void Add(int tier, Measure measure, int stretch, double amount) => Add(Place(tier, measure), stretch, amount);

    public void Add(int place, int stretch, double amount)
    {
        if (amount != 0)
            Filled(place)[stretch] += amount;
    }

    /// <summary>Adds so many times what other rows hold.</summary>
    public void Add(UsageRows other, double times)
    {
        for (var place = 0; place < rows.Length; place++)
        {
            if (other.rows[place] is { } row)
                Sums.Add(row, times, Filled(place));
        }
    }

    /// <summary>The same without some measures.</summary>
    public UsageRows Without(params ReadOnlySpan<Measure> measures)
    {
        var without = new UsageRows(tiers, calendar);
        for (var place = 0; place < rows.Length; place++)
        {
            if (!measures.Contains((Measure)(place % Measures)))
                without.rows[place] = (double[]?)rows[place]?.Clone();
        }
        return without;
    }

    private double[] Filled(int place) => rows[place] ??= new double[calendar.Stretches];
}
