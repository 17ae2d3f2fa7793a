using Ripen.Core.Ageing;
using Ripen.Core.Billing;
using Ripen.Core.Estates;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;
using Ripen.Provider.Index;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Tests;

/// <summary>Uploads that break off and go on: what stays, what it is charged, when it goes, and what it never does.</summary>
public sealed class UploadTests : IDisposable
{
    private const int Size = 2_500_000;

    private static readonly byte[] Chart = TestProvider.Bytes(Size);
    private static readonly Estate Harbour = TestProvider.OneBucket(b => b with { UnfinishedUploadDays = 3 });

    private readonly TestProvider provider = new(Harbour);

    public void Dispose() => provider.Dispose();

    private Uploads Uploads => provider.Inside.Uploads;

    private Upload Begin(string key = "charts/north.pdf", int length = Size, bool onlyNew = false) =>
        Uploads.Begin("harbour", key, new UploadOrder(length, "application/pdf", OnlyNew: onlyNew));

    private Task<UploadProgress> Send(Upload upload, int from, int to, Stream? body = null) =>
        Uploads.Append("harbour", upload.Id, from, body ?? new MemoryStream(Chart[from..to]), null, CancellationToken.None);

    private static async Task<string> Refusal(Func<Task> act) => (await Assert.ThrowsAsync<RefusalException>(act)).Code;

    [Theory]
    [InlineData(Size)]
    [InlineData(1_000_000, 1_000_001, 2_400_000, Size)]
    public async Task Parts_become_the_object_with_the_last_byte_and_nothing_else_is_left(params int[] ends)
    {
        var upload = Begin();
        UploadProgress? progress = null;
        var from = 0;
        foreach (var end in ends)
        {
            Assert.Null(progress?.Stored);
            Assert.Null(provider.Objects.Find("harbour", "charts/north.pdf", null));
            progress = await Send(upload, from, end);
            from = end;
        }
        Assert.Equal((Size, TestProvider.Sha(Chart)), (progress!.Stored!.Bytes, progress.Stored.Sha256));
        Assert.Equal("application/pdf", progress.Stored.MediaType);
        Assert.Equal(Chart, await provider.Get("charts/north.pdf"));
        Assert.Empty(Uploads.All("harbour"));
        Assert.Equal("no-upload", await Refusal(() => Send(upload, 0, 1)));
        Assert.Equal(1, provider.FilesOnDisk);
        provider.Reopen(Harbour);
        Assert.Equal((0, 0), (provider.Inside.Mended.HalfWritten, provider.Inside.Mended.PutAside));
        Assert.Equal(Chart, await provider.Get("charts/north.pdf"));
    }

    [Fact]
    public async Task What_came_before_a_break_stays_also_when_the_program_ends_and_no_byte_of_it_lies_in_the_open()
    {
        var upload = Begin();
        await Assert.ThrowsAsync<IOException>(() => Send(upload, 0, 0, new Breaking(Chart[..1_700_000])));
        Assert.Equal(1_700_000, Uploads.Find("harbour", upload.Id).Received);
        provider.Reopen(Harbour);
        Assert.Equal(1_700_000, Uploads.Find("harbour", upload.Id).Received);
        var needle = Chart.AsSpan(500_000, 64).ToArray();
        Assert.All(
            Directory.EnumerateFiles(Path.Combine(provider.Folder, "content"), "*", SearchOption.AllDirectories),
            f => Assert.Equal(-1, File.ReadAllBytes(f).AsSpan().IndexOf(needle))
        );
        Assert.Equal("wrong-offset", await Refusal(() => Send(upload, 1_000_000, Size)));
        await Send(upload, 1_700_000, Size);
        Assert.Equal(Chart, await provider.Get("charts/north.pdf"));
    }

    [Fact]
    public async Task Two_senders_at_once_leave_one_part_and_the_object_whole()
    {
        var upload = Begin();
        var slow = new Waiting(Chart[..1_000_000]);
        var first = Send(upload, 0, 0, slow);
        await Send(upload, 0, 600_000);
        slow.Go();
        Assert.Equal("wrong-offset", await Refusal(() => first));
        Assert.Equal(1, provider.FilesOnDisk);
        await Send(upload, 600_000, Size);
        Assert.Equal(Chart, await provider.Get("charts/north.pdf"));
    }

