package assets

import (
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/cut"
	"reelhouse/core/production"
	"reelhouse/core/review"
)

// Whatever an edit says that a file's hash is, what is read lies in the library.
func TestForgedHashesStayInTheLibrary(t *testing.T) {
	l, err := Open(t.TempDir(), false)
	if err != nil {
		t.Fatal(err)
	}
	for _, sum := range []string{"../../etc/passwd", "/etc/passwd", "..", "a/../../b"} {
		for what, path := range map[string]string{
			"scene":        l.ScenePath(production.SceneFile{Name: "a.glb", SHA256: sum}),
			"opaque scene": l.ScenePath(production.SceneFile{Name: "a", SHA256: sum, Opaque: &production.Opaque{}}),
			"environment":  l.EnvironmentPath(production.EnvironmentFile{Name: "a.exr", SHA256: sum}),
			"sound":        l.SoundPath(cut.Sound{SHA256: sum}),
			"table":        l.LUTPath(production.LUTFile{SHA256: sum}),
			"reference":    l.ReferencePath(review.Reference{SHA256: sum}),
		} {
			if in, err := filepath.Rel(l.dir, path); err != nil || strings.HasPrefix(in, "../") || in == ".." {
				t.Errorf("%s %q is at %s", what, sum, path)
			}
		}
	}
}
