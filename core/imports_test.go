// Package core_test holds what is promised of the whole of core.
package core_test

import (
	"go/build"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

const module = "reelhouse/"

// rows are the packages of core in their order: a package may import those of earlier rows only.
var rows = []string{
	"frame", "cut", "geom", "pixel", "sampling", "raster", "lens", "scene", "camera", "floorplan", "look", "pass",
	"naming", "stamp", "output", "difference", "production", "shotlist", "viewsheet", "preset", "edit", "job",
	"fingerprint", "plan", "imagefile", "imagefile/ifd", "imagefile/exr", "imagefile/png", "imagefile/jpeg",
	"imagefile/tiff", "imagefile/tga", "imagefile/dpx", "imagefile/hdr", "imagefile/bmp",
	"imagefile/formats",
	"picture", "framefile", "preflight", "queue", "trace", "inspect", "screening", "delivery",
}

// layers are the folders outside core, likewise; core comes before them all.
var layers = []string{
	"demo", "store", "assets", "house/waiting", "house", "house/housetest", "preview", "farm", "web", "cmd/reelhouse",
	"bench/files", "bench/rays",
}

// outside lists what core has no business with: the network, the database, the clock's host, HTML.
var outside = []string{"net", "database", "html", "os", "github.com/labstack", "modernc.org", "github.com/pressly"}

func TestImportsGoOneWay(t *testing.T) {
	order := map[string]int{}
	for i, row := range rows {
		order["core/"+row] = i
	}
	for i, layer := range layers {
		order[layer] = 1000 + i
	}
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !d.IsDir() {
			return err
		}
		if name := d.Name(); path != ".." && (strings.HasPrefix(name, ".") || name == "node_modules") {
			return filepath.SkipDir
		}
		pkg, err := build.ImportDir(path, 0)
		if err != nil {
			return nil // no Go files
		}
		here := filepath.ToSlash(strings.TrimPrefix(path, "../"))
		if len(pkg.GoFiles) == 0 {
			return nil
		}
		place, known := order[here]
		if !known {
			t.Errorf("%s has no place in the order of packages; give it one in core/imports_test.go", here)
			return nil
		}
		for _, imported := range pkg.Imports {
			if to, ours := strings.CutPrefix(imported, module); ours {
				if order[to] >= place {
					t.Errorf("%s imports %s, against the order", here, to)
				}
				continue
			}
			if strings.HasPrefix(here, "core/") &&
				slices.ContainsFunc(
					outside,
					func(o string) bool { return imported == o || strings.HasPrefix(imported, o+"/") },
				) {
				t.Errorf("%s imports %s; core computes and touches nothing", here, imported)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
