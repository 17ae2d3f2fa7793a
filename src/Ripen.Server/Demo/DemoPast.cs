using System.Text;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Provider.Access;
using Ripen.Provider.Clock;
using Ripen.Provider.Objects;
using Ripen.Server.Backups;

namespace Ripen.Server.Demo;

/// <summary>What a step of the demo's past works with; the office's folder is null where no folder may be backed up.</summary>
internal sealed record DemoHands(
    CurrentEstate Current,
    EstateStore Store,
    BackupStore Backups,
    BudgetStore Budgets,
    SimulatedProvider Provider,
    Rehearsals Rehearsals,
    Pools Pools,
    IReadOnlyList<ClockStops> Stops,
    TimeProvider Time,
    string? Office
);

/// <summary>A step of the demo's past; done again after a crash it does no harm.</summary>
internal sealed record DemoStep(string What, Func<DemoHands, CancellationToken, Task> Do);

/// <summary>
/// Three months in the life of the demo, from 2026-11-01 on: midnight runs, changes of mind, a link that is used, a line that was cut and
/// recovered, a probe and an audit on record. All of it is done as anybody would do it, on the provider's clock.
/// </summary>
internal static class DemoPast
{
    private const string Notices = "harbour-notices";

    /// <param name="whole">Whether three months are lived, or only the files are put there.</param>
    public static IReadOnlyList<DemoStep> Steps(bool whole)
    {
        DemoStep files = new("the harbour offices' notices", (hands, _) => DemoContents.Put(hands.Provider.Objects));
        return !whole
            ? [files]
            :
            [
                files,
                new("a bucket for the kiosks' photos", (hands, cancel) => MakeBucket(hands, KioskPhotos, cancel)),
                new("backup plans", DemoPlans.Make),
                new("the harbour office's files, with points of a year", DemoFiles.Make),
                PassUntil(2026, 11, 2),
                new("a rehearsal of the wages", (hands, cancel) => DemoPlans.Rehearse(hands, "wages", "payroll", cancel)),
                PassUntil(2026, 11, 9),
                new("a link for the harbour master", UseLink),
                new("a budget until June", DemoBudgets.Fix),
                PassUntil(2026, 11, 18),
                new("a legal hold on what the bow's cameras saw", Hold),
                new("stern footage moves later", (hands, cancel) => ChangeStep(hands, "deck-cameras", "stern-footage", 14, cancel)),
                PassUntil(2026, 11, 27),
                new("a probe to Kestrel Sound", Probe),
                PassUntil(2026, 12, 4),
                new(
                    "the line to Kestrel Sound is cut for two days and a half",
                    (hands, _) => Do(() => hands.Provider.Copies.Cut("aldmouth", "kestrel-sound", hands.Provider.Clock.Now.AddHours(60)))
                ),
                new(
                    "notices that have to wait",
                    async (hands, cancel) =>
                    {
                        await Write(hands, "aldmouth/storm-surge.txt", "Storm surge expected, quay 2 stays closed.\n", cancel);
                        await Write(hands, "kestrel-sound/line-down.txt", "The line to Aldmouth is down; notices come by post.\n", cancel);
                    }
                ),
                PassUntil(2026, 12, 9),
                new("an audit of the notices' copies, every byte read", Audit),
                PassUntil(2026, 12, 24),
                new("a bucket for the winter's berth plans", (hands, cancel) => MakeBucket(hands, BerthPlans, cancel)),
                new("prices of the new year are announced", DemoPrices.Announce),
                new("two offers for the storage of the new year", DemoOffers.Receive),
                PassUntil(2027, 1, 12),
                new("a rehearsal of the crew's mail", (hands, cancel) => DemoPlans.Rehearse(hands, "nightly", "crew-mail", cancel)),
                new("a rehearsal of the tickets", (hands, cancel) => DemoPlans.Rehearse(hands, "nightly", "ticket-db", cancel)),
                new(
                    "telemetry is kept a little less long",
                    (hands, cancel) => ChangeExpiry(hands, "engine-telemetry", "telemetry", 370, cancel)
                ),
                PassUntil(2027, 1, 26),
                new("a survey whose sending breaks off", SendHalf),
                new("a bucket for what nobody uses on the hall's array", (hands, cancel) => MakeBucket(hands, DemoArrays.Bucket, cancel)),
                new("the array in the harbour hall", DemoArrays.Make),
                PassUntil(2027, 2, 1),
            ];
    }

