package job

import (
	"strings"
	"testing"
)

// Whatever is read can be worked with: there are as many files as tiles, and at least one.
func FuzzRead(f *testing.F) {
	f.Add(whole)
	f.Add(
		strings.Replace(
			whole, `"scene"`,
			`"size":{"width":8,"height":8},"tiles":{"columns":2,"rows":1},"tileFiles":["a","b"],"scene"`, 1,
		),
	)
	f.Fuzz(func(t *testing.T, text string) {
		if j, err := Read(strings.NewReader(text)); err == nil && (len(j.Frames) == 0 || !j.Rate.Valid()) {
			t.Errorf("%+v was read", j)
		}
		a, err := ReadAssembly(strings.NewReader(text))
		if err != nil {
			return
		}
		tiles := 0
		for _, row := range a.Tiles.Tiles(a.Area()) {
			tiles += len(row)
		}
		if tiles == 0 || tiles != len(a.TileFiles) {
			t.Errorf("%d files of %d tiles were read", len(a.TileFiles), tiles)
		}
	})
}

func TestAssembliesThatCannotBePutTogetherAreRefused(t *testing.T) {
	text := strings.Replace(
		whole, `"scene"`,
		`"size":{"width":8,"height":8},"tiles":{"columns":2,"rows":1},"tileFiles":["a","b"],"rendered":2.5,"scene"`, 1,
	)
	a, err := ReadAssembly(strings.NewReader(text))
	if err != nil || len(a.TileFiles) != 2 || a.Rendered != 2.5 || a.Area().Dx() != 8 {
		t.Fatalf("%+v, %v", a, err)
	}
	for name, c := range map[string][2]string{
		"a tile too few": {`,"b"]`, `]`}, "other tiles": {`"rows":1`, `"rows":3`}, "no rate": {"24", "0"},
		"unknown field": {`"rendered"`, `"surprise"`},
		"two frames":    {`"frames":[`, `"frames":[{"number":2,"files":[]},`}, "no size": {`"width":8`, `"width":0`},
		"beyond the picture": {`"rendered"`, `"region":{"x":4,"y":0,"width":8,"height":8},"rendered"`},
		"a part":             {`"rendered"`, `"region":{"x":0,"y":0,"width":1,"height":1},"rendered"`},
	} {
		if _, err := ReadAssembly(strings.NewReader(strings.Replace(text, c[0], c[1], 1))); err == nil {
			t.Errorf("%s: read", name)
		}
	}
}
