using System.Collections.Concurrent;
using System.Reflection;
using System.Text.Json.Serialization.Metadata;
using Microsoft.AspNetCore.OpenApi;
using Microsoft.OpenApi;
using Ripen.Core.Forecasting;
using Ripen.Core.Pricing;

namespace Ripen.Server.Http;

internal static class OpenApiDocument
{
    /// <summary>True in the run that the build makes to write the document.</summary>
    public static bool IsBeingGenerated => Assembly.GetEntryAssembly()?.GetName().Name == "GetDocument.Insider";

    /// <summary>Describes a body of any bytes and media type, without demanding one.</summary>
    public static RouteHandlerBuilder TakesBytes(this RouteHandlerBuilder endpoint) =>
        endpoint.AddOpenApiOperationTransformer(
            (operation, _, _) =>
            {
                operation.RequestBody = new OpenApiRequestBody
                {
                    Required = true,
                    Content = new Dictionary<string, OpenApiMediaType>
                    {
                        ["*/*"] = new()
                        {
                            Schema = new OpenApiSchema { Type = JsonSchemaType.String, Format = "binary" },
                        },
                    },
                };
                return Task.CompletedTask;
            }
        );

    /// <summary>The name of a type's schema. The build makes the document, and so finds two types of one name, of which it would otherwise
    /// describe the one by the other.</summary>
    private static string? Named(JsonTypeInfo info, ConcurrentDictionary<string, Type> types)
    {
        var type = Nullable.GetUnderlyingType(info.Type) ?? info.Type;
        if (OpenApiOptions.CreateDefaultSchemaReferenceId(info) is not { } name || types.GetOrAdd(name, type) == type)
            return OpenApiOptions.CreateDefaultSchemaReferenceId(info);
        throw new InvalidOperationException($"{types[name]} and {type} would have one schema, '{name}': rename one of them.");
    }

    public static IServiceCollection AddRipenOpenApi(this IServiceCollection services) =>
        services.AddOpenApi(
            "v1",
            options =>
            {
                var types = new ConcurrentDictionary<string, Type>();
                options.CreateSchemaReferenceId = info => Named(info, types);
                options.AddDocumentTransformer(
                    (document, _, _) =>
                    {
                        document.Info = new OpenApiInfo
                        {
                            Title = "Ripen",
                            Version = "1",
                            Description =
                                "Everything that the screens do. Changes name the version they change (If-Match); errors are RFC 9457 "
                                + "problem details with a code and JSON paths.",
                        };
                        document.Servers?.Clear();
                        // Whether a choice may be missing is said where it is used, and not by the choice itself.
                        foreach (var choice in document.Components?.Schemas?.Values.OfType<OpenApiSchema>() ?? [])
                        {
                            if (choice.Enum is not { Count: > 0 } values)
                                continue;
                            choice.Enum = [.. values.Where(v => v?.GetValueKind() == System.Text.Json.JsonValueKind.String)];
                            choice.Type &= ~JsonSchemaType.Null;
                        }
                        return Task.CompletedTask;
                    }
                );
                options.AddSchemaTransformer(
                    (schema, context, _) =>
                    {
                        var type = Nullable.GetUnderlyingType(context.JsonTypeInfo.Type) ?? context.JsonTypeInfo.Type;
                        if (type == typeof(UnitPrice) || type == typeof(PricePerThousand))
                        {
                            schema.Type = JsonSchemaType.Number;
                            schema.Description = type == typeof(UnitPrice) ? "Money per unit." : "Money per 1,000.";
                        }
                        else if (type == typeof(Month))
                        {
                            schema.Type = JsonSchemaType.String;
                            schema.Pattern = "^\\d{4}-\\d{2}$";
                        }
                        else if (context.JsonTypeInfo.ElementType == typeof(Month))
                        {
                            schema.Items = new OpenApiSchema { Type = JsonSchemaType.String };
                        }
                        else if (type == typeof(TimeOnly))
                        {
                            schema.Type = JsonSchemaType.String;
                            schema.Pattern = "^\\d{2}:\\d{2}$";
                        }
                        else if (context.JsonTypeInfo.ElementType == typeof(TimeOnly))
                        {
                            schema.Items = new OpenApiSchema { Type = JsonSchemaType.String };
                        }
                        // What is derived is always there.
                        foreach (var derived in context.JsonTypeInfo.Properties.Where(p => p is { Get: not null, Set: null }))
                        {
                            (schema.Required ??= new HashSet<string>()).Add(derived.Name);
                        }
                        return Task.CompletedTask;
                    }
                );
            }
        );
}
