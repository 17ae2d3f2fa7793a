namespace Ripen.Core;

/// <summary>Who does something: what both logs say of every change.</summary>
/// <param name="Name">As people read it.</param>
public sealed record Actor(string Name)
{
    /// <summary>Whoever sits at this machine; all there is until people sign in.</summary>
    public static Actor Local { get; } = new("you, on this machine");

    /// <summary>The program by itself, such as a midnight run.</summary>
    public static Actor Program { get; } = new("Ripen");
}

/// <summary>Tells who is acting at the moment of the call.</summary>
public interface IActors
{
    Actor Current { get; }
}

/// <summary>Everybody is <see cref="Actor.Local"/>.</summary>
public sealed class LocalActors : IActors
{
    public Actor Current => Actor.Local;
}
