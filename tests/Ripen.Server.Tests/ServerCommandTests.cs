namespace Ripen.Server.Tests;

/// <summary>The commands of <c>ripen</c> that speak to a running server.</summary>
public sealed class ServerCommandTests(CurlFixture fixture) : IClassFixture<CurlFixture>
{
    private readonly ServerProcess server = fixture.Server;

    private Task<(int Code, string Output, string Errors)> Ripen(params string[] arguments) =>
        CommandLine.Run([.. arguments, "--server", server.Address.ToString()]);

    [Fact]
    public async Task An_object_is_put_listed_got_and_deleted()
    {
        var (file, back) = (Path.Combine(server.Folder, "notice.txt"), Path.Combine(server.Folder, "back.txt"));
        await File.WriteAllTextAsync(file, "Berth 3 is open again.\n");
        const string target = "harbour-notices/aldmouth/quay ä/open.txt";
        Assert.Equal(0, (await Ripen("put", file, target)).Code);
        Assert.Contains(
            "aldmouth/quay ä/open.txt\t23\tcounter\n",
            (await Ripen("list", "harbour-notices", "--prefix", "aldmouth/quay")).Output,
            StringComparison.Ordinal
        );
        Assert.Equal((0, "Berth 3 is open again.\n", ""), await Ripen("get", target));
        Assert.Equal(0, (await Ripen("get", target, "--out", back)).Code);
        Assert.Equal(await File.ReadAllBytesAsync(file), await File.ReadAllBytesAsync(back));
        Assert.Contains("is the mark of it", (await Ripen("delete", target)).Output, StringComparison.Ordinal);
        var gone = await Ripen("get", target, "--out", Path.Combine(server.Folder, "none.txt"));
        Assert.Equal((3, ""), (gone.Code, gone.Output));
        Assert.Contains("There is no object", gone.Errors, StringComparison.Ordinal);
        Assert.False(File.Exists(Path.Combine(server.Folder, "none.txt")));
        Assert.Equal(3, (await Ripen("put", Path.Combine(server.Folder, "missing"), target)).Code);
        Assert.Contains("write BUCKET/KEY", (await Ripen("get", "no-slash")).Errors, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Time_passes_and_the_ledger_tells_what_it_cost()
    {
        var before = DateTimeOffset.Parse((await Ripen("clock")).Output, System.Globalization.CultureInfo.InvariantCulture);
        var after = DateTimeOffset.Parse((await Ripen("pass", "week")).Output, System.Globalization.CultureInfo.InvariantCulture);
        Assert.Equal(before.AddDays(7), after);
        var ledger = (await Ripen("ledger", "--bucket", "port-sonar")).Output.Split("\r\n");
        Assert.Equal("day,bucket,region,tier,charge,quantity,unit,amount", ledger[0]);
        Assert.Equal(7, ledger.Count(l => l.Contains(",storage,", StringComparison.Ordinal)));
        var back = await Ripen("pass", "2020-01-01");
        Assert.Equal(3, back.Code);
        Assert.Contains("cannot run backwards", back.Errors, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Copies_are_made_proved_and_survive_a_lost_region()
    {
        var file = Path.Combine(server.Folder, "copied.txt");
        await File.WriteAllTextAsync(file, "copied\n");
        var refused = await Ripen("copy", "deck-cameras", "recorders-far", "--catch-up", "false");
        Assert.Equal(3, refused.Code);
        Assert.Contains("switch versioning on for 'deck-cameras'", refused.Errors, StringComparison.Ordinal);
        Assert.Equal(
            0,
            (
                await Ripen("copy", "deck-cameras", "recorders-far", "--prefix", "notes/", "--catch-up", "false", "--switch-versioning-on")
            ).Code
        );
        Assert.Equal(0, (await Ripen("put", file, "deck-cameras/notes/copied.txt", "--tags", "kind=note")).Code);
        Assert.Equal(0, (await Ripen("cut", "aldmouth", "kestrel-sound")).Code);
        await Ripen("pass", "hour");
        Assert.Contains("deck-cameras\trecorders-far\t1\t7\t0\t0\t1\t1\t", (await Ripen("copies")).Output, StringComparison.Ordinal);
        Assert.Equal(0, (await Ripen("restore-line", "kestrel-sound", "aldmouth")).Code);
        Assert.Contains("was written at", (await Ripen("prove", "deck-cameras", "recorders-far")).Output, StringComparison.Ordinal);
        await Ripen("pass", "hour");
        var audit = await Ripen("audit", "deck-cameras", "recorders-far", "--read-everything");
        Assert.Equal(0, audit.Code);
        Assert.Contains(
            "2 objects compared by key, version and checksum, every byte read: 2 the same",
            audit.Output,
            StringComparison.Ordinal
        );
        var lost = await Ripen("lose-region", "aldmouth");
        Assert.Contains("deck-cameras\tbow/\t", lost.Output, StringComparison.Ordinal);
        Assert.DoesNotContain("notes/copied.txt", lost.Output, StringComparison.Ordinal);
        Assert.Equal((0, "copied\n", ""), await Ripen("get", "recorders-far/notes/copied.txt"));
        Assert.Equal(3, (await Ripen("get", "deck-cameras/notes/copied.txt")).Code);
        Assert.Equal("Back with all its data.\n", (await Ripen("return-region", "aldmouth")).Output);
        Assert.Equal("0 queued\n", (await Ripen("refill", "deck-cameras")).Output);
    }

    [Fact]
    public async Task A_keep_rule_is_lifted_time_over_its_end_is_confirmed_and_the_stores_are_told()
    {
        var sealedRule = await Ripen("lift", "deck-cameras", "--reason", "because");
        Assert.Equal(3, sealedRule.Code);
        Assert.Contains("never shorter, liftable or gone", sealedRule.Errors, StringComparison.Ordinal);
        Assert.Equal((0, "crew-records is kept no longer\n", ""), await Ripen("lift", "crew-records", "--reason", "the case was closed"));
        var unseen = await Ripen("pass", "2028-06-01");
        Assert.Equal(3, unseen.Code);
        Assert.Contains("Confirm by typing the day, 2028-06-01", unseen.Errors, StringComparison.Ordinal);
        Assert.Equal("together\tDatabase and folder belong together.\n", (await Ripen("stores")).Output);
        Assert.Equal(3, (await Ripen("stores", "--take", "folder")).Code);
    }

    [Fact]
    public async Task Schemes_are_told_and_a_server_that_is_not_there_is_an_error()
    {
        Assert.Contains("ten-and-four\t4\t0\t0\t", (await Ripen("schemes")).Output, StringComparison.Ordinal);
        Assert.Equal(3, (await CommandLine.Run("clock", "--server", "http://127.0.0.1:9")).Code);
        Assert.Equal(1, (await CommandLine.Run("clock", "--server", "nonsense")).Code);
    }
}
