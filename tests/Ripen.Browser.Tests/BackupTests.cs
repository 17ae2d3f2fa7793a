using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>From no target to a file that came back, in the real interface.</summary>
public sealed class BackupTests(DemoFixture demo) : IClassFixture<DemoFixture>
{
    private readonly Page page = new(demo.Ripen);

    [Fact]
    public async Task A_target_is_made_proves_itself_is_backed_up_into_twice_and_gives_a_file_back()
    {
        var root = Path.Combine(demo.Ripen.Folder, "folders");
        page.Open("/backups");
        page.Type(page.Field("Name"), "Quarry shelf");
        page.Click(page.Field("In the bucket").FindElement(By.CssSelector("option[value=port-sonar]")));
        page.Click(page.Button("Make the target"));
        page.Until(() => page.Path == "/backups/quarry-shelf", "the target's page");
        page.Click(page.Button("Test it"));
        page.See("is gone");
        Assert.Equal(7, page.Browser.FindElements(By.CssSelector("[data-testid=probe] li")).Count);

        page.Type(page.Field("Passphrase"), "the ferry leaves at nine");
        page.Type(page.Field("The same again"), "the ferry leaves at ten");
        page.Click(page.Button("Make the pool"));
        page.See("The two are not the same.");
        page.Type(page.Field("The same again"), "the ferry leaves at nine");
        page.Click(page.Button("Make the pool"));
        page.See("encrypted under its passphrase");

        page.Type(page.Field("Folder of the server's machine"), "/etc");
        page.Click(page.Button("Back up"));
        page.See("does not lie in a folder that the setting Ripen:BackupRoots allows");
        page.Type(page.Field("Folder of the server's machine"), Path.Combine(root, "office"));
        page.Click(page.Button("Back up"));
        page.Until(() => Points().Count == 1, "the first point");
        page.Click(page.Button("Back up"));
        page.Until(() => Points().Count == 2, "the second point");
        page.See("0 B of it were new");

        page.Click(Points()[0]);
        page.Click(page.Button("Berths/"));
        var link = page.Link("berths 03.txt");
        using var http = new HttpClient();
        var original = await File.ReadAllBytesAsync(Path.Combine(root, "office", "Berths", "berths 03.txt"));
        Assert.Equal(original, await http.GetByteArrayAsync(new Uri(link.GetAttribute("href")!)));
        page.Type(page.Browser.FindElement(By.CssSelector("[data-testid=point] label input")), "INVOICES 1");
        page.Link("Invoices/invoices 12.txt");

        page.Type(page.Field("Restore Berths into"), Path.Combine(root, "back"));
        page.Click(page.Button("Restore"));
        page.See("Restored:");
        page.Until(() => File.Exists(Path.Combine(root, "back", "Berths", "berths 03.txt")), "the restored file");
        Assert.Equal(original, await File.ReadAllBytesAsync(Path.Combine(root, "back", "Berths", "berths 03.txt")));
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Open("/backups");
        page.See("Quarry shelf");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Open("/log");
        page.See("Backup target made");
    }

    private System.Collections.ObjectModel.ReadOnlyCollection<IWebElement> Points() =>
        page.Browser.FindElements(By.CssSelector("section[aria-label='Restore points'] > table tbody th button"));
}
