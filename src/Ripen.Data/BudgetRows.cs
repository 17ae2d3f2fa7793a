namespace Ripen.Data;

/// <summary>A forecast that was fixed. No foreign keys: what was planned stays, whatever becomes of the buckets.</summary>
internal sealed class BudgetRow
{
    public int Id { get; set; }
    public required string Name { get; set; }
    public required DateOnly FixedOn { get; set; }

    /// <summary>The first day of the first month.</summary>
    public required DateOnly First { get; set; }
    public required int Months { get; set; }
    public required double Headroom { get; set; }
    public required bool PutAway { get; set; }
    public required string Source { get; set; }

    /// <summary>Empty where it was not kept yet.</summary>
    public required string Currency { get; set; }

    /// <summary>The lines, packed.</summary>
    public required byte[] Lines { get; set; }
    public List<BudgetAlarmRow> Alarms { get; set; } = [];
}

/// <summary>A bill from elsewhere.</summary>
internal sealed class BillRow
{
    public int Id { get; set; }
    public required string Name { get; set; }
    public required DateTimeOffset At { get; set; }

    /// <summary>Empty where it was not kept yet.</summary>
    public required string Currency { get; set; }

    /// <summary>What it says, packed.</summary>
    public required byte[] Charges { get; set; }

    /// <summary>How it is read, as JSON.</summary>
    public required string Mapping { get; set; }
}

/// <summary>The morning on which a month became likely to end above a budget.</summary>
internal sealed class BudgetAlarmRow
{
    public required int BudgetId { get; set; }

    /// <summary>The first day of the month.</summary>
    public required DateOnly Month { get; set; }
    public required DateOnly Day { get; set; }
    public required double Limit { get; set; }
    public required double Charged { get; set; }
    public required double Expected { get; set; }
}
