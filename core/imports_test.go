// Package core_test holds what is promised of the whole of core.
package core_test

import (
	"go/ast"
	"go/build"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

const module = "reelhouse/"

// rows are the packages of core in their order: a package may import those of earlier rows only.
var rows = []string{
	"plaintext", "mhl", "usd",
	"frame", "cut", "geom", "pixel", "lut", "sampling", "raster", "contact", "sprite", "movie", "lens",
	"scene", "camera", "floorplan",
	"look",
	"pass", "grade",
	"naming", "stamp", "output", "difference", "production", "shotlist", "viewsheet", "preset", "edit", "job",
	"fingerprint", "plan", "imagefile", "imagefile/ifd", "imagefile/exr", "imagefile/png", "imagefile/jpeg",
	"imagefile/tiff", "imagefile/tga", "imagefile/dpx", "imagefile/hdr", "imagefile/bmp", "imagefile/formats",
	"picture", "matte", "framefile", "preflight", "queue", "work", "wake", "review", "trace", "inspect", "followup",
	"screening", "delivery",
}

// layers are the folders outside core, likewise; core comes before them all.
var layers = []string{
	"standin", "demo", "store", "ffmpeg", "bucket", "bucket/buckettest", "assets", "house/waiting", "house",
	"house/housetest", "preview", "farm/wire", "farm", "farm/gate", "farm/outside", "farm/fleet", "farm/waker",
	"web/kit", stations,
	"web", "web/webtest", "cmd/reelhouse", "bench/files", "bench/rays", "scripts/notices",
}

// codecs is the folder of image files. A format in a folder of its own below it needs no place: it has that of aCodec.
const (
	codecs = "core/imagefile"
	aCodec = codecs + "/bmp"
)

// stations is the folder of the pages; none of them knows another.
const stations = "web/stations"

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
		if strings.HasPrefix(here, stations+"/") {
			order[here] = order[stations]
		}
		if strings.HasPrefix(here, codecs+"/") && order[here] == 0 {
			order[here] = order[aCodec]
		}
		place, known := order[here]
		if !known {
			t.Errorf("%s has no place in the order of packages; give it one in core/imports_test.go", here)
			return nil
		}
		if strings.HasPrefix(here, "core/") {
			withoutClock(t, path, pkg.GoFiles)
		}
		for _, imported := range pkg.Imports {
			if to, ours := strings.CutPrefix(imported, module); ours {
				if strings.HasPrefix(to, stations+"/") {
					order[to] = order[stations]
				}
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

// told are what core is told and does not find out by itself: the time, chance, and what machine it is on.
var told = map[string][]string{
	"time":         {"Now", "Since", "Until", "Sleep", "After", "NewTimer", "NewTicker", "Tick"},
	"math/rand":    {"Int", "Intn", "Float64", "Perm", "Shuffle"},
	"math/rand/v2": {"Int", "IntN", "Float64", "Perm", "Shuffle", "Uint64", "N"},
	"crypto/rand":  {"Read", "Reader", "Int", "Text"},
}

// withoutClock fails if a file of core asks the clock, or chance.
func withoutClock(t *testing.T, folder string, files []string) {
	t.Helper()
	for _, name := range files {
		path := filepath.Join(folder, name)
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		asked := map[string][]string{} // by the names of packages in the file
		for _, imported := range file.Imports {
			of := strings.Trim(imported.Path.Value, `"`)
			if names, ok := told[of]; ok {
				asked[strings.TrimSuffix(filepath.Base(strings.TrimSuffix(of, "/v2")), "")] = names
			}
		}
		ast.Inspect(file, func(n ast.Node) bool {
			if s, ok := n.(*ast.SelectorExpr); ok {
				if from, ok := s.X.(*ast.Ident); ok && slices.Contains(asked[from.Name], s.Sel.Name) {
					t.Errorf("%s: %s.%s; core is told the time, and what is random",
						set.Position(s.Pos()), from.Name, s.Sel.Name)
				}
			}
			return true
		})
	}
}
