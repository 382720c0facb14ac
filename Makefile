# Two commands matter: make demo, make test.
export PATH := $(PATH):/usr/local/go/bin
# nomsgpack: an encoding that nobody here speaks, and that takes a fifth of a fresh build.
GOFLAGS := -buildvcs=false -tags=nomsgpack
export GOFLAGS
# Wide registers for noise; the plain path beside it gives the same bits.
ifeq ($(shell go env GOARCH),amd64)
export GOEXPERIMENT := simd
endif

WEB_SOURCES := $(shell find web/src web/index.html web/*.ts web/*.json -type f 2>/dev/null)

.PHONY: bench-page soak formats demo test build packages browser core-built database api-types gate test-go test-e2e clean

demo: packages build
	@VELVETGRIME_DATABASE="$$(scripts/database.sh velvetgrime)" bin/velvetgrime demo $(ARGS)

packages:
	@scripts/packages.sh

build: web/dist/index.html
	@go build -o bin/velvetgrime ./cmd/velvetgrime

web/node_modules/.stamp: web/package-lock.json
	@cd web && npm ci --no-audit --no-fund --loglevel=error && touch node_modules/.stamp

e2e/node_modules/.stamp: e2e/package-lock.json
	@cd e2e && PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD=1 npm ci --no-audit --no-fund --loglevel=error && touch node_modules/.stamp

web/dist/index.html: web/node_modules/.stamp $(WEB_SOURCES)
	@cd web && npm run --silent build

database: packages
	@scripts/database.sh velvetgrime

# The page's types come from the service's Go types.
api-types: build web/node_modules/.stamp
	@bin/velvetgrime openapi > web/openapi.json
	@cd web && npx openapi-typescript openapi.json -o src/api/schema.d.ts >/dev/null && npx prettier --log-level warn --write src/api/schema.d.ts openapi.json

# The schema of documents and the lists of steps, operations and messages come from the code.
formats: build
	@bin/velvetgrime schema > docs/formats/document.schema.json
	@bin/velvetgrime schema --steps > docs/formats/steps.md
	@bin/velvetgrime schema --operations > docs/formats/operations.md
	@bin/velvetgrime schema --messages > docs/formats/messages.md
	@bin/velvetgrime schema --grime > docs/formats/grime.schema.json

gate: build web/node_modules/.stamp
	@echo "gate: formatting, vet, types, drift"
	@test -z "$$(gofmt -l cmd core internal web/*.go | tee /dev/stderr)"
	@go vet -vettool=$(CURDIR)/scripts/vet.sh ./...
	@cd web && npm run --silent format:check && npm run --silent check
	@set -e; t=$$(mktemp -d); bin/velvetgrime openapi > $$t/openapi.json; cd web; \
	  npx openapi-typescript $$t/openapi.json -o $$t/raw.d.ts >/dev/null; \
	  npx prettier --stdin-filepath src/api/schema.d.ts < $$t/raw.d.ts > $$t/schema.d.ts; \
	  cmp src/api/schema.d.ts $$t/schema.d.ts || (echo "web/src/api/schema.d.ts has drifted from the Go types: run 'make api-types' and commit it"; exit 1); \
	  rm -r $$t

test-go: web/dist/index.html
	@VELVETGRIME_TEST_DATABASE="$$(scripts/database.sh velvetgrime_test)" \
	  VELVETGRIME_JOBS_DATABASE="$$(scripts/database.sh velvetgrime_jobs)" \
	  go test -vet=off -p 3 -ldflags='-s -w' -exec 'env GOGC=400' ./internal/jobs ./core/eval ./... # the gate has vetted; without symbols it links in half the time; memory is swept less often; the longest come first

bench-page: build e2e/node_modules/.stamp
	@psql -qX "$$(scripts/database.sh velvetgrime_bench)" -c 'SET client_min_messages = error; DROP SCHEMA public CASCADE; CREATE SCHEMA public'
	@cd e2e && VELVETGRIME_DATABASE="$$(../scripts/database.sh velvetgrime_bench)" node bench.mjs

test-e2e: build e2e/node_modules/.stamp
	@cd e2e && VELVETGRIME_DATABASE="$$(../scripts/database.sh velvetgrime_e2e)" npx playwright test

# What is fetched, unpacked and compiled comes beside each other, and the browser while the tests in
# Go run; the page's checks take one core each, and run beside these tests, too.
test:
	@$(MAKE) --no-print-directory --jobs=3 packages core-built e2e/node_modules/.stamp build
	@$(MAKE) --no-print-directory --jobs=3 --output-sync=target gate test-go browser
	@$(MAKE) --no-print-directory test-e2e

# what needs no page is compiled while that is made
core-built:
	@go build ./core/...

browser:
	@scripts/packages.sh browser

# The faults: what must be survived, in one table. Not a part of make test; it takes about an hour.
soak: packages build
	@VELVETGRIME_TEST_DATABASE="$$(scripts/database.sh velvetgrime_test)" VELVETGRIME_JOBS_DATABASE="$$(scripts/database.sh velvetgrime_jobs)" \
	  go test -v -tags soak,nomsgpack -timeout 150m -count 1 ./internal/soak $(ARGS)

clean:
	rm -rf bin web/dist/assets web/dist/index.html web/node_modules e2e/node_modules
