# Two commands do everything on a fresh machine: `make demo` and `make test`.
DATA ?= $(or $(REELHOUSE_DATA),./reelhouse-data)
export CGO_ENABLED = 0

.PHONY: build demo test race vectors lint docs notices css tools bench fuzz soak screenshots

build:
	go build -o bin/reelhouse ./cmd/reelhouse

demo: build
	./bin/reelhouse demo --data "$(DATA)"

# tools installs what the tests need and is missing: Debian's chromium, openexr, openimageio-tools, pngcheck,
# libtiff-tools, ffmpeg, xxhash, and the glTF validator and axe-core from npm.
tools:
	sh scripts/tools.sh

test: tools
	go test -timeout 30m ./...

race: tools
	CGO_ENABLED=1 go test -race -timeout 30m ./core/... ./store/... ./house/... ./farm/... ./preview/... ./web/...

# vectors tests the renderer as it is built with GOEXPERIMENT=simd, which meets eight boxes at once; any other target may be made so, too.
vectors:
	GOEXPERIMENT=simd go test ./core/trace

# bench measures everything; the last parts beside the OpenEXR and Embree libraries, with C++ programs that are built for it.
bench: bench/openexr/reference bench/embree/reference
	go test -run '^$$' -bench . ./...
	go run ./bench/files -frames bench/frames
	go run ./bench/rays
	GOEXPERIMENT=simd go run ./bench/rays

bench/openexr/reference bench/embree/reference: bench/openexr/reference.cpp bench/embree/reference.cpp
	sh scripts/reference.sh

# fuzz runs every fuzz test for a minute.
fuzz:
	sh scripts/fuzz.sh

# soak renders both productions of the demo through a bad night of 15 minutes at most, a farm through 1000 faults, and a
# still of 16K in tiles on three nodes and on one machine; docs/operations.md says what happens. The usual tests have
# short ones. It needs root to give the data a disk of its own.
soak: tools
	REELHOUSE_SOAK=15m go test -count=1 -timeout 20m -v -run TestABadNight ./cmd/reelhouse
	REELHOUSE_FAULTS=1000 go test -count=1 -timeout 90m -v -run TestAFarmSurvives ./cmd/reelhouse
	REELHOUSE_LARGE=15360 go test -count=1 -timeout 180m -v -run TestALargeStillOnManyNodes ./cmd/reelhouse

# lint checks Go with staticcheck, scripts with eslint, and how scripts and styles are laid out; `sh lint/lint.sh --write`
# lays them out.
lint:
	sh lint/lint.sh

# docs writes the tables in documents that are made from what the house knows.
docs:
	REELHOUSE_DOCS=write go test -count=1 -run TestTablesInDocuments ./core

# notices writes the licences of Go, its modules, and the npm packages that the binary holds.
notices:
	cd web/style && npm ci --silent
	go run ./scripts/notices

# css makes styles, fonts and scripts again from npm packages; the results are committed.
css:
	sh web/style/build.sh

# screenshots makes docs/screenshots again from the demo.
screenshots: build
	REELHOUSE_SCREENSHOTS=1 go test -count=1 -timeout 30m -run TestScreenshots ./cmd/reelhouse
