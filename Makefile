# What a person does with this repository: demo, test, lint, bench, screenshots.

# Words are found by an index of SQLite's that its package builds only when it is asked for.
export GOFLAGS := $(GOFLAGS) -tags=nomsgpack,sqlite_fts5

# The one without a window draws sooner.
CHROMIUM ?= $(shell command -v chromium-headless-shell || echo /usr/bin/chromium)
STAMP := node_modules/.stamp
FRONT := web/dist/app/desk.html
FRONT_SOURCES := $(shell find web/src -type f) web/desk.html web/member.html web/book.html web/vite.config.ts web/package.json web/compress.mjs
GO_SOURCES := $(shell find cmd core internal -type f) web/embed.go go.mod go.sum

.PHONY: demo demo-reset build test test-tools test-servers soak lint lint-go lint-web test-go test-web test-e2e api bench bench-scale bench-page screenshots format

demo: build
	bin/niche demo

demo-reset:
	rm -rf demo-data
	$(MAKE) demo

build: bin/niche

bin/niche: $(GO_SOURCES) $(FRONT)
	go build -o $@ ./cmd/niche

$(FRONT): $(STAMP) $(FRONT_SOURCES)
	npm run --silent build -w web

$(STAMP): package.json package-lock.json web/package.json e2e/package.json
	npm ci --no-fund --no-audit
	touch $@

# The types of the front end, from the description of the API.
api: $(STAMP)
	go run ./cmd/niche describe-api > web/src/lib/api/openapi.json
	go run ./cmd/niche describe-proof > docs/proof.schema.json
	npm run --silent api -w web
	npx prettier --log-level warn --write web/src/lib/api/schema.d.ts

test: test-tools build
	CHROMIUM=$(CHROMIUM) scripts/test

# Programs of Debian's that the tests drive.
test-tools:
	scripts/test-tools

# The storms of make test, for longer: make soak MINUTES=60 SEED=7. Without a seed it takes a new one, and says which.
MINUTES ?= 30
SEED ?= 0
soak:
	scripts/test-tools
	go test -count 1 -v -timeout 0 -run Storms ./internal/soak -minutes $(MINUTES) -seed $(SEED)

# The same way through every calendar server that Debian has, those included that take long to start. What cannot be
# had on this machine is skipped with a word.
test-servers:
	scripts/test-tools
	scripts/test-tools servers
	NICHE_SERVERS=all go test -count 1 -p 1 -v -timeout 20m -run 'Server|OddNames|WhileOneReads' ./internal/source/caldav ./internal/serve

lint: lint-go lint-web

lint-go:
	@test -z "$$(gofmt -l cmd core internal web/*.go)" || { gofmt -l cmd core internal web/*.go; exit 1; }
	go vet ./...
	go tool staticcheck ./...

lint-web: $(STAMP)
	npm run --silent check -w web
	npm run --silent lint -w web
	npm run --silent check -w e2e

bench:
	go test -run '^$$' -bench . -benchmem ./core/... ./internal/...

# What grows with a business, for a tenth of a large one and the whole: a thousand staff, three thousand calendars, a
# million bookings. The whole takes six minutes to be filled and a gigabyte in /tmp.
TENTHS ?= 1 10
bench-scale:
	for n in $(TENTHS); do echo "== $$n tenths"; go test -run '^$$' -bench Scale -benchtime 1x -timeout 30m ./internal/scale -tenths $$n || exit 1; done

# How soon a client sees the first starts on a slow telephone, in Chromium with its throttling.
bench-page: test-tools build
	cd e2e && MEASURE=1 CHROMIUM=$(CHROMIUM) npx playwright test

screenshots: test-tools build
	cd e2e && SCREENSHOTS=1 CHROMIUM=$(CHROMIUM) npx playwright test

format: $(STAMP)
	gofmt -w cmd core internal web/*.go
	npx prettier --log-level warn --write web/src web/*.ts web/*.js web/*.mjs web/*.html e2e/*.ts
