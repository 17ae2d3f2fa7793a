using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>A budget is fixed, looked at, told apart and put away, by hand and by keyboard.</summary>
public sealed class BudgetsTests(DemoFixture demo) : IClassFixture<DemoFixture>
{
    private readonly Page page = new(demo.Ripen);

    [Fact]
    public void A_forecast_is_fixed_time_passes_and_what_became_of_it_is_told()
    {
        page.Open("/forecast");
        page.Click(page.Link("Budgets"));
        page.Type(page.Field("It is called"), "Up to the summer");
        page.Type(page.Field("Months, this one the first"), "40");
        page.Press(Keys.Enter);
        page.See("Fix from 1 to 36 months.");
        page.Type(page.Field("Months, this one the first"), "7");
        page.Type(page.Field("Headroom, per cent"), "2");
        page.Press(Keys.Enter);
        page.See(" November 2026 from the estate as it stood; headroom 2 %");
        Assert.Matches("^/budgets/[0-9]+$", page.Path);
        var here = page.Path;
        Assert.Empty(Accessibility.Violations(page.Browser));

        page.Open("/clock");
        page.Click(page.Button("A month"));
        page.Until(() => page.Find("header").Text.Contains(" Dec 2026, ", StringComparison.Ordinal) ? page : null, "the clock in December");
        page.Open(here);
        // The pointer rests where the clock's button was, and the page may come to lie under it.
        page.Until(
            () =>
            {
                page.Find("[role=slider][aria-label='Months of the budget, read with the arrow keys']")
                    .SendKeys(Keys.Home + Keys.ArrowRight);
                return page.Find("output[aria-label=Reading]").Text.StartsWith("December 2026: planned ", StringComparison.Ordinal);
            },
            "the second month read"
        );
        page.Present("a[aria-label$='were planned, January 2027']").SendKeys(Keys.Enter);
        page.See("What makes January 2027");
        page.See("; in fact");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Choose(() => page.Field("To"), "option[value='2027-05']");
        page.See("Months that are not over count with what is to come.");
        page.Button("by charge").SendKeys(Keys.Space);
        page.Until(() => page.Path.Contains("by=charge", StringComparison.Ordinal), "told by charge");
        page.Until(
            () => page.Find("[aria-label='The variance in numbers']").Text.Contains("storage", StringComparison.Ordinal),
            "a line for storage"
        );
        page.Button("storage").SendKeys(Keys.Enter);
        page.See("What makes storage");
        page.See("GB-month × €");
        Assert.Empty(Accessibility.Violations(page.Browser));

        page.Click(page.Button("Change…"));
        page.Click(page.Button("Put it away"));
        page.See("put away");
        page.Open("/log");
        page.See("Budget fixed");
        page.See("Budget changed");
    }

    [Fact]
    public async Task A_plan_that_was_made_elsewhere_is_taken_from_a_file_and_the_month_is_said_to_end_above_it()
    {
        using var http = new HttpClient { BaseAddress = demo.Ripen.Address };
        var rows = await http.GetStringAsync(new Uri("/api/forecast/rows.csv?months=3", UriKind.Relative));
        var half = string.Join(
            "\n",
            rows.Split("\r\n", StringSplitOptions.RemoveEmptyEntries)
                // What agreements take off is below nothing.
                .Where(row => !row.Contains(",,", StringComparison.Ordinal))
                .Select((row, i) => i == 0 ? row : row[..(row.LastIndexOf(',') + 1)] + "1")
        );
        var file = Path.Combine(demo.Ripen.Folder, "plan.csv");
        await File.WriteAllTextAsync(file, half.Replace("storage", "rent", StringComparison.Ordinal));
        page.Open("/budgets");
        page.Type(page.Field("It is called"), "From a sheet");
        page.Present("input[aria-label='A budget as CSV']").SendKeys(file);
        page.See("'rent' is no charge");
        await File.WriteAllTextAsync(file, half);
        page.Present("input[aria-label='A budget as CSV']").SendKeys(file);
        page.See("from a file");
        page.Open("/clock");
        page.Click(page.Button("A day"));
        page.Open("/");
        page.Click(page.Link("likely above “From a sheet”"));
        page.See("became likely to end above its limit");
        Assert.Empty(Accessibility.Violations(page.Browser));
        // What was charged opens down to its days.
        page.Present("main table a[href*='of=charged']").SendKeys(Keys.Enter);
        page.See("charged so far");
        page.Present(By.LinkText("port-sonar")).SendKeys(Keys.Enter);
        page.Present(By.LinkText("storage, Counter")).SendKeys(Keys.Enter);
        page.See("Day by day");
        Assert.NotEmpty(page.Browser.FindElements(By.XPath("//caption[.='Day by day']/following-sibling::tbody/tr")));
        Assert.Contains("of=charged", page.Browser.Url, StringComparison.Ordinal);
        Assert.Empty(Accessibility.Violations(page.Browser));
    }
}
