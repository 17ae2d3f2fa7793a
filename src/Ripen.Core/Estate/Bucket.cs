using System.Text.Json.Serialization;

namespace Ripen.Core.Estates;

/// <summary>A bucket: where it is, what lies in it and arrives, how that is read, ages, is kept and copied.</summary>
public sealed record Bucket
{
    /// <summary>3–63 characters of a–z, 0–9 and hyphen, beginning and ending with a letter or digit (a DNS label, RFC 1035).</summary>
    public required string Name { get; init; }
    public required string Region { get; init; }
    public required string Scheme { get; init; }

    /// <summary>Who uses it and answers for what it costs, by name (<see cref="Tenants"/>); null for nobody in particular.</summary>
    public string? Tenant { get; init; }

    /// <summary>The landing tier: where new objects arrive.</summary>
    public required string Tier { get; init; }
    public IReadOnlyList<Lot> Stock { get; init; } = [];
    public IReadOnlyList<ObjectStream> Streams { get; init; } = [];

    /// <summary>The reading habit; rises in <see cref="ReadBand.FromAge"/>.</summary>
    public IReadOnlyList<ReadBand> Reads { get; init; } = [];
    public IReadOnlyList<LifecycleRule> Rules { get; init; } = [];
    public KeepRule? Keep { get; init; }

    /// <summary>Legal holds, released ones among them.</summary>
    public IReadOnlyList<Hold> Holds { get; init; } = [];

    /// <summary>Whether an object that is overwritten or deleted stays as an earlier version.</summary>
    public bool Versioning { get; init; }

    /// <summary>Whether its contents are encrypted under a key of its own, which can be replaced and withdrawn, and not under the
    /// provider's.</summary>
    public bool OwnKey { get; init; }
    public IReadOnlyList<CopyRule> CopyTo { get; init; } = [];

    /// <summary>Whole days, from 1 on, after which an upload is removed of which nothing more came; null for never.</summary>
    public int? UnfinishedUploadDays { get; init; }

    /// <summary>Copies that were recalled, there or on their way. Not part of a document: only who ordered them knows.</summary>
    [JsonIgnore]
    public IReadOnlyList<RecalledLot> Recalled { get; init; } = [];

    /// <summary>Parts of uploads that are not complete. Not part of a document: only who sends them knows.</summary>
    [JsonIgnore]
    public IReadOnlyList<UnfinishedLot> Unfinished { get; init; } = [];

    /// <summary>The bucket in whose copy rules waits what waits in the same ones of another.</summary>
    public Bucket Awaiting(Bucket other) =>
        this with
        {
            CopyTo = [.. CopyTo.Select(c => c with { Waiting = other.CopyTo.FirstOrDefault(c.IsSame)?.Waiting ?? [] })],
        };

    /// <summary>The bucket when it is read so many times as often, at least 0.</summary>
    public Bucket Read(double times) =>
        times == 1 || Reads.Count == 0
            ? this
            : this with
            {
                Reads = [.. Reads.Select(r => r with { ShareOfObjectsPerDay = r.ShareOfObjectsPerDay * times })],
            };

    /// <summary>What was decided, without what lies and waits there, which is the provider's.</summary>
    public Bucket WithoutContents() =>
        this with
        {
            Stock = [],
            Recalled = [],
            Unfinished = [],
            CopyTo = [.. CopyTo.Select(c => c with { Waiting = [] })],
        };
}

/// <summary>Copies of objects that rest where reading takes a wait, in a tier without one.</summary>
/// <param name="Tier">The id of the tier where they lie.</param>
/// <param name="Objects">How many.</param>
/// <param name="BytesPerObject">Of each.</param>
/// <param name="From">The first day on which they are charged.</param>
/// <param name="Until">The first day on which they are not there.</param>
public sealed record RecalledLot(string Tier, double Objects, long BytesPerObject, DateOnly From, DateOnly Until);

/// <summary>Parts of uploads that are not complete; they rest in the landing tier.</summary>
/// <param name="Uploads">How many of them are the only or the first part of theirs, or stand for one of which nothing came.</param>
/// <param name="Parts">How many.</param>
/// <param name="BytesPerPart">Of each.</param>
/// <param name="LastReceived">The day on which the upload's last part came.</param>
public sealed record UnfinishedLot(double Uploads, double Parts, long BytesPerPart, DateOnly LastReceived)
{
    /// <summary>The first day on which they do not rest, by the bucket's rule; null for never.</summary>
    public DateOnly? Until(Bucket bucket) => bucket.UnfinishedUploadDays is { } days ? LastReceived.AddDays(days) : null;
}

/// <summary>Objects that are alike: prefix, day of creation, size and tier.</summary>
public sealed record Lot
{
    public string Prefix { get; init; } = "";

