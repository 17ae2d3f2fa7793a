using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

internal static class Accessibility
{
    private static readonly string Axe = File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "axe.min.js"));

    /// <summary>What axe-core finds on the page as it stands, of any severity: rule, and the first element. What is on its way in or out is let
    /// arrive: half faded in, everything lacks contrast.</summary>
    public static IReadOnlyList<string> Violations(IWebDriver browser)
    {
        var script = (IJavaScriptExecutor)browser;
        script.ExecuteScript(Axe);
        var found =
            (IReadOnlyCollection<object>)
                script.ExecuteAsyncScript(
                    """
                    const done = arguments[arguments.length - 1];
                    const moving = () => document.getAnimations()
                      .filter(a => a.playState !== "finished" && a.effect.getComputedTiming().endTime !== Infinity);
                    const settled = async () => {
                      await new Promise(requestAnimationFrame);
                      if (document.querySelector("[data-sonner-toast][data-mounted=false]")) return settled();
                      const now = moving();
                      if (now.length === 0) return;
                      await Promise.allSettled(now.map(a => a.finished));
                      return settled();
                    };
                    settled().then(() => axe.run()).then(r => done(r.violations
                      .map(v => `${v.id}: ${v.nodes.length} times, first ${v.nodes[0].html} (${v.nodes[0].failureSummary})`)));
                    """
                )!;
        return [.. found.Cast<string>()];
    }
}
