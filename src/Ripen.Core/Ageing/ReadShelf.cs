namespace Ripen.Core.Ageing;

/// <summary>
/// Objects in one tier and form: by the days since they came there, as long as a minimum stay asks, and by how many days nobody has read
/// them, as long as a step does. The last of either holds all that waited at least so long.
/// </summary>
internal sealed class ReadShelf(int tier, Form form, double billed, int minimumStay, int longestUnread)
{
    private readonly int width = longestUnread + 1;
    private readonly double[] shares = new double[(minimumStay + 1) * (longestUnread + 1)];

    public int Tier => tier;

    public Form Form => form;

    /// <summary>Billed bytes, for each object that came.</summary>
    public double Billed => billed;

    public int LongestUnread => longestUnread;

    private double? total;

    /// <summary>All of it.</summary>
    public double Total => total ??= Sum(shares);

    /// <summary>Days short of the minimum stay, of all of it together.</summary>
    public double DaysShort
    {
        get
        {
            var days = 0.0;
            for (var i = 0; i < minimumStay * width; i++)
                days += shares[i] * (minimumStay - (i / width));
            return days;
        }
    }

    public void Put(int stayed, int unread, double share)
    {
        Stayed(Math.Min(stayed, minimumStay))[Math.Min(unread, longestUnread)] += share;
        total = null;
    }

    /// <summary>Takes all that nobody has read for so many days.</summary>
    /// <returns>How much, and its days short of the minimum stay together.</returns>
    public (double Share, double DaysShort) TakeUnread(int days)
    {
        var (share, missing) = (0.0, 0.0);
        for (var stayed = 0; stayed <= minimumStay; stayed++)
        {
            ref var part = ref shares[(stayed * width) + days];
            share += part;
            missing += part * (minimumStay - stayed);
            part = 0;
        }
        total = null;
        return (share, missing);
    }

    /// <summary>Takes this part of everything away.</summary>
    public (double Share, double DaysShort) Take(double part)
    {
        var taken = (Total * part, DaysShort * part);
        Scale(shares, 1 - part);
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
            var read = Sum(Stayed(stayed)) * part;
            if (read == 0)
                continue;
            Scale(Stayed(stayed), 1 - part);
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

    private static void Scale(Span<double> shares, double factor)
    {
        for (var i = 0; i < shares.Length; i++)
            shares[i] *= factor;
    }

    private static double Sum(ReadOnlySpan<double> shares)
    {
        var sum = 0.0;
        foreach (var share in shares)
            sum += share;
        return sum;
    }
}
