using System.Text;
using System.Text.Json.Nodes;

namespace Ripen.Cli;

/// <summary>What is sent to the server: JSON that is put together by hand, since the program is compiled ahead of time and knows no types by
/// their names.</summary>
internal static class Orders
{
    public static Task<HttpResponseMessage> PostOrder(this HttpClient http, Uri address, JsonObject order) =>
        http.PostAsync(address, Body(order));

    public static Task<HttpResponseMessage> PostOrder(this HttpClient http, string address, JsonObject order) =>
        http.PostOrder(new Uri(address, UriKind.Relative), order);

    public static Task<HttpResponseMessage> PutOrder(this HttpClient http, Uri address, JsonObject order) =>
        http.PutAsync(address, Body(order));

    public static Task<HttpResponseMessage> PutOrder(this HttpClient http, string address, JsonObject order) =>
        http.PutOrder(new Uri(address, UriKind.Relative), order);

    public static StringContent Body(JsonObject order) => new(order.ToJsonString(), Encoding.UTF8, "application/json");

    public static JsonArray List(IEnumerable<string> of) => [.. of.Select(o => (JsonNode)o)];

    /// <summary>A day as JSON has it; null for none.</summary>
    public static string? Text(this DateOnly? day) => day?.ToString("yyyy-MM-dd");
}
