using System.Net.Http.Json;
using System.Text.Json.Nodes;
using OpenQA.Selenium;

namespace Ripen.Browser.Tests;

/// <summary>Keys in the real interface: those that open a bucket, those that Ripen keeps, those that encrypt.</summary>
public sealed class KeysTests(DemoFixture demo) : IClassFixture<DemoFixture>, IDisposable
{
    private readonly Page page = new(demo.Ripen);
    private readonly BucketsOverHttp buckets = new(demo.Ripen.Address);
    private readonly HttpClient http = new() { BaseAddress = demo.Ripen.Address };

    public void Dispose()
    {
        buckets.Dispose();
        http.Dispose();
    }

    [Fact]
    public async Task A_credential_is_taken_from_its_file_and_a_target_is_reached_with_it()
    {
        var granted = await http.PostAsJsonAsync(
            "/api/buckets/ticketing-backups/access",
            new
            {
                label = "the harbour office",
                prefix = "vault/",
                rights = new[] { "read", "write", "list", "delete-versions" },
                ends = "2026-11-08T00:00:00Z",
            }
        );
        var given = (await granted.Content.ReadFromJsonAsync<JsonNode>())!["file"]!;
        var file = Path.Combine(demo.Ripen.Folder, "key.json");
        await File.WriteAllTextAsync(file, given.ToJsonString());
        page.Open("/credentials");
        page.See("There is none");
        page.Click(page.Button("New credential…"));
        page.Present("input[type=file]").SendKeys(file);
        page.Until(() => page.Field("Key").GetAttribute("value") == (string)given["keyId"]!, "the key out of the file");
        page.Type(page.Field("It is called"), "Harbour key");
        page.Type(page.Field("Secret"), $"  {given["secret"]} ");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Press(Keys.Enter);
        page.See("Blanks around the key or its secret were left out.");
        page.See("ends on 2026-11-08");
        Assert.DoesNotContain((string)given["secret"]!, page.Browser.PageSource, StringComparison.Ordinal);

        page.Open("/backups/office-vault");
        page.Choose(() => page.Field("The bucket is reached"), "option[value=harbour-key]");
        page.See("The credential 'Harbour key' ends on");
        page.Click(page.Button("Test it"));
        page.See("It proved itself on");
        page.Open("/credentials");
        page.See("Used by office-vault");
        Assert.Empty(Accessibility.Violations(page.Browser));

        // The key goes: the target says so, and nothing is reached.
        var access = (await http.GetFromJsonAsync<JsonNode>("/api/buckets/ticketing-backups/access"))!["grants"]![0]!["id"];
        using var removal = new HttpRequestMessage(HttpMethod.Delete, $"/api/buckets/ticketing-backups/access/{access}");
        removal.Headers.Add("Ripen-Request", "1");
        (await http.SendAsync(removal)).EnsureSuccessStatusCode();
        page.Open("/backups/office-vault");
        page.Click(page.Button("Test it"));
        page.See("The credential 'Harbour key' does not open this");
        page.Choose(() => page.Field("The bucket is reached"), "option[value='']");
        page.Click(page.Button("Test it"));
        page.See("It proved itself on");
    }

    [Fact]
    public async Task A_buckets_own_key_is_given_replaced_withdrawn_and_given_back()
    {
        await buckets.Make("under-seal");
        await http.PutAsync(new Uri("/api/buckets/under-seal/objects/a.txt", UriKind.Relative), new ByteArrayContent([1, 2, 3]));
        page.Open("/buckets/under-seal#access");
        page.See("AES-256-GCM under the provider's key");
        page.Click(page.Find("#place > div:last-child input[type=checkbox]"));
        page.See("can be replaced and withdrawn for this bucket alone");
        page.Until(() => page.Button("Apply").GetAttribute("aria-disabled") == "false", "Apply");
        page.Click(page.Button("Apply"));
        page.See("no changes");
        page.Open("/buckets/under-seal#access");
        page.See("AES-256-GCM under a key of its own");
        page.Click(page.Find("[aria-label='Replace the key of under-seal']"));
        page.Click(page.Find("[aria-label='Yes: replace the key of under-seal']"));
        page.Click(page.Button("Withdraw the key…"));
        page.Type(page.Field("Type under-seal to confirm"), "under-seal");
        Assert.Empty(Accessibility.Violations(page.Browser));
        page.Click(page.Button("Withdraw the key"));
        page.See("Its key is withdrawn");
        page.Open("/buckets/under-seal?object=a.txt#objects");
        page.See("which is withdrawn: nobody can read it");
        page.Open("/buckets/under-seal#access");
        page.Click(page.Button("Give the key back"));
        page.Gone("Its key is withdrawn");
        Assert.Equal([1, 2, 3], await http.GetByteArrayAsync(new Uri("/api/buckets/under-seal/objects/a.txt", UriKind.Relative)));
        page.Open("/stores");
        page.See("AES-256-GCM under the provider's key");
    }
}
