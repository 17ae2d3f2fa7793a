using System.Text;
using System.Text.RegularExpressions;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>What a budget meeting asks for goes onto two sheets.</summary>
public sealed partial class OnPaperTests(DemoFixture demo) : IClassFixture<DemoFixture>
{
    private readonly Page page = new(demo.Ripen);

    [Fact]
    public void The_number_its_range_and_its_reasons_fill_two_sheets_of_A4()
    {
        page.Open("/forecast");
        page.Present(By.LinkText("On paper")).SendKeys(Keys.Enter);
        page.See("in eight of ten futures between");
        page.See("What could be saved");
        page.Until(() => page.Browser.FindElements(By.CssSelector("main svg path")).Count > 5, "both charts");
        var sheet = new PrintOptions
        {
            PageDimensions = new PrintOptions.PageSize { Width = 21, Height = 29.7 },
        };
        (sheet.PageMargins.Top, sheet.PageMargins.Bottom) = (1.4, 1.4);
        (sheet.PageMargins.Left, sheet.PageMargins.Right) = (1.4, 1.4);
        var pdf = Encoding.Latin1.GetString(((ISupportsPrint)page.Browser).Print(sheet).AsByteArray);
        Assert.StartsWith("%PDF-", pdf, StringComparison.Ordinal);
        Assert.Equal(2, PdfPage().Count(pdf));
    }

    /// <summary>A page object of a PDF (ISO 32000-1, 7.7.3.3).</summary>
    [GeneratedRegex(@"/Type\s*/Page\b")]
    private static partial Regex PdfPage();
}
