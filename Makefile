# Each target does its own set-up: on a Debian machine with Go nothing else is needed.
SHELL := /bin/bash
GO ?= go
BIN := bin/mobanta

.PHONY: demo test quick check race bench heavy screenshots gallery handover css build fuzz soak release node_modules

demo: build ## build, make the sample project if it is not there, serve, print the address
	@$(BIN) demo --data data

build:
	@$(GO) build -o $(BIN) ./cmd/mobanta

node_modules: # what builds the style sheet, and what the tests look for barriers with
	@scripts/need node npm
	@cd web && cmp -s package-lock.json node_modules/.lock || { npm ci --silent --no-audit --no-fund && cp package-lock.json node_modules/.lock; }

# PKG names the rooms that are tested: make test PKG=./core/line
PKG ?= ./e2e ./web ./jobs ./...

test: node_modules ## every test, the interface in a browser included; those that took longest are listed at the end
	@scripts/need chromium ffmpeg pdftoppm
	@log=$$(mktemp); $(GO) tool gotestsum --format standard-quiet --jsonfile $$log -- -timeout 40m $(PKG); ended=$$?; \
	echo "the slowest:"; $(GO) tool gotestsum tool slowest --num 20 --jsonfile $$log; rm -f $$log; exit $$ended

quick: ## build, vet, and the tests of the core without the long ones
	@scripts/need ffmpeg pdftoppm
	@$(GO) build ./... && $(GO) vet ./... && $(GO) test -short -timeout 5m ./core/... ./recipes ./web/page ./web/edits

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

bench: ## the measured claims; make bench heavy: the samples as orders draw them, on one core and on two
	@scripts/need chromium
	@$(GO) run ./e2e/bench $(filter heavy,$(MAKECMDGOALS))

heavy: # what make bench is told to run
	@:

screenshots: ## the pictures in docs/screenshots, from the sample project
	@scripts/need chromium
	@$(GO) run ./e2e/screenshots docs/screenshots

GALLERY := assimp-testmodels # Debian packages of models
GALLERY_NPM := bunny teapot  # npm packages of a model each, as lists of positions and cells

gallery: build ## models from elsewhere in several looks, for looking at, in .gallery/index.html beside those of the time before
	@GO=$(GO) NPM="$(GALLERY_NPM)" scripts/gallery $(GALLERY)

handover: ## what is handed over of the samples, in docs/handover: the kettle as a page, the dial baked, the octopus painted
	@scripts/need chromium
	@GO=$(GO) scripts/handover

release: ## archives for Linux, Windows and macOS on both processors, in dist/; VERSION names them
	@scripts/need zip
	@GO=$(GO) scripts/release $(VERSION)

# The rooms in which several goroutines work at one thing, without what computes for long on one thing after the other.
RACING := ./core/parallel ./core/priority ./core/queue ./core/budget ./core/reel ./core/eval ./core/shade ./core/shape ./core/picture ./jobs ./web/...
ALONE := TestManyRawEdits|TestTabsThatAreClosedAreLetGo|Fuzz

race: ## the rooms with goroutines, under the race detector
	@scripts/need ffmpeg
	$(GO) test -race -short -timeout 30m -skip '$(ALONE)' $(RACING)

fuzz: ## each fuzz target for a short while, and then the long runs
	@for p in $$($(GO) list ./...); do for f in $$($(GO) test -list '^Fuzz' $$p | grep '^Fuzz'); do $(GO) test -run '^$$' -fuzz "^$$f$$" -fuzztime 20s -fuzzminimizetime 1s $$p || exit 1; done; done
	@$(MAKE) soak

soak: ## the long runs of what make test does shortly: three million edits, ten thousand changed files for each reader, forty tabs for ten minutes
	MOBANTA_FILES=10000 $(GO) test -count 1 -timeout 3h -v -run TestMutatedFiles ./e2e/hostile
	MOBANTA_SOAK=10m MOBANTA_CROWD=40 $(GO) test -count 1 -timeout 1h -v -run TestACrowd ./web
	MOBANTA_EDITS=3000000 $(GO) test -count 1 -timeout 6h -v -run TestManyRawEdits ./web
