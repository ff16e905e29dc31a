# Every command a person types. `make` alone lists them.
.DEFAULT_GOAL := help
SHELL := /bin/bash
BIN := bin/rubricon
UI := ui/dist/index.html
VERSION := $(shell cat VERSION)
# The same for programs and tests, so that a package is compiled once.
export GOFLAGS := -trimpath -tags=nomsgpack
UI_SOURCES := $(shell find ui/src ui/public ui/index.html ui/*.json ui/*.ts ui/*.mjs locales/*.json -type f 2>/dev/null)

.PHONY: help demo demo-reset build test tools warm go-tests quick bench bench-rush bench-faults bench-morning bench-district bench-paint bench-core bench-place contract shots lint fuzz sbom need mutants

help: ## list the commands
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | awk -F':.*## ' '{printf "make %-12s %s\n", $$1, $$2}'

demo: build ## serve the demo school on http://127.0.0.1:7270, with a database of its own
	@exec $(BIN) demo

demo-reset: build ## the same, starting anew: what was entered in the demo is lost
	@exec $(BIN) demo --reset

build: need $(UI) ## build the front end and the binary
	@go build -ldflags '-s -w -X main.version=$(VERSION)' -o $(BIN) ./cmd/rubricon

need: # what this machine must have; as root, what Debian has is installed
	@scripts/need go node postgres

ui/node_modules/.package-lock.json: ui/package-lock.json ui/package.json
	cd ui && npm ci --no-audit --no-fund
	@touch $@

$(UI): ui/node_modules/.package-lock.json $(UI_SOURCES)
	cd ui && npm run --silent build
	@touch ui/dist/.gitkeep $@

test: ## run all tests: core, database, contract, browser
	@$(MAKE) --no-print-directory need
	@$(MAKE) --no-print-directory --jobs=3 tools warm build
	@$(MAKE) --no-print-directory --jobs=2 lint go-tests

tools: # what the tests need beside
	@scripts/need chromium cbc pgbouncer poppler

warm: # compile what needs no front end while that is built
	@go build ./core/... ./app/... ./jobs/... ./signon/...

go-tests: # while the front end's style is checked on what is left of the other core
	@rough=$$(gofmt -l $$(go list -f '{{.Dir}}' ./...)); test -z "$$rough" || { echo "not formatted; run gofmt -w on" $$rough; exit 1; }
	go vet ./...
	go test -vet=off -parallel 4 -timeout 20m ./e2e ./... # the browser tests take longest, so they begin first

test-%: ## run the tests of one area in every layer, such as make test-seats
	go test $(patsubst %,./%,$(wildcard app/$* web/$* core/$*))

quick: ## run the tests of the core alone
	go test ./core/...

bench: build ## measure what a change to a sheet costs beside bare statements
	go run ./bench

bench-faults: build ## try what goes wrong in operation: databases stopped, killed, full, slow, replaced and brought back, under a stream of changes
	go run ./bench/faults

bench-morning: build ## measure the morning a window opens: 5,000 students sign in within ten minutes and change their sheets (a quarter of an hour)
	go run ./bench/morning

bench-district: build ## measure a district: 50,000 students in 40 schools, in one database behind one process (ten minutes)
	go run ./bench/district

bench-paint: build ## measure how long the student's year takes from a key press to the painted result
	@scripts/need chromium
	go run ./bench/paint

bench-rush: build ## measure the opening minute of choosing seats, with one server process and with two, of which one is killed
	go run ./bench/rush
	go run ./bench/rush -servers 2 -kill

bench-core: ## measure the computation on the demo school
	go test -run '^$$' -bench . -benchmem ./core/... ./cmd/...

bench-place: ## measure placement on generated schools, against its bound and against CBC (an hour)
	@scripts/need cbc
	go run ./bench/place
	go run ./bench/place -cbc
	go run ./bench/place -schools 2000

FUZZ := 30s
fuzz: ## fuzz every parser and upload, half a minute each, or longer: make fuzz FUZZ=10m
	@for x in core/credit:FuzzParse core/condition:FuzzParse core/policy:FuzzParse core/receipt:FuzzParse core/roster:FuzzMatch hook:FuzzWhereMessagesMayGo hook:FuzzVerify bundle:FuzzRead bundle:FuzzOpenZip bundle:FuzzSheet web/account:FuzzRosterFilter web/server:FuzzText; do \
	  go test -run '^$$' -fuzz "^$${x#*:}$$" -fuzztime $(FUZZ) -fuzzminimizetime 2s ./$${x%:*} || exit 1; done

sbom: ui/node_modules/.package-lock.json ## list what the application is made of, with licences (CycloneDX), with the texts of the licences: bin/sbom-*.json, bin/third-party-notices.txt
	@mkdir -p bin
	go run github.com/CycloneDX/cyclonedx-gomod/cmd/cyclonedx-gomod@v1.10.0 mod -licenses -json -output bin/sbom-go.json
	cd ui && npm sbom --sbom-format=cyclonedx --omit=dev --omit=optional > ../bin/sbom-ui.json
	scripts/notices > bin/third-party-notices.txt

contract: ## write docs/openapi.json and the TypeScript types anew
	go run ./cmd/rubricon openapi > docs/openapi.json
	go run ./cmd/rubricon openapi --late-codes > ui/codes.json
	cd ui && npm run --silent types

shots: ## take the pictures in docs/screenshots anew, from a running demo
	go run ./e2e/shots

lint: bin/staticcheck ## check the style of both halves
	bin/staticcheck ./...
	cd ui && npm run --silent lint

bin/staticcheck: tools/go.mod
	@go -C tools build -o ../bin/staticcheck honnef.co/go/tools/cmd/staticcheck

MUTATED := store web $(patsubst %/,%,$(wildcard web/*/)) $(patsubst %/,%,$(wildcard app/*/)) bundle core/acts core/sheet

mutants: build ## put faults into the code one by one and see which the tests notice (some hours); what survives is in docs/mutants.md
	@scripts/need chromium pgbouncer
	@command -v gremlins >/dev/null || go install github.com/go-gremlins/gremlins/cmd/gremlins@v0.6.0
	@PATH="$$PATH:$$(go env GOPATH)/bin"; for p in $(MUTATED); do \
	  go run ./store/local/beside gremlins unleash ./$$p --workers 2 --timeout-coefficient 6 --threshold-efficacy 85 || exit 1; done
