namespace Ripen.Core.Estates;

/// <summary>When a bucket's legal holds may become others.</summary>
public static class HoldRules
{
    /// <summary>Why a change of a bucket's holds is refused; null when it may be made. Nobody shortens a hold but by releasing it, from
    /// <paramref name="today"/> on at the earliest.</summary>
    /// <param name="bucket">Its name.</param>
    /// <param name="before">Those in force.</param>
    /// <param name="after">What is wanted.</param>
    /// <param name="today">The provider's day.</param>
    /// <param name="isOwnRequest">Whether somebody places or releases holds by a request of its own, with a name and a reason.</param>
    public static RefusalException? Refusal(
        string bucket,
        IReadOnlyList<Hold> before,
        IReadOnlyList<Hold> after,
        DateOnly today,
        bool isOwnRequest
    )
    {
        if (!isOwnRequest && !(before.Count == after.Count && before.Zip(after).All(h => IsSame(h.First, h.Second))))
            return new RefusalException(
                RefusalKind.Conflict,
                "holds-by-name",
                $"Legal holds of '{bucket}' are placed and released by requests of their own, with a name and a reason; a change of the bucket "
                    + "leaves them as they are.",
                "$.holds"
            );
        foreach (var hold in before.Where(h => h.Released is null || h.Released > today))
        {
            var stays = after.FirstOrDefault(h => h.Id == hold.Id);
            if (
                stays is null
                || !IsSameScope(stays, hold)
                || stays.Placed > hold.Placed
                || (stays.Released < today && stays.Released != hold.Released)
            )
                return new RefusalException(
                    RefusalKind.Conflict,
                    "held",
                    $"'{bucket}' is under the legal hold '{hold.Id}' ({hold.Reason}). It ends by being released, by name and with a reason.",
                    "$.holds"
                );
        }
        return null;
    }

    private static bool IsSame(Hold a, Hold b) =>
        a.Id == b.Id && IsSameScope(a, b) && (a.Reason, a.Placed, a.Released) == (b.Reason, b.Placed, b.Released);

    private static bool IsSameScope(Hold a, Hold b) => a.Scope.IsSame(b.Scope);
}
