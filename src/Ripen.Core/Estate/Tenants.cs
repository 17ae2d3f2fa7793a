using System.Text.RegularExpressions;

namespace Ripen.Core.Estates;

/// <summary>Tenants: those who use buckets and answer for what they cost. A tenant is a name that stands with every bucket of theirs.</summary>
public static partial class Tenants
{
    /// <summary>Stands for buckets of no tenant where a tenant is named; no tenant has this name.</summary>
    public const string None = "-";

    /// <summary>The tenant of a bucket, or <see cref="None"/>.</summary>
    public static string KeyOf(Bucket bucket) => bucket.Tenant ?? None;

    /// <summary>For people.</summary>
    public static string NameOf(string key) => key == None ? "no tenant" : key;

    /// <summary>All that have a bucket, names compared character by character; last <see cref="None"/>, where a bucket has no tenant.</summary>
    public static IReadOnlyList<string> Of(IEnumerable<Bucket> buckets) =>
        [.. buckets.Select(KeyOf).Distinct().OrderBy(t => t == None).ThenBy(t => t, StringComparer.Ordinal)];

    internal static void Check(string? tenant, string at, Findings findings) =>
        findings.Require(
            tenant is null || NameShape().IsMatch(tenant),
            "invalid-name",
            at,
            $"'{tenant}' cannot be a tenant's name; use 1 to 63 letters, digits, spaces and . , & ' / _ -, and begin and end with a letter or "
                + "digit."
        );

    [GeneratedRegex(@"^(?=.{1,63}\z)[\p{L}\p{N}]([\p{L}\p{N}\p{M} .,&'/_-]*[\p{L}\p{N}\p{M}])?\z", RegexOptions.Singleline)]
    private static partial Regex NameShape();
}
