using System.CommandLine;
using System.Globalization;
using Ripen.Cli;

CultureInfo.DefaultThreadCurrentCulture = CultureInfo.InvariantCulture;
return Commands.Root().Parse(args).Invoke();
