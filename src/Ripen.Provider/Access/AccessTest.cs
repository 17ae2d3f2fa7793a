using System.Security.Cryptography;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Access;

/// <summary>One thing that was tried with an access: whether it was allowed and worked, and what was said.</summary>
public sealed record AccessTestStep(string What, bool Worked, string Said);

/// <summary>Tries an access as a program would: lists, writes a probe, reads it back, compares, deletes it. Every step goes through the
/// same gate as a request.</summary>
public static class AccessTest
{
    public static async Task<IReadOnlyList<AccessTestStep>> Run(
        AccessBook access,
        IObjectStore objects,
        string bucket,
        Credentials who,
        CancellationToken cancel
    )
    {
        var steps = new List<AccessTestStep>();
        var prefix = access.Grants(bucket).FirstOrDefault(g => g.Keys.Any(k => k.Id == who.KeyId))?.Prefix ?? "";
        var key = $"{prefix}ripen-probe-{Guid.NewGuid():N}";
        var probe = RandomNumberGenerator.GetBytes(1024);

        await Step(
            "list",
            () =>
            {
                access.Demand(bucket, prefix, Right.List, who);
                var page = objects.List(bucket, prefix, "/", null, 10);
                return Task.FromResult($"{page.Objects.Count + page.Prefixes.Count} entries on the first page");
            }
        );
        var written = await Step(
            "write a probe",
            async () =>
            {
                access.Demand(bucket, key, Right.Write, who);
                using var body = new MemoryStream(probe);
                var stored = await objects.Write(
                    bucket,
                    key,
                    body,
                    new WriteConditions(WriteConditions.OnlyNew, Sha256: SHA256.HashData(probe)),
                    cancel
                );
                return $"{stored.Bytes} bytes as '{key}'";
            }
        );
        await Step(
            "read",
            async () =>
            {
                access.Demand(bucket, key, Right.Read, who);
                if (!written)
                    return "the right is there; nothing was written that could be read back";
                using var opened = objects.Open(bucket, key, null);
                using var back = new MemoryStream();
                await opened.Send(0, opened.Version.Bytes, back, cancel);
                return back.ToArray().AsSpan().SequenceEqual(probe)
                    ? "the same bytes came back"
                    : throw new RefusalException(RefusalKind.Damaged, "damaged-content", "Other bytes came back than were written.");
            }
        );
        if (written)
        {
            await Step(
                "delete the probe",
                () =>
                {
                    access.Demand(bucket, key, Right.Write, who);
                    objects.Delete(bucket, key, null);
                    // Its history is ours to clear away: the probe was not theirs.
                    foreach (var version in objects.Versions(bucket, key))
                        objects.Delete(bucket, key, version.Version);
                    return Task.FromResult("nothing of it is left");
                }
            );
        }
        return steps;

        async Task<bool> Step(string what, Func<Task<string>> tried)
        {
            try
            {
                steps.Add(new AccessTestStep(what, true, await tried()));
                return true;
            }
            catch (RefusalException refusal)
            {
                steps.Add(new AccessTestStep(what, false, refusal.Message));
                return false;
            }
        }
    }
}
