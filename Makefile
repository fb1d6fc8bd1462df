# Two commands to know: make demo, make test. Each installs what it needs.
SHELL := /bin/bash
.DEFAULT_GOAL := build

GO_FILES  := $(shell find api client cmd core internal test web -name '*.go' -not -path '*/node_modules/*') go.mod go.sum \
             $(wildcard internal/store/migrations/*.sql internal/demo/*/*.md api/openapi.yaml)
WEB_FILES := $(shell find web/src web/public -type f -not -name schema.d.ts) web/index.html web/vite.config.ts web/tsconfig.json \
             web/package.json web/package-lock.json api/openapi.yaml
DEMO_DIR  ?= /var/tmp/goldshelf-demo-$(shell id -u)
# The race detector needs a C compiler; where there is none the tests run without it. It
# reads along where callers share memory; what use cases share is in the database, where
# their tests race callers without it. "make race" has it read everything.
RACE      := $(shell command -v gcc >/dev/null && echo -race)
RACED     := ./client/... ./internal/channel ./internal/index ./internal/jobs ./internal/notify ./internal/pgserver \
             ./internal/store ./internal/texts ./internal/work
# The longest comes first, for the others to run beside it.
PLAIN      = ./internal/server ./internal/demo $(filter-out $(shell go list $(RACED) 2>/dev/null),$(shell go list ./internal/... 2>/dev/null)) ./core/... ./api/...

# The code is read before the tests run, and nobody debugs their binaries. Compilers and
# tests live for seconds: they may take more memory before they tidy up.
TEST      := go test -timeout 25m -vet=off -ldflags="-s -w"
test check: export GOGC := 300
# What was compiled in one checkout need not be in another.
export GOFLAGS += -trimpath

.PHONY: build demo test test-more test-raced test-whole test-others check-last race check check-go check-web console axe lint bench soak pictures deb check-deb clean

build: bin/goldshelfd bin/goldshelf

bin/goldshelfd bin/goldshelf &: $(GO_FILES) web/dist/index.html
	@echo "Building the programs …"
	@go build -buildvcs=auto -o bin/ ./cmd/...
	@touch bin/goldshelfd bin/goldshelf

bin/goldshelfd-oldest: test/oldest-program web/dist/index.html
	@echo "Building an older program …"
	@scripts/build-oldest

# Node makes the console, and reads its code, only where the same was not made or read before.
web/dist/index.html: $(WEB_FILES)
	@scripts/once -makes web/dist "console-$$(node --version)" $^ -- $(MAKE) --no-print-directory console
	@touch $@

console: web/src/data/schema.d.ts
	@echo "Building the console …"
	@cd web && npm run --silent build >/tmp/goldshelf-console-$$$$.log 2>&1 \
	  || { cat /tmp/goldshelf-console-$$$$.log; exit 1; }; rm -f /tmp/goldshelf-console-$$$$.log
	@touch web/dist/.keep

# What the tests look at pages with.
bin/axe/axe.min.js: web/package-lock.json
	@scripts/once -makes bin/axe axe $^ -- $(MAKE) --no-print-directory axe
	@touch $@

axe: web/node_modules/.package-lock.json
	@mkdir -p bin/axe && cp web/node_modules/axe-core/axe.min.js bin/axe/

web/src/data/schema.d.ts: api/openapi.yaml web/node_modules/.package-lock.json
	@cd web && npm run --silent types >/dev/null
	@touch $@

web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	@echo "Installing the console's packages …"
	@cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

demo:
	@scripts/need postgresql wordnet-base
	@$(MAKE) --no-print-directory build
	@echo "Sign in as reader, contributor, reviewer or curator, each with the password larkfen-demo. Ctrl-C stops it."
	@bin/goldshelfd serve --demo --data-dir "$(DEMO_DIR)"

# What nothing has changed for is not tested again: the tests of the whole service ask for
# the programs by name, which Go holds against those of the time before.
# Three things at a time, so that none waits for what it does not need: the tests of the
# whole service, which mostly wait for a browser, those of its parts, and the code as it reads.
test:
	@scripts/need postgresql wordnet-base chromium
	@$(MAKE) --no-print-directory -j3 test-whole test-others check-last

test-raced:
	@echo "Testing what callers share …"
	@$(TEST) $(RACE) $(RACED)

test-whole: build bin/goldshelfd-oldest bin/axe/axe.min.js
	@echo "Testing the whole service …"
	@$(TEST) -parallel 4 ./test/...

test-others: web/dist/index.html test-raced
	@echo "Testing the other packages …"
	@$(TEST) $(PLAIN)

# Not while the console is built: whatever waits for that would wait for this.
check-last: web/dist/index.html test-raced
	@$(MAKE) --no-print-directory check

# Tests that need further programs from Debian.
test-more:
	@echo "Trying the alert rules …"
	@scripts/check-alerts

# Everything once more, with the race detector reading along.
race:
	@scripts/need postgresql wordnet-base
	@$(MAKE) --no-print-directory build
	@go test -race -vet=off ./core/... ./api/... ./client/... ./internal/...

check: check-go check-web

check-go:
	@echo "Reading the code …"
	@test -z "$$(gofmt -l api client cmd core internal test web/*.go)" || { echo "not formatted:"; gofmt -l api client cmd core internal test web/*.go; exit 1; }
	@go vet ./...
	@go tool staticcheck ./...

check-web: web/dist/index.html
	@scripts/once "lint-$$(node --version)" $(WEB_FILES) web/eslint.config.js web/.prettierrc web/.prettierignore -- $(MAKE) --no-print-directory lint

lint: web/src/data/schema.d.ts
	@cd web && npm run --silent lint

# BEFORE=PROGRAM sets saves to publications beside those of an older goldshelfd.
bench:
	@scripts/need postgresql wordnet-base ripgrep chromium
	@$(MAKE) --no-print-directory build
	@go run ./test/bench $(if $(BEFORE),-before $(BEFORE))

# Bad days, again and again: an hour of each side by side, with what was seen.
SOAK ?= 1h
soak:
	@scripts/need postgresql wordnet-base chromium
	@$(MAKE) --no-print-directory build
	@GOLDSHELF_SOAK=$(SOAK) go test -vet=off -count=1 -timeout 6h -parallel 8 -run 'BadDay' -v ./test | grep -v '^=== '

# The package for Debian 12, and a test of it in a clean root, which debootstrap makes.
deb: build
	@scripts/deb

check-deb: build
	@scripts/need debootstrap systemd
	@scripts/check-deb

# Takes the pictures of docs/screenshots anew; needs xterm and xvfb as well.
pictures:
	@scripts/need postgresql wordnet-base chromium
	@$(MAKE) --no-print-directory build
	@scripts/pictures

clean:
	rm -rf bin web/node_modules web/dist/assets web/dist/index.html web/src/data/schema.d.ts