    private static async Task SendHalf(DemoHands hands, CancellationToken cancel)
    {
        const string key = "winter/quarrydown-basin-survey.pdf";
        var uploads = hands.Provider.Uploads;
        if (uploads.All(BerthPlans.Name).Any(u => u.Key == key))
            return;
        var came = new byte[3_400_000];
        new Random(26).NextBytes(came);
        var upload = uploads.Begin(BerthPlans.Name, key, new UploadOrder(46_200_000, "application/pdf"));
        await uploads.Append(BerthPlans.Name, upload.Id, 0, new MemoryStream(came), null, cancel);
    }

    private static Task<bool> Hold(DemoHands hands, CancellationToken cancel)
    {
        const string bucket = "deck-cameras";
        var hold = new Hold
        {
            Id = "collision-at-berth-2",
            Prefix = "bow/",
            Reason = "the underwriters asked for all footage of the collision at berth 2",
            Placed = hands.Provider.Clock.Today,
            PlacedBy = "the harbour office's counsel",
        };
        return hands.Current.Change(
            async view =>
            {
                var before = view!.Estate.Find(bucket)!;
                if (before.Holds.Any(h => h.Id == hold.Id))
                    return true;
                var after = before with { Holds = [.. before.Holds, hold] };
                await hands.Current.Apply(
                    new PlannedChange(view.Estate.With(after, bucket), Held: bucket),
                    () =>
                        hands.Store.ChangeHolds(
                            before,
                            after,
                            isRelease: false,
                            hold.Reason,
                            view.Estate.Today,
                            view.VersionOf(bucket),
                            view.Version,
                            cancel
                        )
                );
                return true;
            },
            cancel
        );
    }

    private static DemoStep PassUntil(int year, int month, int day)
    {
        var until = new DateTimeOffset(year, month, day, 0, 0, 0, TimeSpan.Zero);
        return new DemoStep(
            $"time passes until {until:yyyy-MM-dd}",
            (hands, cancel) =>
                Do(() =>
                {
                    if (hands.Provider.Clock.Now < until)
                        hands.Provider.Clock.PassUntil(until, run => DemoFiles.Live(hands, run.Day.AddDays(1)), cancel, stops: hands.Stops);
                })
        );
    }

    private static async Task UseLink(DemoHands hands, CancellationToken cancel)
    {
        var provider = hands.Provider;
        var access = provider.Access.Make(Notices, "the harbour master's office", "aldmouth/", [Right.Read, Right.List], null);
        provider.Access.Demand(Notices, "aldmouth/tide-table.csv", Right.Read, new Credentials(access.Secret.KeyId, access.Secret.Secret));
        var link = provider.Access.Links.Make(Notices, "aldmouth/", true, provider.Clock.Now.AddDays(120));
        for (var i = 0; i < 3; i++)
        {
            provider.Access.Demand(
                Notices,
                "aldmouth/tide-table.csv",
                Right.Read,
                new Credentials(LinkToken: link.Path[(link.Path.LastIndexOf('=') + 1)..])
            );
            using var opened = provider.Objects.Open(Notices, "aldmouth/tide-table.csv", null);
            await opened.Send(0, opened.Version.Bytes, Stream.Null, cancel);
        }
    }

    private static async Task Probe(DemoHands hands, CancellationToken cancel)
    {
        await hands.Provider.Copies.Probe(RuleOf(hands, Notices), cancel);
        hands.Provider.Clock.PassUntil(hands.Provider.Clock.Now.AddHours(2), null, cancel);
    }

    private static Task Audit(DemoHands hands, CancellationToken cancel) =>
        Do(() => hands.Provider.Copies.Audit(RuleOf(hands, Notices), readEverything: true, cancel));

    private static long RuleOf(DemoHands hands, string bucket) =>
        hands.Provider.Copies.Rules().First(r => r.Bucket == bucket && !r.BringsBack).Id;

    private static Task<bool> ChangeStep(DemoHands hands, string bucket, string rule, int age, CancellationToken cancel) =>
        Change(hands, bucket, r => r.Id == rule ? r with { Steps = [r.Steps[0] with { Age = age }, .. r.Steps.Skip(1)] } : r, cancel);

