namespace Ripen.Core.Replication;

/// <summary>
/// Max-min fair division: nobody gets more than they want, and what one leaves goes to the others in equal parts
/// (Bertsekas and Gallager, "Data Networks", 2nd ed. 1992, section 6.5.2; from memory).
/// </summary>
public static class FairShare
{
    /// <param name="capacity">At least 0; infinite gives everybody what they want.</param>
    /// <param name="wants">Each at least 0; infinite takes all that it can get of a finite capacity.</param>
    /// <param name="gets">As long as <paramref name="wants"/>; filled with what each gets.</param>
    public static void Divide(double capacity, double[] wants, double[] gets)
    {
        if (wants.Sum() <= capacity)
        {
            wants.CopyTo(gets, 0);
            return;
        }
        var (left, open) = (capacity, wants.Length);
        foreach (var i in Enumerable.Range(0, wants.Length).OrderBy(i => wants[i]))
        {
            gets[i] = Math.Min(wants[i], left / open);
            left -= gets[i];
            open--;
        }
    }
}
