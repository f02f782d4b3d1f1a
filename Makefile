# What a person does with this repository: demo, test, lint, bench, screenshots.

CHROMIUM ?= /usr/bin/chromium
STAMP := node_modules/.stamp
FRONT := web/dist/app/desk.html
FRONT_SOURCES := $(shell find web/src -type f) web/desk.html web/book.html web/vite.config.ts web/package.json web/compress.mjs
GO_SOURCES := $(shell find cmd core internal -type f) web/embed.go go.mod go.sum

.PHONY: demo demo-reset build test test-tools lint lint-go lint-web test-go test-web test-e2e api bench screenshots format

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
	npm run --silent api -w web
	npx prettier --log-level warn --write web/src/lib/api/schema.d.ts

test: test-tools build
	scripts/test

# Programs of Debian's that the tests drive.
test-tools:
	scripts/test-tools

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

screenshots: test-tools build
	cd e2e && SCREENSHOTS=1 CHROMIUM=$(CHROMIUM) npx playwright test

format: $(STAMP)
	gofmt -w cmd core internal web/*.go
	npx prettier --log-level warn --write web/src web/*.ts web/*.js web/*.mjs web/*.html e2e/*.ts
