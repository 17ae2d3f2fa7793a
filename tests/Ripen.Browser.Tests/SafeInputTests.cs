using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;

namespace Ripen.Browser.Tests;

/// <summary>Nothing that somebody typed is lost, or applied other than it was shown.</summary>
public sealed class SafeInputTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly BucketsOverHttp buckets = new(demo.Ripen.Address);

    public void Dispose() => buckets.Dispose();

    [Fact]
    public async Task A_server_that_goes_and_comes_back_takes_nothing_away_that_was_typed()
    {
        await using var ripen = await RunningRipen.Start();
        var own = new Page(ripen);
        using var http = new BucketsOverHttp(ripen.Address);
        await http.Make("typed-into");
        own.Open("/buckets/typed-into");
        own.Type(own.Field("Objects a day"), "71");
        own.See("a draft; nothing is done yet");
        await ripen.StopServer();
        own.Type(own.Field("Objects a day"), "72");
        own.See("The server does not answer");
        own.Type(own.Field("Growth a year, %"), "3");
        Assert.Equal("72", own.Field("Objects a day").GetAttribute("value"));
        own.Until(() => own.Button("Apply").GetAttribute("aria-disabled") == "true", "no Apply without an answer to this draft");
        await ripen.StartServer();
        own.Type(own.Field("Growth a year, %"), "4");
        own.Until(() => own.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply, with the consequences of this draft");
        own.Click(own.Button("Apply"));
        own.See("no changes");
        var stream = (await http.Stored("typed-into"))["streams"]![0]!;
        Assert.Equal((72, 0.04), (stream["objectsPerDay"]!.GetValue<double>(), stream["yearlyGrowth"]!.GetValue<double>()));
    }

    [Fact]
    public async Task What_is_typed_while_a_draft_is_being_applied_stays_a_draft()
    {
        await buckets.Make("slow-line");
        page.Open("/buckets/slow-line");
        page.Type(page.Field("Objects a day"), "81");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply");
        // The change is on its way until it is let go.
        var script = (IJavaScriptExecutor)page.Browser;
        script.ExecuteScript(
            """
            const send = window.fetch;
            const held = new Promise(go => { window.letGo = go; });
            window.fetch = async (request, options) => {
              if ((request.method ?? options?.method) === 'PUT') await held;
              return send(request, options);
            };
            """
        );
        page.Click(page.Button("Apply"));
        page.See("being applied");
        page.Type(page.Field("Growth a year, %"), "9");
        script.ExecuteScript("window.letGo()");
        page.See("Applied to slow-line.");
        page.See("a draft; nothing is done yet");
        Assert.Equal("9", page.Field("Growth a year, %").GetAttribute("value"));
        var stored = (await buckets.Stored("slow-line"))["streams"]![0]!;
        Assert.Equal((81, 0), (stored["objectsPerDay"]!.GetValue<double>(), stored["yearlyGrowth"]!.GetValue<double>()));
        page.Click(page.Button("Discard"));
        page.See("no changes");
    }

    [Fact]
    public async Task A_colleagues_change_of_another_part_is_merged_without_a_question()
    {
        await buckets.Make("two-hands");
        page.Open("/buckets/two-hands");
        page.Type(page.Field("Objects a day"), "55");
        page.See("a draft; nothing is done yet");
        var (bucket, tag) = await buckets.StoredWithTag("two-hands");
        bucket["versioning"] = true;
        await buckets.Change(bucket, tag);
        page.Browser.Navigate().Refresh();
        page.See("Their change goes together with yours: versioning.");
        page.Click(page.Button("Go on with both changes"));
        page.Gone("Their change goes together");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply");
        page.Click(page.Button("Apply"));
        page.See("no changes");
        var stored = await buckets.Stored("two-hands");
        Assert.Equal((true, 55), (stored["versioning"]!.GetValue<bool>(), stored["streams"]![0]!["objectsPerDay"]!.GetValue<double>()));
    }

    [Fact]
    public async Task An_applied_change_is_undone_from_its_confirmation_and_from_the_log()
    {
        await buckets.Make("there-and-back");
        page.Open("/buckets/there-and-back");
        page.Type(page.Field("Objects a day"), "61");
        Apply();
        page.Click(page.Button("Undo"));
        page.See("a draft; nothing is done yet");
        Assert.Equal("100", page.Field("Objects a day").GetAttribute("value"));
        Apply();
        Assert.Equal(100, (await buckets.Stored("there-and-back"))["streams"]![0]!["objectsPerDay"]!.GetValue<double>());

        page.Open("/log");
        page.Click(page.Find("button[aria-label='Undo: Bucket changed there-and-back']"));
        page.Until(() => page.Path == "/buckets/there-and-back", "the bucket with the draft that takes the change back");
        page.See("a draft; nothing is done yet");
        Assert.Equal("61", page.Field("Objects a day").GetAttribute("value"));
        page.Click(page.Button("Discard"));
        page.See("no changes");

        void Apply()
        {
            page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply");
            page.Click(page.Button("Apply"));
            page.See("no changes");
        }
    }

    [Fact]
    public async Task An_undo_takes_nothing_away_that_was_typed_since_and_works_from_another_page()
    {
        await buckets.Make("typed-since");
        page.Open("/buckets/typed-since");
        page.Type(page.Field("Objects a day"), "62");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply");
        page.Click(page.Button("Apply"));
        page.See("Applied to typed-since.");
        page.Click(page.Find("#place input[type=checkbox]"));
        page.See("a draft; nothing is done yet");
        page.Click(page.Link("Forecast"));
        page.Until(() => page.Path == "/forecast", "the forecast");
        page.Click(page.Button("Undo"));
        page.Until(() => page.Path == "/buckets/typed-since", "the bucket");
        page.Until(() => page.Field("Objects a day").GetAttribute("value") == "100", "the undo in the draft");
        Assert.True(page.Find("#place input[type=checkbox]").Selected);
        page.Click(page.Button("Discard"));
        page.See("no changes");
    }

    [Fact]
    public async Task A_colleague_who_changed_a_bucket_and_changed_it_back_does_not_stand_in_the_way()
    {
        await buckets.Make("back-again");
        page.Open("/buckets/back-again");
        page.Type(page.Field("Objects a day"), "63");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply");
        foreach (var versioning in new[] { true, false })
        {
            var (bucket, tag) = await buckets.StoredWithTag("back-again");
            bucket["versioning"] = versioning;
            await buckets.Change(bucket, tag);
        }
        page.Click(page.Button("Apply"));
        page.See("was changed in the meantime");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply");
        page.Click(page.Button("Apply"));
        page.See("no changes");
        Assert.Equal(63, (await buckets.Stored("back-again"))["streams"]![0]!["objectsPerDay"]!.GetValue<double>());
    }

    [Fact]
    public async Task A_line_takes_no_text_for_no_limit_keeps_what_is_typed_and_is_undone_from_the_log()
    {
        const string Line = "Kestrel Sound – Aldmouth";
        page.Open("/replication");
        page.Click(page.Find($"button[aria-label='Edit {Line}']"));
        page.Type(page.Find($"input[aria-label^='Mbit/s of {Line}']"), "plenty");
        page.Type(page.Find($"input[aria-label='Milliseconds of {Line}']"), "21");
        Assert.Equal("true", page.Button("Apply").GetAttribute("aria-disabled"));
        page.Type(page.Find($"input[aria-label^='Mbit/s of {Line}']"), "77");
        page.Open("/log");
        page.See("Estate imported");
        page.Open("/replication");
        page.Until(() => page.Find($"input[aria-label^='Mbit/s of {Line}']").GetAttribute("value") == "77", "the draft of the line");
        var before = await Transfer();
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "the bill with these terms");
        page.Present("a[aria-label$='in year 1, afterwards']").SendKeys(Keys.Enter);
        page.See("price book: as in a draft of it");
        page.Open("/replication");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "the bill again");
        page.Click(page.Button("Apply"));
        page.See($"Applied to {Line}.");
        Assert.Equal((77, 21), await Transfer());

        page.Open("/log");
        page.Click(page.Find("button[aria-label^='Undo: Line changed']"));
        page.Until(() => page.Path == "/replication", "the lines");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "the bill as it was");
        page.Click(page.Button("Apply"));
        page.See($"Applied to {Line}.");
        Assert.Equal(before, await Transfer());

        async Task<(double? Mbit, double? Milliseconds)> Transfer()
        {
            using var http = new HttpClient { BaseAddress = demo.Ripen.Address };
            var estate = System.Text.Json.Nodes.JsonNode.Parse(await http.GetStringAsync(new Uri("/api/estate", UriKind.Relative)))!;
            var line = estate["priceBook"]!["transfers"]!
                .AsArray()
                .SingleOrDefault(t => t!["from"]!.GetValue<string>() == "kestrel-sound" && t["to"]!.GetValue<string>() == "aldmouth");
            return (line?["megabitsPerSecond"]?.GetValue<double>(), line?["roundTripMilliseconds"]?.GetValue<double>());
        }
    }

    [Fact]
    public async Task A_replication_rule_that_is_left_half_made_is_still_there()
    {
        await buckets.Make("half-a-rule");
        page.Open("/replication/new?from=half-a-rule");
        page.Type(page.Field("Its name"), "half-a-rule-over-there");
        page.Open("/");
        page.See("port-sonar");
        page.Open("/replication/new?from=half-a-rule");
        page.Until(() => page.Field("Its name").GetAttribute("value") == "half-a-rule-over-there", "what was typed");
        page.Click(page.Button("Discard"));
        page.Until(() => page.Field("Its name").GetAttribute("value") == "half-a-rule-far", "the form as it began");
    }

    [Fact]
    public async Task Secrets_that_are_shown_once_survive_escape_and_a_click_beside_them()
    {
        await buckets.Make("with-secrets");
        page.Open("/buckets/with-secrets");
        page.Click(page.Button("Grant access…"));
        page.Type(page.Field("For whom or what"), "the pilot boat");
        page.Click(page.Button("Grant it"));
        page.See("Copy the secret now");
        page.Press(Keys.Escape);
        new OpenQA.Selenium.Interactions.Actions(page.Browser).MoveToLocation(20, 400).Click().Perform();
        page.See("Copy the secret now");
        page.Find("[data-testid=key]");
        page.Click(page.Button("I have copied it"));
        page.Gone("Copy the secret now");
    }

    [Fact]
    public async Task Half_a_number_is_a_half_and_an_empty_field_is_no_number()
    {
        await buckets.Make("half-typed");
        page.Open("/buckets/half-typed");
        page.Type(page.Field("Objects a day"), "0,5");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply");
        page.Click(page.Button("Apply"));
        page.See("no changes");
        Assert.Equal(0.5, (await buckets.Stored("half-typed"))["streams"]![0]!["objectsPerDay"]!.GetValue<double>());
        page.Type(page.Field("Objects a day"), "");
        page.See("Cannot be applied");
        Assert.Equal("", page.Field("Objects a day").GetAttribute("value"));
        page.Click(page.Button("Discard"));
        page.See("no changes");
    }
}