    [Fact]
    public async Task More_than_was_announced_a_refused_part_and_a_wrong_name_leave_nothing()
    {
        var upload = Begin(length: 1000);
        Assert.Equal("too-long", await Refusal(() => Send(upload, 0, 1001)));
        await Assert.ThrowsAsync<InvalidDataException>(() =>
            Uploads.Append(
                "harbour",
                upload.Id,
                0,
                new MemoryStream(Chart[..10]),
                _ => throw new InvalidDataException(),
                CancellationToken.None
            )
        );
        Assert.Equal((0, 0), (Uploads.Find("harbour", upload.Id).Received, provider.FilesOnDisk));
        Assert.Equal("invalid-key", Assert.Throws<RefusalException>(() => Begin(key: "")).Code);
        Assert.Equal("out-of-range", Assert.Throws<RefusalException>(() => Begin(length: -1)).Code);
        Assert.Equal("no-bucket", Assert.Throws<RefusalException>(() => Uploads.Begin("quay", "a", new UploadOrder(1))).Code);
        Assert.Equal("no-upload", Assert.Throws<RefusalException>(() => Uploads.Discard("harbour", "x")).Code);
        Uploads.Discard("harbour", upload.Id);
        Assert.Empty(Uploads.All("harbour"));
    }

    /// <summary>An upload is another path to an object's place: the gate stands there too, and what was refused is not lost.</summary>
    [Fact]
    public async Task It_overwrites_nothing_that_is_kept_or_must_not_be_and_can_be_tried_again()
    {
        var sealedBucket = TestProvider.OneBucket(b =>
            b with
            {
                Keep = new KeepRule { Days = 10, Strength = KeepStrength.Sealed },
            }
        );
        provider.Adopt(sealedBucket, version: 2);
        var upload = Begin();
        await Send(upload, 0, 2_000_000);
        await provider.Put("charts/north.pdf", [1]);
        Assert.Equal("kept", await Refusal(() => Send(upload, 2_000_000, Size)));
        Assert.Equal([1], await provider.Get("charts/north.pdf"));
        Assert.Equal(Size, Uploads.Find("harbour", upload.Id).Received);
        provider.PassDays(11);
        Assert.Equal(Size, (await Send(upload, Size, Size)).Stored!.Bytes);
        Assert.Equal(Chart, await provider.Get("charts/north.pdf"));
        Assert.Equal("exists", Assert.Throws<RefusalException>(() => Begin(onlyNew: true)).Code);
        var late = Begin("charts/south.pdf", onlyNew: true);
        await provider.Put("charts/south.pdf", [2]);
        Assert.Equal("exists", await Refusal(() => Send(late, 0, Size)));
        Assert.Equal([2], await provider.Get("charts/south.pdf"));
    }

    [Fact]
    public async Task A_withdrawn_key_lets_nobody_read_what_had_come_and_given_back_it_goes_on()
    {
        var own = TestProvider.OneBucket(b => b with { OwnKey = true });
        provider.Adopt(own, version: 2);
        var upload = Begin();
        await Send(upload, 0, 2_000_000);
        provider.Inside.Sealing.Withdraw("harbour", "harbour");
        Assert.Equal("key-withdrawn", await Refusal(() => Send(upload, 2_000_000, Size)));
        provider.Inside.Sealing.GiveBack("harbour");
        await Send(upload, 2_000_000, Size);
        Assert.Equal(Chart, await provider.Get("charts/north.pdf"));
    }

