using System.Text.Json;

namespace Ripen.Server.Http;

/// <summary>Values of an enumeration in addresses, written as in answers: in kebab case.</summary>
internal static class NamedValues
{
    /// <summary>Null when no value has this name.</summary>
    public static T? Read<T>(string name)
        where T : struct, Enum => Enum.GetValues<T>().Cast<T?>().FirstOrDefault(v => Name(v!.Value) == name);

    public static string Name<T>(T value)
        where T : struct, Enum => JsonNamingPolicy.KebabCaseLower.ConvertName(value.ToString());
}