    private static Task<bool> ChangeExpiry(DemoHands hands, string bucket, string rule, int age, CancellationToken cancel) =>
        Change(hands, bucket, r => r.Id == rule ? r with { ExpireAt = age } : r, cancel);

    private static Task<bool> Change(DemoHands hands, string bucket, Func<LifecycleRule, LifecycleRule> change, CancellationToken cancel) =>
        hands.Current.Change(
            async view =>
            {
                var before = view!.Estate.Find(bucket)!;
                var after = before with { Rules = [.. before.Rules.Select(change)] };
                var shown = Consequences.Of(view.Project(Consequences.Months), after, bucket).Cost;
                await hands.Current.Apply(
                    new PlannedChange(view.Estate.With(after, bucket)),
                    () => hands.Store.Change(before, after, view.Estate.Today, view.VersionOf(bucket), view.Version, shown, cancel)
                );
                return true;
            },
            cancel
        );

    private static readonly Bucket BerthPlans = new()
    {
        Name = "berth-plans",
        Tenant = "Harbour office",
        Region = "quarrydown",
        Scheme = "own-hall",
        Tier = "counter",
        Versioning = true,
        UnfinishedUploadDays = 14,
        Streams =
        [
            new ObjectStream
            {
                Prefix = "winter/",
                ObjectsPerDay = 2.5,
                BytesPerObject = 18_000_000,
            },
        ],
        Rules =
        [
            new LifecycleRule
            {
                Id = "plans",
                Steps = [new Step { Age = 47, Tier = "pantry" }],
                ExpireAt = 1460,
            },
            new LifecycleRule
            {
                Id = "plans-before",
                Applies = VersionKind.Earlier,
                ExpireAt = 90,
                KeepNewest = 3,
            },
        ],
    };

    /// <summary>Small pictures: those that nobody looks at sink, come back when somebody does, and end up in bundles.</summary>
    private static readonly Bucket KioskPhotos = new()
    {
        Name = "kiosk-photos",
        Tenant = "Ticket office",
        Region = "aldmouth",
        Scheme = "three-zones",
        Tier = "counter",
        Streams = [new ObjectStream { ObjectsPerDay = 900, BytesPerObject = 900_000 }],
        Reads =
        [
            new ReadBand { FromAge = 0, ShareOfObjectsPerDay = 0.08 },
            new ReadBand { FromAge = 14, ShareOfObjectsPerDay = 0.004 },
            new ReadBand { FromAge = 60, ShareOfObjectsPerDay = 0.00002 },
        ],
        Rules =
        [
            new LifecycleRule
            {
                Id = "nobody-looks",
                BackOnRead = true,
                Steps =
                [
                    new Step
                    {
                        Age = 30,
                        Tier = "pantry",
                        Clock = StepClock.Read,
                    },
                ],
            },
            new LifecycleRule
            {
                Id = "old-photos",
                Steps =
                [
                    new Step
                    {
                        Age = 70,
                        Tier = "cellar",
                        BundleTo = 64_000_000,
                    },
                ],
                ExpireAt = 730,
            },
        ],
    };

    private static Task<bool> MakeBucket(DemoHands hands, Bucket bucket, CancellationToken cancel) =>
        hands.Current.Change(
            async view =>
            {
                if (view!.Estate.Find(bucket.Name) is not null)
                    return true;
                var shown = Consequences.Of(view.Project(Consequences.Months), bucket, null).Cost;
                await hands.Current.Apply(
                    new PlannedChange(view.Estate.With(bucket, null)),
                    () => hands.Store.Add(bucket, view.Estate.Today, view.Version, shown, cancel)
                );
                return true;
            },
            cancel
        );

    private static async Task Write(DemoHands hands, string key, string text, CancellationToken cancel)
    {
        using var body = new MemoryStream(Encoding.UTF8.GetBytes(text));
        await hands.Provider.Objects.Write(Notices, key, body, new WriteConditions(MediaType: "text/plain; charset=utf-8"), cancel);
    }

    private static Task Do(Action deed)
    {
        deed();
        return Task.CompletedTask;
    }
}
