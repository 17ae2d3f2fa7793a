using Ripen.Core.Estates;

namespace Ripen.Core.Arrays;

/// <summary>What local arrays must be to make sense in their estate.</summary>
internal static class ArrayChecks
{
    /// <summary>The most parts of data that an array may have: each is a line of what it tells of itself.</summary>
    private const int MostData = 20_000;

    public static void Check(IReadOnlyList<LocalArray> arrays, string path, Estate estate, Findings findings)
    {
        foreach (var (array, i) in Checks.Present(arrays))
            Check(array, $"{path}[{i}]", arrays.Take(i), estate, findings);
    }

    /// <summary>What is away stays where it can be found: its array, its volume and its bucket stay, and so does its line in what the volume
    /// tells of itself.</summary>
    public static void CheckChange(IReadOnlyList<LocalArray> arrays, string path, Estate estate, Findings findings)
    {
        foreach (var was in estate.Arrays.Where(a => a.All().Any(d => d.Data.Away is not null)))
        {
            var i = arrays.ToList().FindIndex(a => a.Id == was.Id);
            if (i < 0)
            {
                findings.Require(false, "array-data-away", path, $"Data of '{was.Name}' is in '{was.Bucket}': bring it home first.");
                continue;
            }
            findings.Require(
                arrays[i].Bucket is not null,
                "array-data-away",
                $"{path}[{i}].bucket",
                $"Data of '{was.Name}' is in '{was.Bucket}': bring it home first."
            );
            foreach (var volume in was.Volumes.Where(v => v.Data.Any(d => d.Away is not null)))
            {
                var v = arrays[i].Volumes.ToList().FindIndex(o => o.Id == volume.Id);
                findings.Require(
                    v >= 0 && arrays[i].Volumes[v].Data.SequenceEqual(volume.Data),
                    "array-data-away",
                    v < 0 ? $"{path}[{i}].volumes" : $"{path}[{i}].volumes[{v}].data",
                    $"Data of '{volume.Name}' is in '{was.Bucket}': what the volume tells of itself stays as it is until that is home."
                );
            }
        }
        if (findings.Problems.Count == 0)
            Check(arrays, path, estate with { Arrays = arrays }, findings);
    }

    private static void Check(LocalArray array, string path, IEnumerable<LocalArray> before, Estate estate, Findings findings)
    {
        findings.Require(
            before.All(a => a?.Id != array.Id),
            "duplicate-id",
            $"{path}.id",
            $"There is another array '{array.Id}'; every id stands for one."
        );
        findings.Require(
            estate.PriceBook.Regions.Any(r => r?.Id == array.Region),
            "unknown-reference",
            $"{path}.region",
            $"There is no region '{array.Region}'."
        );
        foreach (var (volume, v) in Checks.Present(array.Volumes))
        {
            findings.Require(
                array.Volumes.Take(v).All(o => o?.Id != volume.Id),
                "duplicate-id",
                $"{path}.volumes[{v}].id",
                $"There is another volume '{volume.Id}'."
            );
            foreach (var (data, d) in Checks.Present(volume.Data))
            {
                var at = $"{path}.volumes[{v}].data[{d}]";
                findings.Require(data.LastUsed <= estate.Today, "in-the-future", $"{at}.lastUsed", "Nothing was used after today.");
                findings.Require(
                    data.Away is null || (array.Bucket is not null && data.Away <= estate.Today),
                    "not-away",
                    $"{at}.away",
                    "Data is away since a day that was, in the array's bucket."
                );
            }
        }
        findings.Require(
            array.Volumes.Sum(v => v?.Data.Count ?? 0) <= MostData,
            "too-many",
            $"{path}.volumes",
            $"An array tells of at most {MostData:N0} parts of data."
        );
        foreach (var (rule, r) in Checks.Present(array.Leaving))
        {
            findings.Require(
                array.Leaving.Take(r).All(o => o?.Id != rule.Id),
                "duplicate-id",
                $"{path}.leaving[{r}].id",
                $"There is another rule '{rule.Id}'."
            );
            findings.Require(
                rule.Volume is null || array.Volumes.Any(v => v?.Id == rule.Volume),
                "unknown-reference",
                $"{path}.leaving[{r}].volume",
                $"There is no volume '{rule.Volume}'."
            );
        }
        if (array.Bucket is not { } name)
            return;
        if (estate.Find(name) is { } bucket)
            CheckBucket(array, bucket, $"{path}.bucket", findings);
        else
            findings.Require(false, "unknown-reference", $"{path}.bucket", $"There is no bucket '{name}'.");
    }

    /// <summary>What lies in an array's bucket is the only one there is: nothing there may expire, and nothing may be bundled away.</summary>
    public static void CheckBucket(Bucket bucket, string path, Estate estate, Findings findings)
    {
        foreach (var array in estate.Arrays.Where(a => a.Bucket == bucket.Name))
            CheckBucket(array, bucket, path, findings);
    }

    private static void CheckBucket(LocalArray array, Bucket bucket, string path, Findings findings)
    {
        var scope = new Scope(array.Prefix);
        foreach (
            var rule in bucket.Rules.Where(r =>
                r.Applies == VersionKind.Current && r.Tags is null or { Count: 0 } && r.Scope.Overlaps(scope)
            )
        )
        {
            findings.Require(
                rule.ExpireAt is null,
                "array-data-would-go",
                path,
                $"The rule '{rule.Id}' lets expire what '{array.Name}' puts under {array.Prefix}, and the array has it nowhere else. Give the "
                    + "rule another prefix, or the array another bucket."
            );
            findings.Require(
                rule.Steps.All(s => s.BundleTo is null or 0),
                "array-data-would-be-bundled",
                path,
                $"The rule '{rule.Id}' bundles what '{array.Name}' puts under {array.Prefix}, and the array would not find it again."
            );
        }
    }
}
