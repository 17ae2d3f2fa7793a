using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Ripen.Core.Forecasting;

/// <summary>Months as yyyy-MM in JSON.</summary>
public sealed class MonthConverter : JsonConverter<Month>
{
    public override Month Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options)
    {
        var date = DateOnly.ParseExact(reader.GetString()! + "-01", "yyyy-MM-dd", CultureInfo.InvariantCulture);
        return Month.Of(date);
    }

    public override void Write(Utf8JsonWriter writer, Month value, JsonSerializerOptions options) =>
        writer.WriteStringValue(value.ToString());
}
