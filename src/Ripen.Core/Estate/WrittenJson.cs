using System.Text.Json.Serialization;
using Ripen.Core.Backups;
using Ripen.Core.Forecasting;

namespace Ripen.Core.Estates;

/// <summary>What the command line writes as JSON: worked out while it is compiled, since it is compiled ahead of time. For reading it would not
/// know what members are where a text leaves them out.</summary>
[JsonSourceGenerationOptions(GenerationMode = JsonSourceGenerationMode.Metadata)]
[JsonSerializable(typeof(Estate))]
[JsonSerializable(typeof(ForecastRow))]
[JsonSerializable(typeof(IEnumerable<RestorePoint>))]
[JsonSerializable(typeof(RestoreEstimate))]
internal sealed partial class WrittenJson : JsonSerializerContext;
