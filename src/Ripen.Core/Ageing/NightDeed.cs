namespace Ripen.Core.Ageing;

/// <summary>What a night does to objects. Expires: they go for good. StepsBack: they become earlier versions. Moves: to a colder tier.
/// ComesBack: to the landing tier, because it was read. Discards: what had come of an
/// upload that nobody completed.</summary>
public enum NightDeed
{
    Expires,
    StepsBack,
    Moves,
    ComesBack,
    Discards,
}
