# make demo, make test: everything, on a fresh Debian machine. The rest is for those who work here.
PORT ?= 8080
export PORT

.PHONY: demo demo-reset test check build web types lint format shots pace bench large drill fuzz audit setup

demo:
	@begun=$$(date +%s); $(MAKE) --no-print-directory build && echo "Built in $$(($$(date +%s) - begun)) s."
	@scripts/demo.sh

demo-reset: setup
	@scripts/postgres.sh reset .data
	@echo "The demo's data is gone; make demo makes it anew."

test:
	@scripts/test.sh

check: setup web/src/api/schema.gen.ts
	@go vet ./... && go test ./core/... ./formats/... ./standin/... . && cd web && npm run --silent check && npm run --silent test

setup:
	@scripts/setup.sh

build: setup web
	@[ -e build/nevrin ] || echo "Compiling …"
	@go build -o build/nevrin ./cmd/nevrin

# The front end is built again only when something in it changed.
web: web/dist/app/index.html
web/dist/app/index.html: web/src/api/schema.gen.ts $(shell find web/src docs/guide docs/screenshots web/index.html web/vite.config.ts web/package-lock.json -type f 2>/dev/null) | setup
	@cd web && npm run --silent build -- --logLevel warn

# The front end's types are made from the server's own description, which a test holds to the server.
types: setup
	@go run ./cmd/nevrin describe > server/openapi.json && $(MAKE) --no-print-directory web/src/api/schema.gen.ts
web/src/api/schema.gen.ts: server/openapi.json | setup
	@cd web && npm run --silent types >/dev/null

lint: setup web/src/api/schema.gen.ts
	@go run github.com/golangci/golangci-lint/v2/cmd/golangci-lint@v2.5.0 run ./... && cd web && npm run --silent lint

format: setup
	@gofmt -w cmd core app store server standin demo bench e2e web && cd web && npm run --silent format

shots: build
	@scripts/test.sh shots

pace: build
	@scripts/test.sh pace

large: build
	@scripts/large.sh

# Breaks things on purpose, prints what came of it, and sums the books up. Takes about twenty minutes, and root.
drill: build
	@scripts/drill.sh

# Half a minute for each reader of what comes from outside. It compiles everything in its own way, so it is no part of the tests.
fuzz: setup
	@scripts/fuzz.sh 30s

# Known weaknesses in what is built in; where the lists cannot be reached it says so.
audit: setup
	@scripts/audit.sh

bench: build
	@scripts/bench.sh
