using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

internal static class Accessibility
{
    private static readonly string Axe = File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "axe.min.js"));

    /// <summary>What axe-core finds on the page as it stands, of any severity: rule, and the first element.</summary>
    public static IReadOnlyList<string> Violations(IWebDriver browser)
    {
        var script = (IJavaScriptExecutor)browser;
        script.ExecuteScript(Axe);
        var found =
            (IReadOnlyCollection<object>)
                script.ExecuteAsyncScript(
                    """
                    const done = arguments[arguments.length - 1];
                    axe.run().then(r => done(r.violations
                      .map(v => `${v.id}: ${v.nodes.length} times, first ${v.nodes[0].html} (${v.nodes[0].failureSummary})`)));
                    """
                )!;
        return [.. found.Cast<string>()];
    }
}
