using System.IO.Compression;
using System.Text.Json;
using System.Text.Json.Serialization;
using Ripen.Core.Billing;
using Ripen.Core.Budgets;
using Ripen.Core.Forecasting;

namespace Ripen.Data;

/// <summary>Charges as bytes of the database: a list as JSON, Brotli-packed. Numbers come back to the very same
/// double.</summary>
internal static class PackedCharges
{
    private static readonly JsonSerializerOptions Json = new()
    {
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower) },
    };

    private sealed record Line(string Bucket, string Region, string Tier, Charge Charge, double[] Quantities, double[] Amounts);

    public static byte[] Pack(MonthlyCharges charges) =>
        PackAs(
            charges.Lines.Select(l => new Line(l.Key.Bucket, l.Key.Region, l.Key.Tier, l.Key.Charge, l.Value.Quantities, l.Value.Amounts))
        );

    public static byte[] PackAs<T>(T what)
    {
        using var packed = new MemoryStream();
        using (var brotli = new BrotliStream(packed, CompressionLevel.Optimal))
        {
            JsonSerializer.Serialize(brotli, what, Json);
        }
        return packed.ToArray();
    }

    public static MonthlyCharges Unpack(byte[] packed, Month first, int months)
    {
        var lines = UnpackAs<Line[]>(packed);
        return new MonthlyCharges(
            first,
            months,
            lines.ToDictionary(l => new ChargeLine(l.Bucket, l.Region, l.Tier, l.Charge), l => new LineAmounts(l.Quantities, l.Amounts))
        );
    }

    public static T UnpackAs<T>(byte[] packed)
    {
        using var brotli = new BrotliStream(new MemoryStream(packed), CompressionMode.Decompress);
        return JsonSerializer.Deserialize<T>(brotli, Json)!;
    }
}
