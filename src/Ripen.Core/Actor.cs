namespace Ripen.Core;

/// <summary>Who does something: what both logs say of every change.</summary>
/// <param name="Name">As people read it.</param>
public sealed record Actor(string Name)
{
    /// <summary>Whoever sits at this machine; all there is until people sign in.</summary>
    public static Actor Local { get; } = new("you, on this machine");

    /// <summary>The demo, which lives its past by the same means as anybody.</summary>
    public static Actor Demo { get; } = new("the demo");
}

/// <summary>Tells who is acting at the moment of the call.</summary>
public interface IActors
{
    Actor Current { get; }
}

/// <summary>Everybody is <see cref="Actor.Local"/>, but for what says that it acts as somebody else.</summary>
public sealed class LocalActors : IActors
{
    private readonly AsyncLocal<Actor?> other = new();

    public Actor Current => other.Value ?? Actor.Local;

    /// <summary>What <paramref name="deed"/> does is done by <paramref name="actor"/>.</summary>
    public async Task As(Actor actor, Func<Task> deed)
    {
        other.Value = actor;
        await deed();
    }
}