    /// <summary>Tags that every object of the lot carries; null for none.</summary>
    public IReadOnlyDictionary<string, string>? Tags { get; init; }
    public required DateOnly Created { get; init; }
    public required string Tier { get; init; }
    public required DateOnly InTierSince { get; init; }
    public required long Objects { get; init; }

    /// <summary>The part of one more object that a simulated workload has brought so far: at least 0 and below 1; null for none.</summary>
    public double? Fraction { get; init; }
    public required long BytesPerObject { get; init; }

    /// <summary>The day on which they were last read, not before <see cref="Created"/>; null for nobody's having read them since.</summary>
    public DateOnly? LastRead { get; init; }

    /// <summary>How many objects were put into the bundles that the lot consists of; null for none: it is no bundles.</summary>
    public double? Originals { get; init; }

    /// <summary>Whether these are earlier versions of their objects, superseded on <see cref="SupersededOn"/>.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public bool Earlier { get; init; }
    public DateOnly? SupersededOn { get; init; }

    /// <summary>The day on which they are overwritten; null for never.</summary>
    public DateOnly? ReplacedOn { get; init; }

    /// <summary>Every how many days their keys are overwritten, at least 1; null for never.</summary>
    public int? RewriteEvery { get; init; }

    /// <summary>Their own retention, whatever the bucket says: the first day on which they may go.</summary>
    public DateOnly? KeptUntil { get; init; }

    /// <summary>Whole objects and the fraction together.</summary>
    [JsonIgnore]
    public double Count => Objects + (Fraction ?? 0);

    /// <summary>What rules look at.</summary>
    internal ObjectKind Kind => new(Prefix, Tags, BytesPerObject, (Originals ?? Count) / (Count == 0 ? 1 : Count), RewriteEvery);
}

/// <summary>Objects that arrive every day. Fractions of an object are an expectation.</summary>
public sealed record ObjectStream
{
    public string Prefix { get; init; } = "";

    /// <summary>Tags that every object of the stream carries; null for none.</summary>
    public IReadOnlyDictionary<string, string>? Tags { get; init; }
    public required double ObjectsPerDay { get; init; }
    public required long BytesPerObject { get; init; }

    /// <summary>Growth of the arrivals in 365 days: 0.1 is ten per cent; greater than -1.</summary>
    public double YearlyGrowth { get; init; }

    /// <summary>After how many days each object is overwritten by a later arrival of the stream, at least 1; null for never.</summary>
    public int? ReplacedAfterDays { get; init; }

    /// <summary>What rules look at.</summary>
    internal ObjectKind Kind => new(Prefix, Tags, BytesPerObject, 1, ReplacedAfterDays, ReplacedAfterDays);

    /// <summary>The stream with its rate of <paramref name="day"/>, when this one's holds on <paramref name="statedOn"/>.</summary>
    public ObjectStream AsOf(DateOnly day, DateOnly statedOn) =>
        statedOn == day || YearlyGrowth == 0
            ? this
            : this with
            {
                ObjectsPerDay = ObjectsPerDay * Math.Pow(1 + YearlyGrowth, (day.DayNumber - statedOn.DayNumber) / 365.0),
            };
}

/// <summary>From this age on (days), this share of the objects is read every day; holds until the next entry.</summary>
public sealed record ReadBand
{
    public required int FromAge { get; init; }
    public required double ShareOfObjectsPerDay { get; init; }
}

/// <summary>Which versions of objects a lifecycle rule is for.</summary>
public enum VersionKind
{
    Current,
    Earlier,
}

/// <summary>A lifecycle rule: steps by age, and an optional age at which objects expire. The age of an earlier version counts from the day on
/// which it was superseded.</summary>
public sealed record LifecycleRule
{
    public required string Id { get; init; }
    public string Prefix { get; init; } = "";

    /// <summary>Only objects that carry all of these; null for no such condition.</summary>
    public IReadOnlyDictionary<string, string>? Tags { get; init; }

    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public VersionKind Applies { get; init; }

    /// <summary>Steps leave smaller objects where they are; expiry takes them all the same.</summary>
    public long SmallestBytes { get; init; }

    /// <summary>Steps leave larger objects where they are; null for no such condition.</summary>
    public long? LargestBytes { get; init; }
    public IReadOnlyList<Step> Steps { get; init; } = [];

    /// <summary>Whether an object that is read comes back to the landing tier; only with a step by reading.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public bool BackOnRead { get; init; }

    /// <summary>Age in days, at least 1; null for never.</summary>
    public int? ExpireAt { get; init; }

    /// <summary>How many of the newest earlier versions of each key its expiry spares; only for earlier versions.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public int KeepNewest { get; init; }

