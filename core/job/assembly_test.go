package job

import (
	"strings"
	"testing"
)

func TestAssembliesThatCannotBePutTogetherAreRefused(t *testing.T) {
	text := strings.Replace(whole, `"scene"`, `"size":{"width":8,"height":8},"tiles":{"columns":2,"rows":1},"tileFiles":["a","b"],"rendered":2.5,"scene"`, 1)
	a, err := ReadAssembly(strings.NewReader(text))
	if err != nil || len(a.TileFiles) != 2 || a.Rendered != 2.5 || a.Area().Dx() != 8 {
		t.Fatalf("%+v, %v", a, err)
	}
	for name, c := range map[string][2]string{
		"a tile too few": {`,"b"]`, `]`}, "other tiles": {`"rows":1`, `"rows":3`}, "no rate": {"24", "0"}, "unknown field": {`"rendered"`, `"surprise"`},
		"two frames": {`"frames":[`, `"frames":[{"number":2,"files":[]},`}, "a part": {`"rendered"`, `"region":{"x":0,"y":0,"width":1,"height":1},"rendered"`},
	} {
		if _, err := ReadAssembly(strings.NewReader(strings.Replace(text, c[0], c[1], 1))); err == nil {
			t.Errorf("%s: read", name)
		}
	}
}
