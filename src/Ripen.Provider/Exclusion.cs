namespace Ripen.Provider;

/// <summary>
/// Keeps apart what must not go on together: time that passes, and a change by which buckets go, are emptied or move to another region. One
/// process uses a folder, so that it is enough to know it here; every member is called inside the index's one writing transaction, or ends
/// what began in one.
/// </summary>
internal sealed class Exclusion
{
    private readonly Lock gate = new();
    private IReadOnlySet<string> closing = new HashSet<string>();
    private bool timePasses;

    /// <exception cref="RefusalException">Time passes already, or buckets are about to go.</exception>
    public void BeginPassage()
    {
        lock (gate)
        {
            DemandStandingClock();
            if (closing.Count > 0)
                throw Busy();
            timePasses = true;
        }
    }

    public void EndPassage()
    {
        lock (gate)
            timePasses = false;
    }

    /// <summary>Nothing is added to these buckets until <see cref="Open"/>.</summary>
    /// <exception cref="RefusalException">Time passes, or others are about to go.</exception>
    public void Close(IReadOnlySet<string> buckets)
    {
        lock (gate)
        {
            DemandStandingClock();
            if (closing.Count > 0)
                throw Busy();
            closing = buckets;
        }
    }

    public void Open()
    {
        lock (gate)
            closing = new HashSet<string>();
    }

    /// <exception cref="RefusalException">The bucket is about to go.</exception>
    public void DemandOpen(string bucket)
    {
        lock (gate)
        {
            if (!closing.Contains(bucket))
                return;
        }
        throw new RefusalException(
            RefusalKind.Conflict,
            "bucket-closing",
            $"'{bucket}' is being removed, replaced or moved at this moment; nothing was stored. Look at it again, and send it then."
        );
    }

    /// <exception cref="RefusalException">Time passes, or buckets are about to go.</exception>
    public void DemandQuiet()
    {
        lock (gate)
        {
            DemandStandingClock();
            if (closing.Count > 0)
                throw Busy();
        }
    }

    private void DemandStandingClock()
    {
        if (timePasses)
            throw new RefusalException(RefusalKind.Conflict, "time-passes", "Time is passing; wait until it stands, or stop it first.");
    }

    private static RefusalException Busy() =>
        new(
            RefusalKind.Conflict,
            "change-under-way",
            "Buckets are being removed, replaced or moved at this moment; try again when that is over."
        );
}
