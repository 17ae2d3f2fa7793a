namespace Ripen.Core.Redundancy;

/// <summary>
/// Logarithms and exponentials beside 1, where subtracting would lose every digit (W. Kahan's form, as in Higham, "Accuracy and Stability
/// of Numerical Algorithms", 2nd ed. 2002, section 1.14.1; from memory), and sums of numbers that only their logarithms can hold.
/// </summary>
internal static class Tiny
{
    /// <summary>ln(1 + x), x above −1.</summary>
    public static double LogOnePlus(double x)
    {
        var u = 1 + x;
        return u == 1 ? x
            : double.IsPositiveInfinity(u) ? u
            : Math.Log(u) * x / (u - 1);
    }

    /// <summary>e^x − 1.</summary>
    public static double ExpLessOne(double x)
    {
        var u = Math.Exp(x);
        if (u == 1)
            return x;
        var less = u - 1;
        return less == -1 || double.IsPositiveInfinity(u) ? less : less * x / Math.Log(u);
    }

    /// <summary>ln(e^a + e^b); −∞ stands for 0.</summary>
    public static double LogSum(double a, double b)
    {
        var (large, small) = a > b ? (a, b) : (b, a);
        return double.IsNegativeInfinity(small) ? large : large + LogOnePlus(Math.Exp(small - large));
    }
}