    /// <summary>Worked by hand: two parts, of 1 MB and 0.5 MB, rest in the counter for the days from now until the third night after the last
    /// one came, and each is one write.</summary>
    [Fact]
    public async Task Parts_are_charged_where_objects_land_until_the_night_that_removes_them_and_the_projection_says_so()
    {
        var upload = Begin();
        await Send(upload, 0, 1_000_000);
        provider.PassDays(2);
        await Send(upload, 1_000_000, 1_500_000);
        var today = provider.Inside.Clock.Today;
        Assert.Equal(today.AddDays(3), Uploads.Find("harbour", upload.Id).RemovedOn);
        var stock = provider.Inside.Stock(null).Buckets["harbour"];
        Assert.Equal(2, stock.Unfinished.Sum(l => l.Parts));
        Assert.Equal(1, stock.Unfinished.Sum(l => l.Uploads));
        var estate = Harbour with
        {
            Today = today,
            Buckets = [Harbour.Buckets[0] with { Stock = stock.Lots, Unfinished = stock.Unfinished }],
        };
        var projected = ForecastSeries.Of(Projection.Of(estate, 2), SplitBy.Charge).Money[0];
        var ahead = Assert.Single(RulesAhead.Of(estate, 2));
        Assert.Equal(
            (Month.Of(today.AddDays(3)), NightDeed.Discards, null, "counter", 1, 1_500_000),
            (ahead.Month, ahead.Deed, ahead.Rule, ahead.From, ahead.Objects, ahead.Bytes)
        );
        provider.PassDays(3);
        Assert.Equal(2, provider.FilesOnDisk);
        var foreseen = provider.Inside.Tonight(null, 0, 10, CancellationToken.None);
        Assert.Equal(
            (NightDeed.Discards, "charts/north.pdf", 1_500_000.0),
            (foreseen.Acts.Single().Deed, foreseen.Acts.Single().Key, foreseen.Acts.Single().Bytes)
        );
        provider.PassDays(1);
        Assert.Equal(foreseen.Acts, provider.Inside.LastNight(null, 0, 10)!.Acts);
        Assert.Empty(Uploads.All("harbour"));
        Assert.Equal(0, provider.FilesOnDisk);
        provider.PassDays(40);

        var price = Harbour.PriceBook.FindRegion("aldmouth")!.PriceOf("counter")!;
        var unit = Harbour.PriceBook.Unit == SizeUnit.GB ? 1e9 : 1L << 30;
        var days = Harbour.PriceBook.Month == BillingMonth.ThirtyDays ? 30 : DateTime.DaysInMonth(today.Year, today.Month);
        var byHand = 1_500_000.0 / unit * 3 / days * price.Storage[0].Price.PerUnit;
        var metered = provider.Inside.Ledger(today, DateOnly.MaxValue, "harbour").Where(r => r.Charge == Charge.Storage).Sum(r => r.Amount);
        Assert.Equal(byHand, metered, byHand * 1e-11);
        Assert.Equal(byHand, projected, byHand * 1e-11);
        var writes = provider.Inside.Ledger(DateOnly.MinValue, DateOnly.MaxValue, "harbour").Where(r => r.Charge == Charge.Writes);
        Assert.Equal(2, writes.Sum(r => r.Quantity));
    }

    [Fact]
    public async Task Where_no_rule_removes_them_they_stay_and_cost_and_go_with_their_bucket()
    {
        var forever = TestProvider.OneBucket();
        provider.Adopt(forever, version: 2);
        await Send(Begin(), 0, 1_000_000);
        provider.PassDays(400);
        Assert.Null(Uploads.All("harbour").Single().RemovedOn);
        provider.Adopt(forever with { Buckets = [forever.Buckets[0] with { Name = "quay" }] }, version: 3);
        Assert.Equal(0, provider.Index(db => db.Value<long>("SELECT (SELECT count(*) FROM upload) + (SELECT count(*) FROM content)")));
        Assert.Equal(0, provider.FilesOnDisk);
    }

    [Fact]
    public async Task An_empty_object_needs_no_byte()
    {
        var stored = (await Send(Begin(length: 0), 0, 0)).Stored;
        Assert.Equal(0, stored!.Bytes);
        Assert.Empty(await provider.Get("charts/north.pdf"));
    }

    /// <summary>Gives what it has, and then the connection is gone.</summary>
    private sealed class Breaking(byte[] content) : MemoryStream(content)
    {
        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
            Position == Length ? throw new IOException("The connection broke.") : base.ReadAsync(buffer, cancellationToken);
    }

    /// <summary>Gives nothing before it may.</summary>
    private sealed class Waiting(byte[] content) : MemoryStream(content)
    {
        private readonly TaskCompletionSource may = new();

        public void Go() => may.SetResult();

        public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            await may.Task;
            return await base.ReadAsync(buffer, cancellationToken);
        }
    }
}
