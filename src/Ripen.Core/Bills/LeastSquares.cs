namespace Ripen.Core.Bills;

/// <summary>Unknowns that meet more equations than there are of them best: the sum of squared differences is least.</summary>
internal static class LeastSquares
{
    private const double Singular = 1e-7;

    /// <summary>The normal equations by Gaussian elimination, columns brought to the same size first; for a handful of unknowns.</summary>
    /// <param name="rows">At least one; each with a factor for every unknown, none of which is 0 in all rows.</param>
    /// <returns>Null where there is no single solution.</returns>
    public static double[]? Solve(IReadOnlyList<(double[] Factors, double Sum)> rows)
    {
        var n = rows[0].Factors.Length;
        var size = Enumerable.Range(0, n).Select(i => Math.Sqrt(rows.Sum(r => r.Factors[i] * r.Factors[i]))).ToArray();
        var m = new double[n, n + 1];
        for (var i = 0; i < n; i++)
        {
            for (var j = 0; j < n; j++)
                m[i, j] = rows.Sum(r => r.Factors[i] / size[i] * (r.Factors[j] / size[j]));
            m[i, n] = rows.Sum(r => r.Factors[i] / size[i] * r.Sum);
        }
        for (var i = 0; i < n; i++)
        {
            var pivot = Enumerable.Range(i, n - i).MaxBy(r => Math.Abs(m[r, i]));
            if (Math.Abs(m[pivot, i]) < Singular)
                return null;
            for (var j = 0; j <= n; j++)
                (m[i, j], m[pivot, j]) = (m[pivot, j], m[i, j]);
            for (var r = 0; r < n; r++)
            {
                if (r == i)
                    continue;
                var by = m[r, i] / m[i, i];
                for (var j = i; j <= n; j++)
                    m[r, j] -= by * m[i, j];
            }
        }
        return [.. Enumerable.Range(0, n).Select(i => m[i, n] / m[i, i] / size[i])];
    }
}
