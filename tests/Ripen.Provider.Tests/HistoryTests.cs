using FsCheck;
using FsCheck.Fluent;
using Ripen.Core.Tests;
using Ripen.Provider.Objects;

namespace Ripen.Provider.Tests;

/// <summary>Random histories of writing and deleting, against the plainest model there is: a list of versions for each key.</summary>
public sealed class HistoryTests
{
    private static readonly string[] Keys = ["a", "a/b", "z"];

    private enum Deed
    {
        Write,
        Delete,
        DeleteVersion,
        Restart,
    }

    private sealed record Version(long Number, byte[]? Content);

    private static Gen<List<(Deed Deed, int Key, int Pick)>> Histories { get; } =
        from n in Gen.Choose(1, 25)
        from deeds in Gen.ListOf(
            from deed in Gen.Frequency(
                (5, Gen.Constant(Deed.Write)),
                (3, Gen.Constant(Deed.Delete)),
                (3, Gen.Constant(Deed.DeleteVersion)),
                (1, Gen.Constant(Deed.Restart))
            )
            from key in Gen.Choose(0, Keys.Length - 1)
            from pick in Gen.Choose(0, 100)
            select (deed, key, pick),
            n
        )
        select deeds.ToList();

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Every_history_ends_where_the_model_ends(bool versioning) =>
        Prop.ForAll(
                Arb.From(Histories),
                history =>
                {
                    var estate = TestProvider.OneBucket(b => b with { Versioning = versioning });
                    using var provider = new TestProvider(estate);
                    var model = Keys.ToDictionary(k => k, _ => new List<Version>());
                    foreach (var (deed, keyAt, pick) in history)
                    {
                        var (key, versions) = (Keys[keyAt], model[Keys[keyAt]]);
                        switch (deed)
                        {
                            case Deed.Write:
                                var content = TestProvider.Bytes(pick, seed: pick);
                                var number = provider.Put(key, content).GetAwaiter().GetResult().Version;
                                if (!versioning)
                                    versions.Clear();
                                versions.Add(new Version(number, content));
                                break;
                            case Deed.Delete when versions.LastOrDefault()?.Content is not null:
                                var deletion = provider.Objects.Delete("harbour", key, null, null);
                                Assert.Equal(versioning, deletion.Marker is not null);
                                if (versioning)
                                    versions.Add(new Version(deletion.Marker!.Value, null));
                                else
                                    versions.Clear();
                                break;
                            case Deed.Delete:
                                Assert.Equal(
                                    "no-object",
                                    Assert.Throws<RefusalException>(() => provider.Objects.Delete("harbour", key, null, null)).Code
                                );
                                break;
                            case Deed.DeleteVersion when versions.Count > 0:
                                var at = pick % versions.Count;
                                provider.Objects.Delete("harbour", key, versions[at].Number, null);
                                versions.RemoveAt(at);
                                break;
                            case Deed.Restart:
                                provider.Reopen(estate);
                                break;
                        }
                    }
                    foreach (var (key, versions) in model)
                    {
                        Assert.Equal(
                            versions.Select(v => (v.Number, v.Content is null)).Reverse(),
                            provider.Objects.Versions("harbour", key).Select(v => (v.Version, v.IsDeletion))
                        );
                        Assert.Equal(
                            versions.LastOrDefault()?.Number,
                            provider.Objects.Versions("harbour", key).SingleOrDefault(v => v.IsCurrent)?.Version
                        );
                        foreach (var version in versions.Where(v => v.Content is not null))
                            Assert.Equal(version.Content, provider.Get(key, version.Number).GetAwaiter().GetResult());
                    }
                    Assert.Equal(
                        Keys.Where(k => model[k].LastOrDefault()?.Content is not null),
                        provider.Objects.List("harbour", "", null, null, 10).Objects.Select(o => o.Key)
                    );
                    Assert.Equal(
                        Keys.Where(k => model[k].LastOrDefault() is { Content: null }),
                        provider.Objects.Deletions("harbour", "", 10).Select(o => o.Key)
                    );
                    Assert.Equal(model.Values.Sum(v => v.Count(x => x.Content is not null)), provider.FilesOnDisk);
                    Assert.Equal(model.Values.Sum(v => v.Count(x => x.Content is not null)), provider.Inside.Contents("harbour").Objects);
                }
            )
            .Check(Randomly.Draws(25));
}
