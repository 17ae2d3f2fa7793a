using System.Globalization;
using Microsoft.AspNetCore.DataProtection;
using Ripen.Core.Estates;
using Ripen.Data;
using Ripen.Provider;
using Ripen.Server;
using Ripen.Server.Access;
using Ripen.Server.Advice;
using Ripen.Server.Arrays;
using Ripen.Server.Backups;
using Ripen.Server.Bills;
using Ripen.Server.Buckets;
using Ripen.Server.Budgets;
using Ripen.Server.Clock;
using Ripen.Server.Demo;
using Ripen.Server.Encryption;
using Ripen.Server.Estates;
using Ripen.Server.Forecasts;
using Ripen.Server.HeldCredentials;
using Ripen.Server.Http;
using Ripen.Server.Inventory;
using Ripen.Server.Objects;
using Ripen.Server.Prices;
using Ripen.Server.Redundancy;
using Ripen.Server.Replication;
using Ripen.Server.Retention;
using Ripen.Server.Scenarios;
using Ripen.Server.Stores;

CultureInfo.DefaultThreadCurrentCulture = CultureInfo.InvariantCulture;

var builder = WebApplication.CreateBuilder(new WebApplicationOptions { Args = args, ContentRootPath = AppContext.BaseDirectory });
if (builder.Configuration["urls"] is null)
    builder.WebHost.UseUrls("http://127.0.0.1:5140");
var settings = builder.Configuration.GetSection("Ripen").Get<RipenSettings>() ?? new RipenSettings();
var database = Path.GetFullPath(settings.Database);
var folder = settings.Provider ?? Path.Combine(Path.GetDirectoryName(database)!, "provider");

if (Door.Refusal(builder.Configuration["urls"] ?? "", settings.BeyondLoopback) is { } exposed)
{
    await Console.Error.WriteLineAsync(exposed);
    return 1;
}

builder.Services.AddSingleton(settings);
builder.Services.Configure<RouteHandlerOptions>(options => options.ThrowOnBadRequest = true);
builder.Services.AddSingleton(TimeProvider.System);
builder.Services.AddEstateStore(database);
builder.Services.AddSingleton<LocalActors>();
builder.Services.AddSingleton<IActors>(services => services.GetRequiredService<LocalActors>());
builder.Services.AddSingleton<CurrentEstate>();
builder.Services.AddSingleton<DemoEstate>();
builder.Services.AddSingleton<DemoBackups>();
builder.Services.AddRipenProblemDetails();
builder.Services.AddExceptionHandler<RefusalHandler>();
builder.Services.AddSingleton(services => new SimulatedProvider(
    folder,
    services.GetRequiredService<TimeProvider>(),
    services.GetRequiredService<IActors>(),
    settings.SealingKeys
));
builder.Services.AddSingleton<ClockJob>();
builder
    .Services.AddDataProtection()
    .SetApplicationName("ripen")
    .PersistKeysToFileSystem(new DirectoryInfo(Path.Combine(Path.GetDirectoryName(database)!, "keys")));
builder.Services.AddSingleton<CredentialBook>();
builder.Services.AddSingleton<TargetPlaces>();
builder.Services.AddSingleton<Keyring>();
builder.Services.AddSingleton<Pools>();
builder.Services.AddSingleton<RoomMaking>();
builder.Services.AddSingleton<Sources>();
builder.Services.AddSingleton<PlannedBackups>();
builder.Services.AddSingleton<PlannedRehearsals>();
builder.Services.AddSingleton<RestorePlaces>();
builder.Services.AddSingleton<WaitingRestores>();
builder.Services.AddSingleton<BudgetWatch>();
builder.Services.AddSingleton(services => new Programs(
    settings.Programs ?? Path.Combine(Path.GetDirectoryName(database)!, "programs"),
    services.GetRequiredService<ILogger<Programs>>()
));
builder.Services.AddSingleton<Volumes>();
builder.Services.AddSingleton<Cartridges>();
builder.Services.AddSingleton(new DriveFolder(settings.Drives ?? Path.Combine(Path.GetDirectoryName(database)!, "drives")));
builder.Services.AddSingleton(new VolumeFolder(settings.VolumeDisks ?? Path.Combine(Path.GetDirectoryName(database)!, "volumes")));
builder.Services.AddSingleton<BackupJobs>();
builder.Services.AddSingleton<Recorded>();
builder.Services.AddSingleton<Rehearsals>();
builder.Services.AddSingleton<PointSearch>();
builder.Services.AddSingleton<MailSearch>();
builder.Services.AddSingleton<TargetTests>();
builder.Services.AddSingleton<PoolCopies>();
builder.Services.AddSingleton(new BackupRoots(settings.BackupRoots ?? [Path.Combine(Path.GetDirectoryName(database)!, "folders")]));

