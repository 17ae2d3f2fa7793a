using Microsoft.AspNetCore.Mvc;
using Ripen.Server.Http;

namespace Ripen.Server.Estates;

/// <summary>By what figure or name the board is sorted.</summary>
public enum BoardOrder
{
    Estate,
    Name,
    Region,
    Objects,
    Bytes,
    Cost,
    Later,
    Growth,
}

/// <summary>Which buckets of the board are wanted, in which order, and which stretch of them.</summary>
/// <param name="On">The as-of day, from the estate's today to the horizon.</param>
/// <param name="Months">The horizon in calendar months, 1 to 360.</param>
/// <param name="Find">Words that the name, region, scheme, tenant, tier, a prefix or a tag contains, all of them.</param>
/// <param name="Region">The id of a region.</param>
/// <param name="Tier">The id of a tier that something lies in, or lands in.</param>
/// <param name="State">What the bucket is looked for, such as step-costs-more; several are all demanded.</param>
/// <param name="CostFrom">The least cost of the month.</param>
/// <param name="Sort">estate, name, region, objects, bytes, cost, later (the last month's cost) or growth (from this month's to it).</param>
/// <param name="Descending">Largest first for figures, Z to A for names.</param>
/// <param name="Offset">How many matching buckets to pass over.</param>
/// <param name="Limit">At most so many rows, 1 to 500.</param>
public sealed record BoardQuery(
    [FromQuery(Name = "on")] DateOnly? On = null,
    [FromQuery(Name = "months")] int Months = Horizon.Default,
    [FromQuery(Name = "find")] string? Find = null,
    [FromQuery(Name = "region")] string? Region = null,
    [FromQuery(Name = "tier")] string? Tier = null,
    [FromQuery(Name = "state")] string[]? State = null,
    [FromQuery(Name = "costFrom")] double? CostFrom = null,
    [FromQuery(Name = "sort")] string Sort = "estate",
    [FromQuery(Name = "descending")] bool Descending = false,
    [FromQuery(Name = "offset")] int Offset = 0,
    [FromQuery(Name = "limit")] int Limit = 200
)
{
    /// <summary>Rows of one answer.</summary>
    public const int MostRows = 500;
}
