namespace Ripen.Core.Estates;

/// <summary>Something that is wrong (or, as a warning, doubtful): a stable code, the JSON path, and words that say what to do.</summary>
public sealed record Problem(string Code, string Path, string Message);

/// <summary>Either a value or every problem that stood in its way.</summary>
public sealed class Checked<T>
    where T : class
{
    private readonly T? value;

    public Checked(T value) => (this.value, Problems) = (value, []);

    public Checked(IReadOnlyList<Problem> problems) => Problems = problems;

    /// <summary>Empty when there is a value.</summary>
    public IReadOnlyList<Problem> Problems { get; }

    public bool Ok => value is not null;

    /// <exception cref="InvalidOperationException">There are problems instead.</exception>
    public T Value => value ?? throw new InvalidOperationException("Not valid: " + string.Join("; ", Problems));
}