// The build runs this program for its OpenAPI document only; that must not leave a database or a provider behind.
if (!OpenApiDocument.IsBeingGenerated)
{
    builder.Services.AddHostedService(services => services.GetRequiredService<ClockJob>());
    builder.Services.AddHostedService(services => services.GetRequiredService<BackupJobs>());
    builder.Services.AddHostedService(services => services.GetRequiredService<TargetTests>());
    builder.Services.AddHostedService(services => services.GetRequiredService<PoolCopies>());
    builder.Services.AddHostedService(services => services.GetRequiredService<Volumes>());
    builder.Services.AddHostedService(services => services.GetRequiredService<Cartridges>());
}
builder.Services.ConfigureHttpJsonOptions(options => EstateDocument.ConfigureStrict(options.SerializerOptions));
builder.Services.AddRipenOpenApi();
builder.Services.AddResponseCompression();

var app = builder.Build();
app.UseDoor(settings);

// Objects go out byte for byte: a range or a digest of something compressed would be of other bytes.
app.UseWhen(
    context => context.Request.Path.Value?.Contains("/objects/", StringComparison.Ordinal) != true,
    others => others.UseResponseCompression()
);
app.UseMiddleware<StoresGuard>();
app.UseMiddleware<PlainObjects>();
app.UseFrontEnd();
app.UseRouting();
app.UseBodyGate();

app.MapOpenApi("/openapi/{documentName}.json");
app.MapHealth();
app.MapTokens();
var api = app.MapGroup("/api");
api.MapEstate();
api.MapBuckets();
api.MapForecast();
api.MapFullRestore();
api.MapObjects();
api.MapUploads();
api.MapRecalls();
api.MapArrays();
api.MapOffers();
api.MapScenarios();
api.MapBudgets();
api.MapBills();
api.MapPrices();
api.MapBundles();
api.MapClock();
api.MapAccess();
api.MapEncryption();
api.MapCredentials();
api.MapInventories();
api.MapSchemes();
api.MapAdvice();
api.MapCopies();
api.MapStores();
api.MapTargets();
api.MapPlans();
api.MapPlanLists();
api.MapHolds();
api.MapKeeping();
api.MapObjectKeeping();
api.MapNights();
api.MapWorkloads();
api.MapRestoreRecords();
api.MapPointSearch();
api.MapMailSearch();
api.MapRecoverySheet();
api.MapBackupSizing();

// For reading only, so that a wrong method or media type elsewhere still gets its own answer.
api.MapGet(
        "{**rest}",
        () => Problems.NotFound("unknown-address", "There is nothing at this address; /openapi/v1.json lists what there is.")
    )
    .ExcludeFromDescription();
app.MapFallbackToFile("index.html");

try
{
    if (!OpenApiDocument.IsBeingGenerated)
        await Prepare();
    if (settings.BeyondLoopback)
        app.Logger.LogWarning(
            "Ripen listens beyond this machine and has no sign-in yet: whoever reaches it can read, change and delete everything."
        );
    await app.RunAsync();
    return 0;
}
catch (Exception error) when (Startup.Sentence(error, database, folder) is { } sentence)
{
    await Console.Error.WriteLineAsync(sentence);
    return 1;
}

async Task Prepare()
{
    Directory.CreateDirectory(Path.GetDirectoryName(database)!);
    // First, because it keeps every other process out.
    var mended = app.Services.GetRequiredService<SimulatedProvider>().Mended;
    if (mended.HalfWritten > 0)
        app.Logger.LogWarning("{Files} half-written uploads that nothing had acknowledged were removed.", mended.HalfWritten);
    if (mended.PutAside > 0)
        app.Logger.LogWarning(
            "{Files} files that the provider's index does not know were put into its folder 'quarantine'; list.csv there names them.",
            mended.PutAside
        );
    await app.Services.GetRequiredService<EstateStore>().Prepare();
    await app.Services.GetRequiredService<CredentialBook>().Load(CancellationToken.None);
    var current = app.Services.GetRequiredService<CurrentEstate>();
    var demo = app.Services.GetRequiredService<DemoEstate>();
    // What does not belong together is said, and can be looked at; it is no reason not to start.
    if (!await current.Begin() && settings.Demo && current.Stores.Standing == Standing.Together)
        await demo.Load(CancellationToken.None);
    await demo.Live(CancellationToken.None);
    await app.Services.GetRequiredService<DemoBackups>().Make(CancellationToken.None);
}
