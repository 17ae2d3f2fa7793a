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
        page.Open("/new-target");
        page.Click(page.Find("input[value=bucket]"));
        page.Type(page.Field("It is called"), "Quarry shelf");
        page.Choose(() => page.Field("In the bucket"), "option[value=deck-cameras]");
        page.See("cannot be pruned before");
        page.Choose(() => page.Field("In the bucket"), "option[value=port-sonar]");
        Assert.Empty(Accessibility.Violations(page.Browser));
        Make("/backups/quarry-shelf");
        page.See("It proved itself on");
        Assert.Equal(9, page.Browser.FindElements(By.CssSelector("[data-testid=probe] li")).Count);
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
        page.Type(page.Present("[data-testid=point] label input"), "INVOICES 1");
        page.Link("Invoices/invoices 12.txt");

        page.Type(page.Field("Restore Berths into"), Path.Combine(root, "back"));
        page.Click(page.Button("Restore"));
        page.See("Restored:");
        page.Until(() => File.Exists(Path.Combine(root, "back", "Berths", "berths 03.txt")), "the restored file");
        Assert.Equal(original, await File.ReadAllBytesAsync(Path.Combine(root, "back", "Berths", "berths 03.txt")));
        page.See("read back and compared");
        // What was typed is still there, and does for another time.
        await File.WriteAllTextAsync(Path.Combine(root, "back", "Berths", "berths 03.txt"), "written since");
        page.Choose(() => page.Field("What is there already"), "option[value=replaced]");
        page.Click(page.Button("Restore"));
        page.Until(
            () => File.ReadAllBytes(Path.Combine(root, "back", "Berths", "berths 03.txt")).AsSpan().SequenceEqual(original),
            "the file as it was"
        );
        page.Click(page.Button("Rehearse its restore"));
        page.See("every byte compared");
        Assert.Equal(Path.Combine(root, "back"), page.Field("Restore Berths into").GetAttribute("value"));
        Assert.Empty(Accessibility.Violations(page.Browser));
        await Find_what_was_lost(root);
        page.Open("/backups");
        page.See("Quarry shelf");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Open("/log");
        page.See("Backup target made");
    }

    /// <summary>A file that is removed between two runs, and missed after the second.</summary>
    private async Task Find_what_was_lost(string root)
    {
        // Others back the office up too: it is one that only this target has.
        const string Name = "quay ledger 77.txt";
        var (file, content) = (Path.Combine(root, "office", "Berths", Name), "paid in full"u8.ToArray());
        await File.WriteAllBytesAsync(file, content);
        BackUp(3);
        File.Delete(file);
        BackUp(4);
        page.Click(page.Link("Recovery sheet"));
        page.See("No key may list and read");
        page.See("ripen recover");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Link("Backups"));
        page.Click(page.Link("Find a file"));
        page.Type(page.Field("Words of its name, or of a folder that it is in"), "LEDGER berths 77");
        page.See("1 path in");
        page.See("not in the newest");
        Assert.Empty(Accessibility.Violations(page.Browser));
        using var http = new HttpClient();
        Assert.Equal(content, await http.GetByteArrayAsync(new Uri(page.Link("Download").GetAttribute("href")!)));
        page.Click(page.Link("In its point"));
        page.Link(Name);
        page.Open("/backups/quarry-shelf");
        page.Until(() => Points().Count == 4, "the points");
        page.Click(Points()[0]);
        page.Choose(() => page.Field("Compared with"), "option:nth-child(2)");
        page.See("0 added, 1 removed, 1 changed");
        Assert.Empty(Accessibility.Violations(page.Browser));
        var zip = page.Link("a zip archive").GetAttribute("href")!;
        using var archive = new System.IO.Compression.ZipArchive(await http.GetStreamAsync(new Uri(zip)));
        Assert.Null(archive.GetEntry($"Berths/{Name}"));
        Assert.NotNull(archive.GetEntry("Berths/berths 04.txt"));

        void BackUp(int points)
        {
            page.Open("/backups/quarry-shelf");
            page.Type(page.Field("Folder of the server's machine"), Path.Combine(root, "office"));
            page.Click(page.Button("Back up"));
            page.Until(() => Points().Count == points, $"point {points}");
        }
    }

    [Fact]
    public void A_volume_is_made_served_and_kept_as_it_was()
    {
        page.Open("/new-target");
        page.Type(page.Field("It is called"), "Boat house disk");
        page.Click(page.Find("input[value=volume]"));
        page.Choose(() => page.Field("In the bucket"), "option[value='']");
        page.Type(page.Field("The new bucket's name"), "boat-house");
        page.Choose(() => page.Find("[aria-label='Unit of size it presents']"), "option[value=GB]");
        page.Type(page.Field("Size it presents"), "2");
        Assert.Empty(Accessibility.Violations(page.Browser));
        Make("/backups/boat-house-disk");
        page.See("nbd://127.0.0.1:");
        page.See("The journal is empty");
        page.Type(page.Field("Keep it as it is now, as"), "Empty still");
        page.Click(page.Button("Take a snapshot"));
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Find("[aria-label='Offer it for reading: Empty still']"));
        page.See("boat-house-disk@");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Find("[aria-label='Remove Empty still']"));
        page.Click(page.Find("[aria-label='Yes: remove Empty still']"));
        page.Until(() => !page.Browser.PageSource.Contains("Empty still", StringComparison.Ordinal), "the snapshot gone");
    }

    [Fact]
    public void Cartridges_are_loaded_labelled_and_put_away()
    {
        page.Open("/backups/purser");
        page.Type(page.Field("Passphrase"), "the ferry leaves at nine");
        page.Type(page.Field("The same again"), "the ferry leaves at ten");
        page.Click(page.Button("Make the library"));
        page.See("The two are not the same.");
        // The page asks for the library again and again; what is typed stays.
        var asked = Asked("/library");
        page.Until(() => Asked("/library") > asked + 1, "the library asked for twice more");
        Assert.Equal("the ferry leaves at nine", page.Field("Passphrase").GetAttribute("value"));
        page.Type(page.Field("The same again"), "the ferry leaves at nine");
        page.Click(page.Button("Make the library"));
        page.Click(page.Button("Add a blank cartridge"));
        page.See("000001");
        page.Click(() => page.Find("[aria-label='Load drive 1']"));
        page.See("file 1 is next");
        File.WriteAllText(Path.Combine(demo.Ripen.Folder, "drives", "purser", "drive-1"), "what a program writes");
        page.See("file 2 is next");
        page.Click(() => page.Find("[aria-label='Take it out of drive 1']"));
        page.See("in its slot");
        page.Click(page.Find("[aria-label='More about cartridge 000001']"));
        page.Click(page.Present(By.XPath("//label[contains(., 'write-protected')]/input")));
        page.Click(page.Button("Write the label"));
        page.Until(() => page.Browser.FindElements(By.XPath("//th[contains(., 'write-protected')]")).Count == 1, "the label");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Choose(() => page.Field("Let it rest in"), "option[value=cave]");
        page.See("from Cave it comes back after");
        page.Click(page.Button("Move it there"));
        page.See("put away in Cave");
    }

    [Fact]
    public void Kind_and_size_are_answered_while_one_asks()
    {
        page.Open("/sizing");
        page.See("A pool in a bucket");
        page.Click(page.Find("input[value=tape]"));
        page.See("A library of cartridges");
        // 200 MB/s in, 100 Mbit/s = 12.5 MB/s of line, nothing reduced: 187.5 MB/s gather, for an hour, without headroom.
        page.Type(page.Field("Comes in, content, MB/s"), "200");
        page.Type(page.Field("The line, Mbit/s"), "100");
        page.Type(page.Field("Left of a byte of content"), "1");
        page.Type(page.Field("For, hours"), "1");
        page.Type(page.Field("Headroom, %"), "0");
        page.See("675 GB");
        page.Type(page.Field("The line, Mbit/s"), "0");
        page.See("Write a number above 0.");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }

    /// <summary>How often the page has asked for what ends so.</summary>
    private long Asked(string path) =>
        (long)
            ((IJavaScriptExecutor)page.Browser).ExecuteScript(
                "return performance.getEntriesByType('resource').filter((e) => e.name.endsWith(arguments[0])).length",
                path
            )!;

    /// <summary>A directory's marks are set, what would go is named, and one more directory is added and left again, by keyboard.</summary>
    [Fact]
    public void A_directory_says_what_would_go_before_room_is_made()
    {
        page.Open("/new-target");
        page.Type(page.Field("It is called"), "Locker");
        page.Click(page.Find("input[value=directory]"));
        page.Type(page.Field("Folder"), "locker");
        page.Choose(() => page.Find("[aria-label=\"Unit of full at (empty: the disk's limit)\"]"), "option[value=MB]");
        page.Type(page.Field("Full at (empty: the disk's limit)"), "30");
        Make("/backups/locker");
        for (var run = 0; run < 2; run++)
        {
            var office = Path.Combine(demo.Ripen.Folder, "folders", "office");
            var noise = new byte[6_000_000];
            Random.Shared.NextBytes(noise);
            File.WriteAllBytes(Path.Combine(office, "noise"), noise);
            page.Type(page.Field("Folder of the server's machine"), office);
            page.Type(page.Field("as the workload"), "office");
            page.Click(page.Button("Back up"));
            page.Until(() => Points().Count == run + 1, "the point");
        }
        page.Type(page.Field("down to … %"), "25");
        page.Type(page.Field("but of every workload stay"), "1");
        page.See("one point would be removed");
        page.Type(page.Field("Above … % of it"), "40");
        page.Click(page.Find("section[aria-label='Making room'] button[type=submit]"));
        page.Click(page.Button("Make room now"));
        page.See("What is removed is gone for good.");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Press(Keys.Enter);
        page.See("Removed for room in Locker: office of");
        page.Until(() => Points().Count == 1, "the newest point alone");

        page.Click(page.Button("One more directory"));
        page.Type(page.Field("Directory 2"), "locker/inner");
        page.Click(page.Button("Keep to these"));
        page.See("say at how many bytes each directory is full");
        page.Type(page.Field("Directory 2 is full at"), "90000000");
        page.Click(page.Button("Keep to these"));
        page.See("lies in another of the target's directories");
        page.Type(page.Field("Directory 2"), "locker-two");
        page.Click(page.Button("Keep to these"));
        page.See("locker, locker-two");
        Assert.Empty(Accessibility.Violations(page.Browser));
    }

    private void Make(string path)
    {
        page.Type(page.Field("Passphrase"), "the ferry leaves at nine");
        page.Type(page.Field("The same again"), "the ferry leaves at ten");
        page.Click(page.Button("Make it and prove it"));
        page.See("The two are not the same.");
        page.Type(page.Field("The same again"), "the ferry leaves at nine");
        page.Click(page.Button("Make it and prove it"));
        page.Until(() => page.Path == path, "the target's page");
    }

    private System.Collections.ObjectModel.ReadOnlyCollection<IWebElement> Points() =>
        page.Browser.FindElements(By.CssSelector("section[aria-label='Restore points'] > table tbody th button"));
}
