using Ripen.Core.Backups;
using Ripen.Core.Estates;
using Ripen.Core.Pricing;
using Ripen.Core.Replication;

namespace Ripen.Core.Ageing;

/// <summary>What lies in one tier of a bucket on a day. <see cref="BytesByAge"/> has an entry for each of
/// <see cref="AgeBins.Starts"/>.</summary>
public sealed record TierContents(string Tier, double Objects, double Bytes, IReadOnlyList<double> BytesByAge);

/// <summary>
/// What lies in a bucket on a day, as it would be counted in the morning, before that day's arrivals and rules.
/// On the estate's today that is exactly its stock; later days are projected, and their numbers expectations.
/// </summary>
public sealed record Snapshot(IReadOnlyList<TierContents> Tiers)
{
    public double Objects => Tiers.Sum(t => t.Objects);

    public double Bytes => Tiers.Sum(t => t.Bytes);

    /// <param name="bucket">The bucket to look into.</param>
    /// <param name="estate">The valid estate that it belongs to.</param>
    /// <param name="on">The estate's today or a later day; earlier days count as today.</param>
    /// <param name="copies">The estate's copies, at least until that day; null to work them out here.</param>
    public static Snapshot Of(Bucket bucket, Estate estate, DateOnly on, IncomingCopies? copies = null)
    {
        var day = Math.Max(0, on.DayNumber - estate.Today.DayNumber);
        return Of(bucket, estate, [on], copies ?? IncomingCopies.Of(estate, Math.Max(day, 1))).Single();
    }

    /// <summary>The same on several days, for little more than the last of them takes.</summary>
    /// <param name="bucket">The bucket to look into.</param>
    /// <param name="estate">The valid estate that it belongs to.</param>
    /// <param name="on">The estate's today or later days; earlier days count as today.</param>
    /// <param name="copies">The estate's copies, at least until the last of the days.</param>
    public static IEnumerable<Snapshot> Of(Bucket bucket, Estate estate, IReadOnlyList<DateOnly> on, IncomingCopies copies)
    {
        var days = on.Select(d => Math.Max(0, d.DayNumber - estate.Today.DayNumber)).ToList();
        var horizon = Math.Max(1, days.Max());
        var populations = days.All(d => d == 0)
            ? []
            : Population
                .Of(bucket, copies.Into(bucket.Name), estate.PriceBook, estate.Today, horizon, new GrowthTable.Shelf(horizon))
                .ToList();
        foreach (var day in days)
            yield return Of(bucket, estate, day, populations, copies);
    }

    private static Snapshot Of(Bucket bucket, Estate estate, int day, IReadOnlyList<Population> populations, IncomingCopies copies)
    {
        var tiers = estate.PriceBook.Tiers.Select(_ => new Tally()).ToArray();
        if (day == 0)
        {
            foreach (var lot in bucket.Stock)
            {
                tiers[estate.PriceBook.Coldness(lot.Tier)]
                    .Add(lot.Count, lot.BytesPerObject, estate.Today.DayNumber - lot.Created.DayNumber);
            }
        }
        else
        {
            foreach (var population in populations)
            {
                foreach (var life in population.Lives)
                    Count(life, day - 1, tiers);
                if (population.Read is { } read)
                    Count(read, tiers, day - 1);
            }
        }
        foreach (var packs in PacksInBucket.Of(bucket, copies, estate.PriceBook, estate.Today))
        {
            var there = new List<(int Created, int Tier, NeededPacks Packs)>();
            foreach (var life in packs.Lives)
            {
                if (day > 0)
                    life.TellUntilSettled(estate.Today, day, estate.PriceBook, new Morning(day - 1, life.Created, there));
                else if (life.ThisMorning(estate.Today) is { } lies)
                    there.Add((life.Created, lies.Tier, lies.Packs));
            }
            foreach (var branch in packs.Branches)
            {
                foreach (var (created, tier, of) in there)
                    tiers[tier].Add(of.Objects(branch), packs.BytesPerObject, day - created);
                foreach (var (created, objects) in packs.Settled?.On(branch, day - 1) ?? [])
                    tiers[packs.Settled!.Stay.Tier].Add(objects, packs.BytesPerObject, day - created);
            }
        }
        return new Snapshot([.. tiers.Select((tally, i) => tally.Close(estate.PriceBook.Tiers[i].Id)).Where(t => t.Objects > 0)]);
    }

    /// <summary>Told what rests on one day.</summary>
    private sealed class Morning(int day, int created, List<(int Created, int Tier, NeededPacks Packs)> there) : IPackWitness
    {
        public void Rest(int from, int to, int tier, NeededPacks packs, bool watched)
        {
            if (from <= day && day < to)
                there.Add((created, tier, packs));
        }

        public void Leave(int on, int tier, int since, NeededPacks packs, int next) { }

        public void MoveIn(int on, int tier, NeededPacks packs) { }

        public void EndStay(int on, NeededPacks packs, Stay[] stays, int stay, bool forGood) { }
    }

    private static void Count(Life life, int day, Tally[] tiers)
    {
        for (var i = 0; i < life.Stays.Length; i++)
        {
            var stay = life.Stays[i];
            for (var bin = 0; bin < AgeBins.Starts.Count; bin++)
            {
                // Ages are told as of the morning after the last day's run.
                var youngest = AgeBins.Starts[bin] - 1;
                var oldest = bin + 1 < AgeBins.Starts.Count ? AgeBins.Starts[bin + 1] - 1 : Lifecycle.Never;
                var objects = life.Resting(i, day, youngest, oldest) * stay.Form.Count;
                if (objects > 0)
                    tiers[stay.Tier].Add(objects, stay.Form.BytesPerObject, AgeBins.Starts[bin]);
            }
        }
    }

    private static void Count(ReadPopulation population, Tally[] tiers, int day)
    {
        var (there, gone) = (new AgeWeights(population.Life.Ages), new AgeWeights(population.Life.Ages));
        population.Weigh(day, day + 1, there, gone);
        var (first, end) = there.Range;
        for (var tier = 0; tier < tiers.Length; tier++)
        {
            var objects = population.Life.Of(tier, AgeEvent.ObjectsAtNight);
            var bytes = population.Life.Of(tier, AgeEvent.BytesAtNight);
            for (var at = first; at < end && !objects.IsEmpty; at++)
                tiers[tier]
                    .AddBytes(there[at] * objects[at], there[at] * (bytes.IsEmpty ? 0 : bytes[at]), population.Life.FirstAge + at + 1);
        }
    }

    private sealed class Tally
    {
        private readonly double[] bytesByAge = new double[AgeBins.Starts.Count];
        private double objects;

        public void Add(double count, long bytesPerObject, int age) => AddBytes(count, count * bytesPerObject, age);

        public void AddBytes(double count, double bytes, int age)
        {
            objects += count;
            var bin = AgeBins.Starts.Count - 1;
            while (AgeBins.Starts[bin] > age)
                bin--;
            bytesByAge[bin] += bytes;
        }

        public TierContents Close(string tier) => new(tier, objects, bytesByAge.Sum(), bytesByAge);
    }
}
