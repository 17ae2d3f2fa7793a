using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

public sealed class EmptyEstateTests
{
    [Fact]
    public async Task An_empty_estate_says_how_to_begin_and_a_wrong_document_is_refused_with_its_places()
    {
        await using var ripen = await RunningRipen.Start(demo: false);
        var page = new Page(ripen);
        page.Open("/");
        page.See("Nothing is kept here yet");
        Assert.Empty(Accessibility.Violations(page.Browser));

        var document = Path.Combine(AppContext.BaseDirectory, "demo", "brackwater-ferries.json");
        var wrong = Path.Combine(ripen.Folder, "wrong.json");
        await File.WriteAllTextAsync(
            wrong,
            (await File.ReadAllTextAsync(document))
                .Replace("\"unit\": \"GB\"", "\"unit\": \"pounds\"", StringComparison.Ordinal)
                .Replace("\"copies\": 3", "\"copies\": -3", StringComparison.Ordinal)
        );
        Pick(wrong);
        page.See("$.priceBook.unit");
        page.See("$.priceBook.schemes[0].copies");
        page.See("Nothing is kept here yet");

        Pick(document);
        page.See("Brackwater Ferries");
        page.See("port-sonar");

        void Pick(string file) => page.Present("input[type=file]").SendKeys(file);
    }

    [Fact]
    public async Task The_demo_is_loaded_with_one_click()
    {
        await using var ripen = await RunningRipen.Start(demo: false);
        var page = new Page(ripen);
        page.Open("/");
        page.Click(page.Button("Load the demo"));
        page.See("voyage-recorders");
    }
}