    /// <summary>What expires by this rule.</summary>
    [JsonIgnore]
    public Scope Scope => new(Prefix, Tags);

    /// <summary>What its steps move.</summary>
    [JsonIgnore]
    public Scope StepScope => new(Prefix, Tags, SmallestBytes, LargestBytes ?? long.MaxValue);

    /// <summary>Whether a step of it waits until nobody has read an object for some time.</summary>
    [JsonIgnore]
    public bool WatchesReading => Steps.Any(s => s.Clock == StepClock.Read);
}

/// <summary>What a step's age counts from.</summary>
public enum StepClock
{
    /// <summary>Creation, which is the last change; for earlier versions the day on which they were superseded.</summary>
    Created,

    /// <summary>The last reading, or creation where that is later.</summary>
    Read,
}

/// <summary>At this age (days) objects move to this tier, unless they are in a colder one.</summary>
public sealed record Step
{
    public required int Age { get; init; }
    public required string Tier { get; init; }

    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public StepClock Clock { get; init; }

    /// <summary>Smaller objects are bundled into objects of so many bytes; null for no bundling.</summary>
    public long? BundleTo { get; init; }
}

/// <summary>A legal hold: what it matches is kept from <see cref="Placed"/> until it is released.</summary>
public sealed record Hold
{
    public required string Id { get; init; }
    public string Prefix { get; init; } = "";

    /// <summary>Only objects that carry all of these; null for no such condition.</summary>
    public IReadOnlyDictionary<string, string>? Tags { get; init; }
    public required string Reason { get; init; }
    public required DateOnly Placed { get; init; }

    /// <summary>Who answers for it; null where nobody wrote it down.</summary>
    public string? PlacedBy { get; init; }

    /// <summary>The first day on which it holds no more; null while it holds.</summary>
    public DateOnly? Released { get; init; }
    public string? ReleasedBy { get; init; }
    public string? ReleasedBecause { get; init; }

    /// <summary>What it holds.</summary>
    [JsonIgnore]
    public Scope Scope => new(Prefix, Tags);
}

/// <summary>Sealed: nobody can shorten it. Liftable: a named role can, with a reason.</summary>
public enum KeepStrength
{
    Sealed,
    Liftable,
}

/// <summary>Retention: for so many days from creation, or until a day; exactly one of the two.</summary>
public sealed record KeepRule
{
    public int? Days { get; init; }
    public DateOnly? Until { get; init; }
    public required KeepStrength Strength { get; init; }
}

/// <summary>
/// Replication: what arrives in scope (prefix and tags) arrives in the other bucket too, as soon as the line between the regions has
/// carried it; with catch-up, what is there already does as well. Copies do not travel further.
/// </summary>
public sealed record CopyRule
{
    public required string Bucket { get; init; }
    public string Prefix { get; init; } = "";

    /// <summary>Only objects that carry all of these; null for no such condition.</summary>
    public IReadOnlyDictionary<string, string>? Tags { get; init; }

    /// <summary>Where copies land; null for the other bucket's landing tier.</summary>
    public string? Tier { get; init; }
    public bool CatchUp { get; init; }

    /// <summary>Whether the mark of a deletion is copied as well. Versions that are deleted for good stay on the other side in any
    /// case.</summary>
    public bool FollowDeletions { get; init; }

    /// <summary>How late a copy may be, in hours above 0; null when nothing was agreed.</summary>
    public double? AllowedLagHours { get; init; }

    /// <summary>What waits for the line on the estate's today, first come first.</summary>
    public IReadOnlyList<WaitingLot> Waiting { get; init; } = [];

    /// <summary>What is copied.</summary>
    [JsonIgnore]
    public Scope Scope => new(Prefix, Tags);

    /// <summary>Whether this is the rule <paramref name="other"/>, perhaps with other settings: the same scope to the same
    /// bucket.</summary>
    public bool IsSame(CopyRule other) => Bucket == other.Bucket && Scope.IsSame(other.Scope);
}

/// <summary>Objects that are alike and wait to be copied.</summary>
public sealed record WaitingLot
{
    public string Prefix { get; init; } = "";
    public required DateOnly Created { get; init; }

    /// <summary>The day on which they began to wait; not before <see cref="Created"/>.</summary>
    public required DateOnly Since { get; init; }
    public required long Objects { get; init; }

    /// <summary>The part of one more object: at least 0 and below 1; null for none.</summary>
    public double? Fraction { get; init; }
    public required long BytesPerObject { get; init; }

    /// <summary>Whole objects and the fraction together.</summary>
    [JsonIgnore]
    public double Count => Objects + (Fraction ?? 0);

    /// <summary>What rules look at.</summary>
    internal ObjectKind Kind => new(Prefix, null, BytesPerObject);
}
