# Every target installs what it lacks (Debian packages, as root or with sudo),
# says what it does, and leaves no server behind.

GO ?= go
# Gin's MessagePack, which nothing here speaks, takes half a minute to compile.
export GOFLAGS ?= -tags=nomsgpack
NEED_DEMO = mariadbd:mariadb-server gs:ghostscript pdftocairo:poppler-utils rsvg-convert:librsvg2-bin
NEED_TEST = $(NEED_DEMO) jpegtran:libjpeg-turbo-progs chromium-headless-shell:chromium-headless-shell pngcheck:pngcheck tiffinfo:libtiff-tools dwebp:webp qpdf:qpdf mutool:mupdf-tools exiftool:libimage-exiftool-perl xmllint:libxml2-utils transicc:liblcms2-utils potrace:potrace \
  /usr/libexec/installed-tests/RSVG/fixtures:librsvg2-tests \
  /usr/share/fonts/truetype/roboto/unhinted:fonts-roboto-unhinted /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf:fonts-dejavu-core hb-shape:libharfbuzz-bin /usr/share/fonts/truetype/noto/NotoNastaliqUrdu-Regular.ttf:fonts-noto-core

.PHONY: style build demo test test-all mutants bench lint race fuzz screenshots reliability sweep

build:
	@$(GO) build -o bin/dyekit ./cmd/dyekit

demo:
	@sh scripts/need.sh $(NEED_DEMO)
	@echo "building"
	@$(GO) build -o bin/dyekit ./cmd/dyekit
	@exec bin/dyekit serve --demo --open

# The compiler and the tests collect garbage less often than usual, within bounds:
# that saves a sixth of the time.
test test-all mutants: export GOGC = 400
test test-all mutants: export GOMEMLIMIT = 3GiB

# Those that take longest go first, so that the end does not wait for one alone, and
# vet looks at what is compiled anyway. Three packages go beside each other on two cores, and
# more than two tests of each: those of the screens wait for the browser most of the time.
test:
	@sh scripts/need.sh $(NEED_TEST)
	$(GO) test -vet=all -p 3 -parallel 4 -timeout 30m ./web ./core/kit ./studio ./cmd/dyekit ./...

# All that test takes a part of: what a release runs.
test-all:
	@sh scripts/need.sh $(NEED_TEST)
	DYEKIT_TEST_ALL=yes $(GO) test -count 1 -timeout 60m ./...

# Puts 200 small faults into the code, one at a time and in no file of the tree, and
# lists those that no test sees. Takes hours, and goes on where it was stopped.
mutants:
	@sh scripts/need.sh $(NEED_TEST)
	$(GO) run ./internal/mutants

race:
	@sh scripts/need.sh $(NEED_TEST)
	$(GO) test -race -timeout 40m ./core/... ./studio/...

# Ratios against outside tools in the same run. The last ones against the script of general
# tools stand in internal/bench/testdata/ratios.json: it fails if they got worse.
bench:
	@sh scripts/need.sh $(NEED_DEMO) cjpeg:libjpeg-turbo-progs chromium-headless-shell:chromium-headless-shell pnmtopng:netpbm node:nodejs npm:npm perl:perl /usr/libexec/installed-tests/RSVG/fixtures:librsvg2-tests /usr/lib/python3/dist-packages/PIL:python3-pil
	@test -d .cache/node_modules/bootstrap-icons || npm install --no-save --no-audit --no-fund --silent --prefix .cache @resvg/resvg-js@2.6.2 flag-icons@7.5.0 @svg-maps/world@2.0.0 @svg-maps/usa.counties@2.0.0 bootstrap-icons@1.11.3
	@$(GO) build -o bin/dyekit ./cmd/dyekit
	$(GO) test ./core/planar ./core/raster ./core/version ./core/preflight -run XXX -bench . -benchtime 3x
	$(GO) test ./core/intake ./core/intake/picture ./core/trace -run XXX -bench "Masters|Trac" -benchtime 1x
	$(GO) test ./core/photomark/... ./core/board -run XXX -bench . -benchtime 5x
	$(GO) test ./core/kit -run XXX -bench Sheet -benchtime 5x
	$(GO) test ./web -run XXX -bench . -benchtime 10x
	$(GO) test ./internal/bench -run XXX -bench . -skip ByHand -benchtime 1x -count 2
	$(GO) test ./internal/bench -run XXX -bench ByHand -benchtime 3x -timeout 30m

# The faults that make test makes as well.
FAULTS = FullDisc|Room|ServerOutlives|NothingLivesOn|Sweep|Watch|FilesAreShut|Orphan|KilledServer|Crowd|HalfSent|Paced|NobodyReads|Connections|LockNobodyOut|AtOnce|Turns|MigrationsResume|Daily|ClockSet|LastTry|BackupAndRestore

