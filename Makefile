# Everything runs from here: `make demo` opens the application, `make test` runs all tests.
CONFIGURATION := Release
ADDRESS := http://127.0.0.1:5140
OUTPUT := bin/$(CONFIGURATION)/net10.0
export DOTNET_CLI_TELEMETRY_OPTOUT := 1
export DOTNET_NOLOGO := 1
export npm_config_update_notifier := false

.PHONY: demo demo-reset build cli web test quick fuzz check format api schema bench screenshots clean

# Starts with the demo estate; later starts keep what was done.
demo: build
	@echo "Ripen is at $(ADDRESS)"
	artifacts/server/Ripen.Server --urls=$(ADDRESS) --Ripen:Database=data/ripen.db --Ripen:Demo=true

demo-reset:
	rm -rf data
	@echo "The next 'make demo' starts over."

build: web
	dotnet build Ripen.slnx -c $(CONFIGURATION) --nologo -v quiet
	@$(MAKE) --no-print-directory cli
	@cmp -s artifacts/openapi/Ripen.Server.json web/openapi.json || \
	  { echo "web/openapi.json is not what the server says: run 'make api' and commit what it writes."; exit 1; }

# The command line, compiled ahead of time, which takes a minute when something of it has changed; `dotnet build` does not do it.
cli:
	scripts/need linker
	dotnet publish src/Ripen.Cli -c $(CONFIGURATION) --no-build --nologo -v quiet

web: web/node_modules/.installed
	cd web && npx --no-install openapi-typescript openapi.json -o ../artifacts/schema.ts >/dev/null && \
	  { cmp -s ../artifacts/schema.ts src/api/schema.ts || { echo "web/src/api/schema.ts is stale: run 'make api'."; exit 1; }; }
	cd web && npm run --silent build

# Not `npm ci`: some registries do not serve the optional packages of other platforms, which it insists on; `npm install` keeps to the lock file too.
web/node_modules/.installed: web/package-lock.json
	scripts/need tools
	cd web && npm install --silent --no-audit --no-fund && touch node_modules/.installed

# Core and provider only: what a change there breaks first, in under two minutes.
quick:
	scripts/need tools
	dotnet build tests/Ripen.Core.Tests -c $(CONFIGURATION) --nologo -v quiet
	dotnet build tests/Ripen.Provider.Tests -c $(CONFIGURATION) --nologo -v quiet
	scripts/run-tests Ripen.Core.Tests Ripen.Provider.Tests

test: build check
	scripts/need browser
	scripts/need clients
	scripts/run-tests

# Random tests with new draws, ten times as many. RIPEN_SEED repeats what failed.
fuzz: export RIPEN_SEED ?= $(shell date +%s)
fuzz: export RIPEN_TIMES ?= 10
fuzz: build
	@echo "RIPEN_SEED=$(RIPEN_SEED) RIPEN_TIMES=$(RIPEN_TIMES)"
	scripts/run-tests Ripen.Core.Tests Ripen.Provider.Tests
	tests/Ripen.Server.Tests/$(OUTPUT)/Ripen.Server.Tests -noColor -class "*.FuzzTests" -class "*.KeptHistoryOverHttpTests" -class "*.EstateStoreTests"

# The formatters of both languages and the linter of one, changing nothing; what the analyzers of the other find fails the build.
check:
	dotnet tool restore > /dev/null
	dotnet csharpier check . > artifacts/format.log || { grep -v '^Formatted' artifacts/format.log; exit 1; }
	cd web && npm run --silent check

format: web/node_modules/.installed
	dotnet tool restore > /dev/null
	dotnet csharpier format .
	dotnet format style Ripen.slnx --exclude src/Ripen.Data/Migrations
	cd web && npm run --silent format

# Takes the server's OpenAPI document and the client types from it into the tree.
api: web/node_modules/.installed
	dotnet build src/Ripen.Server -c $(CONFIGURATION) --nologo -v quiet
	cp artifacts/openapi/Ripen.Server.json web/openapi.json
	cd web && npm run --silent api

schema: build
	./ripen schema > docs/estate.schema.json

bench: build
	cd artifacts && ../bench/Ripen.Benchmarks/$(OUTPUT)/Ripen.Benchmarks
	scripts/need browser
	scripts/paint-replication
	scripts/measure-scale
	scripts/measure-backups

screenshots: build
	scripts/need browser
	scripts/screenshots

clean:
	rm -rf artifacts web/node_modules
	dotnet clean Ripen.slnx -c $(CONFIGURATION) --nologo -v quiet
