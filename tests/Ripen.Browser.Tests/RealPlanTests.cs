using System.Globalization;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>A folder is planned in the browser, time passes, a file and a mail are lost, and both come back as they were.</summary>
public sealed class RealPlanTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly HttpClient http = new() { BaseAddress = demo.Ripen.Address };

    private string Folder => Path.Combine(demo.Ripen.Folder, "folders", "wheelhouse");

    public void Dispose() => http.Dispose();

    private async Task Pass(int days)
    {
        var now = DateTimeOffset.Parse(
            (string)(await http.GetFromJsonAsync<JsonNode>("/api/clock"))!["now"]!,
            CultureInfo.InvariantCulture
        );
        (await http.PostAsJsonAsync("/api/clock/passages", new { until = now.AddDays(days) })).EnsureSuccessStatusCode();
        page.Until(
            () => !(bool)http.GetFromJsonAsync<JsonNode>("/api/clock").GetAwaiter().GetResult()!["passage"]!["running"]!,
            "time to stand again"
        );
    }

    [Fact]
    public async Task A_folder_is_planned_and_what_is_lost_of_it_comes_back()
    {
        http.DefaultRequestHeaders.Add("Ripen-Request", "1");
        Directory.CreateDirectory(Folder);
        var (log, post) = (Path.Combine(Folder, "log book.txt"), Path.Combine(Folder, "crew.mbox"));
        const string entry = "Left berth 2 at nine, calm sea.";
        const string mail =
            "From: Mate <mate@brackwater.example>\nTo: cook@brackwater.example\nSubject: Bunks painted\n"
            + "Date: Sat, 2 Mar 2024 09:00:00 +0000\n\nAll eight of them are dry.\n";
        await File.WriteAllTextAsync(log, entry);
        await File.WriteAllTextAsync(post, $"From mate Sat Mar  2 09:00:00 2024\n{mail}\n");

        page.Open("/backups/office-vault");
        page.Type(page.Field("Passphrase"), "the ferry leaves at nine");
        page.Type(page.Field("The same again"), "the ferry leaves at nine");
        page.Press(Keys.Enter);
        page.See("Restore points");

        page.Open("/plans");
        page.Click(page.Button("Add a workload"));
        page.Type(page.Field("It is called"), "Wheelhouse");
        page.Type(page.Field("Content today"), "1");
        page.Click(page.Find("option[value=folder]"));
        page.Type(page.Field("Folder of the server's machine"), Folder);
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Press(Keys.Enter);
        page.Gone("Folder of the server's machine");
        page.See("Wheelhouse");

        page.Open("/plans/new");
        page.Type(page.Field("It is called"), "Wheelhouse, twice a day");
        foreach (var box in page.Browser.FindElements(By.CssSelector("form fieldset:first-of-type input[type=checkbox]")))
        {
            if (box.Selected != (box.FindElement(By.XPath("..")).Text == "Wheelhouse"))
                page.Click(box);
        }
        page.Type(page.Field("Times of day"), "06:00, 25:00");
        page.See("'25:00' is not a time of day");
        page.Type(page.Field("Times of day"), "06:00, 18:00");
        page.Type(page.Field("in the time zone"), "Nowhere/Sea");
        page.See("The time zone database has no 'Nowhere/Sea'");
        page.Type(page.Field("in the time zone"), "Atlantic/Faroe");
        page.Until(() => page.Browser.FindElements(By.CssSelector("form .text-bad")).Count == 0, "nothing wrong any more");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("Begin"));
        page.See("None was done yet");
        page.Click(page.Button("Take a point"));
        page.See("Backed up: Wheelhouse");

        await Pass(1);
        File.Delete(log);
        File.Delete(post);
        await Pass(2);
        page.Open("/plans/wheelhouse-twice-a-day");
        page.See("18:00 UTC");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Open("/calendar");
        page.See("Wheelhouse");

        // The file is found, and restored from its point into another folder.
        page.Open("/find?text=log+book");
        page.See("not in the newest");
        page.Click(page.Find("a[aria-label^='In its point']"));
        page.See("log book.txt");
        page.See("wheelhouse-twice-a-day, until");
        var back = Path.Combine(demo.Ripen.Folder, "folders", "back");
        page.Type(page.Field("Restore everything into"), back);
        page.Press(Keys.Enter);
        page.Until(() => File.Exists(Path.Combine(back, "log book.txt")), "the restored file");
        Assert.Equal(entry, await File.ReadAllTextAsync(Path.Combine(back, "log book.txt")));

        // The mail is found, read, and put back.
        page.Open("/find-mail");
        page.Type(page.Field("Subject"), "bunks");
        page.See("1 message in");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("Bunks painted"));
        page.See("All eight of them are dry.");
        page.Type(page.Field("or put it back into the mailbox"), "/etc/crew.mbox");
        page.Press(Keys.Enter);
        page.See("does not lie in a folder that the setting");
        page.Type(page.Field("or put it back into the mailbox"), post);
        page.Press(Keys.Enter);
        page.See("Put back at the end of");
        Assert.Empty(Accessibility.Violations(page.Browser));
        Assert.EndsWith($"{mail}\n", await File.ReadAllTextAsync(post), StringComparison.Ordinal);
    }
}
