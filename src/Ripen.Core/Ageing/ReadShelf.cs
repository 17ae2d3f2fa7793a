namespace Ripen.Core.Ageing;

/// <summary>What rules do to objects of one size in one tier.</summary>
/// <param name="Current">Steps to colder tiers, of current versions.</param>
/// <param name="Earlier">The same of earlier ones.</param>
/// <param name="IsWatched">Whether reading matters to current versions.</param>
/// <param name="BackBy">The rule that brings back what is read; null for none.</param>
internal sealed record ShelfRules(DueStep[] Current, DueStep[] Earlier, bool IsWatched, string? BackBy)
{
    /// <summary>For how many days a step waits at most until nobody has read.</summary>
    public int LongestUnread { get; } = Current.Where(s => s.ByReading).Select(s => s.Age).DefaultIfEmpty(0).Max();

    public static ShelfRules Of(Lifecycle lifecycle, int tier, long bytesPerObject) =>
        new(
            [.. lifecycle.Current.Where(s => s.Tier > tier && s.Scope.TakesSize(bytesPerObject))],
            [.. lifecycle.Earlier.Where(s => s.Tier > tier && s.Scope.TakesSize(bytesPerObject))],
            lifecycle.Watches(bytesPerObject),
            Array.Find(lifecycle.Current, s => s.ByReading && s.BackOnRead && s.Scope.TakesSize(bytesPerObject)).Rule
        );
}

/// <summary>
/// Objects in one tier and form: by the days since they came there, as long as a minimum stay asks, and by how many days nobody has read
/// them, as long as a step does. The last of either holds all that waited at least so long.
/// </summary>
/// <param name="tier">Its coldness.</param>
/// <param name="form">In which they lie.</param>
/// <param name="billed">Billed bytes, for each object that came.</param>
/// <param name="minimumStay">Days.</param>
/// <param name="rules">For what lies here.</param>
internal sealed class ReadShelf(int tier, Form form, double billed, int minimumStay, ShelfRules rules)
{
    private readonly int longestUnread = rules.LongestUnread;
    private readonly int width = rules.LongestUnread + 1;
    private readonly double[] shares = new double[(minimumStay + 1) * (rules.LongestUnread + 1)];
    private readonly double[] missing =
    [
        .. Enumerable
            .Range(0, minimumStay * (rules.LongestUnread + 1))
            .Select(i => (double)(minimumStay - (i / (rules.LongestUnread + 1)))),
    ];
    private double? total;

    public int Tier => tier;

    public Form Form => form;

    /// <summary>Billed bytes, for each object that came.</summary>
    public double Billed => billed;

    public int LongestUnread => longestUnread;

    public ShelfRules Rules => rules;

    /// <summary>All of it.</summary>
    public double Total => total ??= Sums.Of(shares);

    /// <summary>Days short of the minimum stay, of all of it together.</summary>
    public double DaysShort => Sums.Dot(shares.AsSpan(0, missing.Length), missing);

    public void Put(int stayed, int unread, double share)
    {
        Stayed(Math.Min(stayed, minimumStay))[Math.Min(unread, longestUnread)] += share;
        total = null;
    }

    /// <summary>Takes all that nobody has read for so many days.</summary>
    /// <returns>How much, and its days short of the minimum stay together.</returns>
    public (double Share, double DaysShort) TakeUnread(int days)
    {
        var (share, daysShort) = (0.0, 0.0);
        for (var stayed = 0; stayed <= minimumStay; stayed++)
        {
            ref var part = ref shares[(stayed * width) + days];
            share += part;
            daysShort += part * (minimumStay - stayed);
            part = 0;
        }
        total = null;
        return (share, daysShort);
    }

    /// <summary>Takes this part of everything away.</summary>
    public (double Share, double DaysShort) Take(double part)
    {
        var taken = (Total * part, DaysShort * part);
        Sums.Scale(shares, 1 - part);
        total = null;
        return taken;
    }

    /// <summary>This part of everything was read.</summary>
    public void Read(double part)
    {
        if (longestUnread == 0)
            return;
        for (var stayed = 0; stayed <= minimumStay; stayed++)
        {
            var read = Sums.Of(Stayed(stayed)) * part;
            if (read == 0)
                continue;
            Sums.Scale(Stayed(stayed), 1 - part);
            Stayed(stayed)[0] += read;
        }
    }

    public void PassDay()
    {
        if (longestUnread > 0)
        {
            for (var stayed = 0; stayed <= minimumStay; stayed++)
            {
                var unread = Stayed(stayed);
                var waited = unread[longestUnread];
                unread[..^1].CopyTo(unread[1..]);
                unread[longestUnread] += waited;
                unread[0] = 0;
            }
        }
        if (minimumStay == 0)
            return;
        var free = Stayed(minimumStay);
        for (var unread = 0; unread < width; unread++)
            free[unread] += shares[((minimumStay - 1) * width) + unread];
        shares.AsSpan(0, (minimumStay - 1) * width).CopyTo(shares.AsSpan(width));
        Stayed(0).Clear();
    }

    private Span<double> Stayed(int days) => shares.AsSpan(days * width, width);
}