# Breaks things on purpose and prints what is seen; see docs/reliability.md. The soak in it
# takes ten minutes, or as long as DYEKIT_SOAK says, as 1h.
reliability:
	@sh scripts/need.sh $(NEED_TEST)
	$(GO) test -tags reliability -count 1 -timeout 90m -v ./internal/reliability | grep --line-buffered -E "FIGURE|^(---|ok|FAIL|PASS)|_test.go"
	$(GO) test -count 1 -v -run "$(FAULTS)" ./cmd/dyekit ./web ./studio ./studio/queue ./internal/... | grep --line-buffered -E "^(---|ok|FAIL)"

fuzz:
	$(GO) test ./core/intake/svg -run XXX -fuzz FuzzRead -fuzztime 60s
	$(GO) test ./core/intake/svg -run XXX -fuzz FuzzPathData -fuzztime 30s
	$(GO) test ./core/intake/svg -run XXX -fuzz FuzzStyle -fuzztime 30s
	$(GO) test ./core/intake -run XXX -fuzz FuzzMaster -fuzztime 60s
	$(GO) test ./core/intake/pdf -run XXX -fuzz FuzzRead -fuzztime 60s -fuzzminimizetime 5x
	$(GO) test ./core/intake/pdf -run XXX -fuzz FuzzContent -fuzztime 30s -fuzzminimizetime 5x
	$(GO) test ./core/intake/typed -run XXX -fuzz FuzzTyped -fuzztime 30s
	$(GO) test ./core/trace -run XXX -fuzz FuzzTrace -fuzztime 30s -fuzzminimizetime 5x
	$(GO) test ./core/asked -run XXX -fuzz FuzzRead -fuzztime 60s -fuzzminimizetime 5x
	$(GO) test ./core/asked -run XXX -fuzz FuzzParseOrder -fuzztime 30s -fuzzminimizetime 5x
	$(GO) test ./core/intake/picture -run XXX -fuzz FuzzDecode -fuzztime 30s
	$(GO) test ./core/t81/blocks -run XXX -fuzz FuzzRead -fuzztime 60s
	$(GO) test ./core/fonts -run XXX -fuzz FuzzUnwrap -fuzztime 30s
	$(GO) test ./core/fonts -run XXX -fuzz FuzzFont -fuzztime 30s
	$(GO) test ./core/colour/icc -run XXX -fuzz FuzzRead -fuzztime 30s
	$(GO) test ./core/kit/readback -run XXX -fuzz FuzzFinished -fuzztime 30s
	$(GO) test ./core/kit/outside -run XXX -fuzz FuzzReaders -fuzztime 30s
	$(GO) test ./core/export/png -run XXX -fuzz FuzzTokens -fuzztime 30s
	$(GO) test ./core/export/ico -run XXX -fuzz FuzzIcon -fuzztime 30s
	$(GO) test ./core/export/content -run XXX -fuzz FuzzContent -fuzztime 30s
	$(GO) test ./core/recipe -run XXX -fuzz FuzzParse -fuzztime 30s
	$(GO) test ./core/recipe -run XXX -fuzz FuzzAddSize -fuzztime 30s
	$(GO) test ./core/geom -run XXX -fuzz FuzzStroke -fuzztime 30s
	$(GO) test ./core/planar -run XXX -fuzz FuzzOverlay -fuzztime 60s

# Compiles the parts of Bulma that the pages use; the result is committed.
style:
	@sh scripts/need.sh node:nodejs npm:npm
	@test -d .cache/style/node_modules/bulma || npm install --no-save --no-audit --no-fund --silent --prefix .cache/style bulma@1.0.4 sass@1.108.2
	cd .cache/style && npx sass --quiet --no-source-map --style=compressed --load-path=node_modules ../../web/style/bulma.scss ../../web/static/bulma.css

lint:
	@test -z "$$(gofmt -l .)" || { gofmt -l .; exit 1; }
	$(GO) vet ./...
	$(GO) vet -tags screenshots ./web
	$(GO) vet -tags reliability ./internal/reliability
	$(GO) vet -tags sweep ./core/kit
	$(GO) mod tidy -diff
	$(GO) mod verify
	$(GO) run honnef.co/go/tools/cmd/staticcheck@v0.8.2 -tags screenshots,reliability,sweep ./...

screenshots:
	@sh scripts/need.sh $(NEED_TEST)
	$(GO) test -tags screenshots -run TestScreenshots ./web

# Builds every drawing of the open sets, and what lies in the folders that
# DYEKIT_SWEEP names, with every recipe and treatment, and lists what fails.
sweep:
	@sh scripts/need.sh $(NEED_TEST)
	$(GO) test -tags sweep -timeout 5h -run TestSweep -v ./core/kit
