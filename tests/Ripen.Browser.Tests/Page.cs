using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;

namespace Ripen.Browser.Tests;

/// <summary>What a person does with the page: finds things by their label or words, clicks, types, waits until something is
/// there.</summary>
internal sealed class Page(RunningRipen ripen)
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(60);

    public IWebDriver Browser => ripen.Browser;

    public string Path => new Uri(Browser.Url).PathAndQuery;

    /// <summary>Loads the page anew: a browser only scrolls where nothing but what follows the # differs.</summary>
    public void Open(string path)
    {
        var address = new Uri(ripen.Address, path);
        var before = Browser.Url;
        Browser.Navigate().GoToUrl(address);
        if (before.Split('#')[0] == address.AbsoluteUri.Split('#')[0])
            Browser.Navigate().Refresh();
    }

    public IWebElement Find(string css) => Until(() => Browser.FindElements(By.CssSelector(css)).FirstOrDefault(e => e.Displayed), css);

    public IWebElement Button(string words) => ByWords("button", words);

    /// <summary>Whether the button is there and does nothing.</summary>
    public bool IsOff(string button) => Button(button).GetAttribute("aria-disabled") == "true";

    public IWebElement Link(string words) => ByWords("a", words);

    /// <summary>The control whose label has these words; <paramref name="nth"/> counts from 0 where several have.</summary>
    public IWebElement Field(string label, int nth = 0) =>
        Until(
            () => Browser.FindElements(By.XPath($"//*[@id = //label[normalize-space()={Quoted(label)}]/@for]")).ElementAtOrDefault(nth),
            $"field '{label}'"
        );

    /// <summary>It is in the page, seen or not: pickers of files are not.</summary>
    public IWebElement Present(string css) => Present(By.CssSelector(css));

    public IWebElement Present(By what) => Until(() => Browser.FindElements(what).FirstOrDefault(), what.ToString());

    /// <summary>Picks an option of a list, once the list has it.</summary>
    /// <param name="list">Finds the list, anew where it is drawn again.</param>
    /// <param name="option">A selector within it.</param>
    public void Choose(Func<IWebElement> list, string option) =>
        Click(() => Until(() => list().FindElements(By.CssSelector(option)).FirstOrDefault(), option));

    public IWebElement Handle(string label) => Find($"[role=slider][aria-label='{label}']");

    /// <summary>Clicks it as somebody would: when it can be pressed, and lies still between two pictures of the page; again, when the
    /// page moved away under the pointer.</summary>
    public void Click(IWebElement element)
    {
        Browser.Manage().Timeouts().AsynchronousJavaScript = Patience;
        var deadline = DateTime.UtcNow + Patience;
        while (!Hits(element))
            if (DateTime.UtcNow > deadline)
                throw new TimeoutException("Clicked in vain: the page moved away under the pointer every time.");
    }

    /// <summary>Whether the click met the element. An option of a list is chosen by the driver, not by a pointer.</summary>
    private bool Hits(IWebElement element)
    {
        ((IJavaScriptExecutor)Browser).ExecuteAsyncScript(
            """
            const [element, done] = arguments;
            element.scrollIntoView({ block: "center" });
            let before = "";
            const look = () => {
              const { x, y, width, height } = element.getBoundingClientRect();
              const now = [x, y, width, height].join();
              if (!element.isConnected || (!element.disabled && element.ariaDisabled !== "true" && now === before)) {
                window.missed = element.tagName !== "OPTION";
                element.addEventListener("pointerdown", () => { window.missed = false; }, { capture: true, once: true });
                return done();
              }
              before = now;
              requestAnimationFrame(look);
            };
            look();
            """,
            element
        );
        try
        {
            element.Click();
        }
        catch (ElementClickInterceptedException)
        {
            return false;
        }
        return ((IJavaScriptExecutor)Browser).ExecuteScript("return window.missed") is not true;
    }

    /// <summary>Clicks what is found anew when the page draws it again between looking and clicking.</summary>
    public void Click(Func<IWebElement> find) =>
        Until(
            () =>
            {
                try
                {
                    Click(find());
                    return true;
                }
                catch (StaleElementReferenceException)
                {
                    return false;
                }
            },
            "something that stays where it is clicked"
        );

    /// <summary>Puts the text in the place of what is in the field, by keys.</summary>
    public void Type(IWebElement field, string text)
    {
        ((IJavaScriptExecutor)Browser).ExecuteScript("arguments[0].scrollIntoView({ block: 'center' })", field);
        field.SendKeys(Keys.Control + "a");
        field.SendKeys(text.Length == 0 ? Keys.Delete : text);
    }

    /// <summary>Puts a day or a month into the browser's own field for it, which keys fill in another way in every language.</summary>
    public void Pick(IWebElement field, string value) =>
        ((IJavaScriptExecutor)Browser).ExecuteScript(
            """
            Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(arguments[0], arguments[1]);
            arguments[0].dispatchEvent(new Event("input", { bubbles: true }));
            """,
            field,
            value
        );

    public void Press(string keys) => new Actions(Browser).SendKeys(keys).Perform();

    /// <summary>Presses a key on a page that has just been opened, and may not listen yet: again, when nothing comes of it.</summary>
    public void PressUntil(string key, Func<bool> done, string what)
    {
        var tries = 0;
        Until(
            () =>
            {
                if (tries++ % 40 == 0 && !done())
                    Press(key);
                return done();
            },
            what
        );
    }

    public void PressWith(string modifier, string key) => new Actions(Browser).KeyDown(modifier).SendKeys(key).KeyUp(modifier).Perform();

    public void Drag(IWebElement handle, int by) =>
        new Actions(Browser)
            .MoveToElement(handle)
            .ClickAndHold()
            .MoveByOffset(by / 2, 0)
            .MoveByOffset(by - (by / 2), 0)
            .Release()
            .Perform();

    /// <summary>Waits until the page has the words.</summary>
    public void See(string words) => Until(() => Words().Contains(words, StringComparison.Ordinal), $"the words '{words}'");

    public void Gone(string words) => Until(() => !Words().Contains(words, StringComparison.Ordinal), $"no words '{words}'");

    /// <summary>All that can be read on the page, as the browser itself tells it: asking the driver takes a hundred times as long, and it is asked
    /// again and again.</summary>
    private string Words() =>
        (string)
            ((IJavaScriptExecutor)Browser).ExecuteScript(
                """return document.body.innerText.replace(/\u00a0/g, " ").replace(/[ \t]+/g, " ").replace(/ ?\n[ \n]*/g, "\n")"""
            )!;

    /// <summary>Waits for a value, through pages that are just being redrawn.</summary>
    public T Until<T>(Func<T?> look, string what)
        where T : class
    {
        var deadline = DateTime.UtcNow + Patience;
        while (true)
        {
            try
            {
                if (look() is { } found)
                    return found;
            }
            catch (StaleElementReferenceException)
            {
                // Redrawn meanwhile: look again.
            }
            if (DateTime.UtcNow > deadline)
                throw new TimeoutException($"Waited in vain for {what}. The page says: {Words()}");
            Thread.Sleep(50);
        }
    }

    public void Until(Func<bool> holds, string what) => Until(() => holds() ? this : null, what);

    private IWebElement ByWords(string tag, string words) =>
        Until(
            () => Browser.FindElements(By.XPath($"//{tag}[normalize-space()={Quoted(words)}]")).FirstOrDefault(e => e.Displayed),
            $"{tag} '{words}'"
        );

    private static string Quoted(string text) => text.Contains('\'') ? $"\"{text}\"" : $"'{text}'";
}
