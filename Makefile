# Two commands do everything on a fresh machine: `make demo` and `make test`.
DATA ?= $(or $(REELHOUSE_DATA),./reelhouse-data)
export CGO_ENABLED = 0

.PHONY: build demo test race css tools bench fuzz screenshots

build:
	go build -o bin/reelhouse ./cmd/reelhouse

demo: build
	./bin/reelhouse demo --data "$(DATA)"

# tools installs what the tests need and is missing: Debian's chromium, openexr, openimageio-tools, pngcheck,
# libtiff-tools, and the glTF validator from npm.
tools:
	sh scripts/tools.sh

test: tools
	go test ./...

race: tools
	CGO_ENABLED=1 go test -race ./core/... ./store/... ./house/... ./farm/... ./preview/... ./web/...

# bench measures everything; the last part beside the OpenEXR library, with a C++ program that is built for it.
bench: bench/openexr/reference
	go test -run '^$$' -bench . ./...
	go run ./bench -frames bench/frames

bench/openexr/reference: bench/openexr/reference.cpp
	sh scripts/reference.sh

# fuzz runs every fuzz test for a minute.
fuzz:
	sh scripts/fuzz.sh

# css makes styles, fonts and scripts again from npm packages; the results are committed.
css:
	sh web/style/build.sh

# screenshots makes docs/screenshots again from the demo.
screenshots: build
	REELHOUSE_SCREENSHOTS=1 go test -count=1 -timeout 30m -run TestScreenshots ./cmd/reelhouse
