CONFIGURATION := Release
export DOTNET_CLI_TELEMETRY_OPTOUT := 1
export DOTNET_NOLOGO := 1

.PHONY: build test

build:
	dotnet build Ripen.slnx -c $(CONFIGURATION) --nologo -v quiet

test: build
	scripts/run-tests
