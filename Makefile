# Each target does its own set-up: on a Debian machine with Go nothing else is needed.
SHELL := /bin/bash
GO ?= go
BIN := bin/mobanta

.PHONY: demo test check bench screenshots handover css build fuzz release node_modules

demo: build ## build, make the sample project if it is not there, serve, print the address
	@$(BIN) demo --data data

build:
	@$(GO) build -o $(BIN) ./cmd/mobanta

node_modules: # what builds the style sheet, and what the tests look for barriers with
	@scripts/need node npm
	@cd web && cmp -s package-lock.json node_modules/.lock || { npm ci --silent --no-audit --no-fund && cp package-lock.json node_modules/.lock; }

test: node_modules ## every test, the interface in a browser included
	@scripts/need chromium ffmpeg pdftoppm
	$(GO) test -timeout 40m ./...

check: ## formatting, vet, staticcheck, and whether the built style sheet is current
	@out=$$(gofmt -l $$(git ls-files -co --exclude-standard '*.go')); test -z "$$out" || { echo "gofmt wants: $$out"; exit 1; }
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	@$(MAKE) -s node_modules
	@cd web && t=$$(mktemp) && npx --no-install tailwindcss -i input.css -o $$t --minify 2>/dev/null && { cmp -s $$t page/static/app.css || { echo "web/page/static/app.css is not current: run make css"; rm -f $$t; exit 1; }; } && rm -f $$t
	@echo "check: all current"

css: ## build the style sheet after a change to styles or templates
	@$(MAKE) -s node_modules
	@cd web && npm run --silent css

bench: ## the measured claims
	@scripts/need chromium
	@$(GO) run ./e2e/bench

screenshots: ## the pictures in docs/screenshots, from the sample project
	@scripts/need chromium
	@$(GO) run ./e2e/screenshots docs/screenshots

handover: ## what is handed over of the samples, in docs/handover: the kettle as a page, the dial baked, the octopus painted
	@scripts/need chromium
	@GO=$(GO) scripts/handover

release: ## archives for Linux, Windows and macOS on both processors, in dist/; VERSION names them
	@scripts/need zip
	@GO=$(GO) scripts/release $(VERSION)

fuzz: ## each fuzz target for a short while
	@for p in $$($(GO) list ./...); do for f in $$($(GO) test -list '^Fuzz' $$p | grep '^Fuzz'); do $(GO) test -run '^$$' -fuzz "^$$f$$" -fuzztime 20s -fuzzminimizetime 1s $$p || exit 1; done; done
