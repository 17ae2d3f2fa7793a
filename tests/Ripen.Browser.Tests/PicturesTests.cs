using System.Xml.Linq;

namespace Ripen.Browser.Tests;

/// <summary>Charts leave the page as files that stand on their own.</summary>
public sealed class PicturesTests(DemoFixture demo) : IClassFixture<DemoFixture>
{
    private static readonly byte[] PngSignature = [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A];

    private readonly Page page = new(demo.Ripen);

    [Theory]
    [InlineData("/forecast", "forecast-money-by-tier")]
    [InlineData("/buckets/deck-cameras", "deck-cameras-by-month")]
    [InlineData("/replication", "replication")]
    public void A_chart_is_saved_as_svg_and_png(string path, string name)
    {
        page.Open(path);
        var (svg, png) = (Path.Combine(demo.Ripen.Folder, $"{name}.svg"), Path.Combine(demo.Ripen.Folder, $"{name}.png"));
        page.Click(page.Find($"button[aria-label='Save {name} as SVG']"));
        page.Until(() => File.Exists(svg), "the picture as SVG");
        page.Click(page.Find($"button[aria-label='Save {name} as PNG']"));
        page.Until(() => File.Exists(png), "the picture as PNG");

        var text = File.ReadAllText(svg);
        var picture = XDocument.Parse(text).Root!;
        Assert.Equal(XName.Get("svg", "http://www.w3.org/2000/svg"), picture.Name);
        Assert.DoesNotContain("var(--", text, StringComparison.Ordinal);
        var ids = picture.Descendants().Select(e => (string?)e.Attribute("id")).ToHashSet();
        var used = System.Text.RegularExpressions.Regex.Matches(text, @"url\(#([^)]+)\)").Select(m => m.Groups[1].Value);
        Assert.All(used, id => Assert.Contains(id, ids));
        Assert.Equal(PngSignature, File.ReadAllBytes(png)[..8]);
    }
}
