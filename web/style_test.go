package web

import (
	"crypto/sha256"
	"encoding/hex"
	"os"
	"path/filepath"
	"slices"
	"testing"
)

// The compiled styles are committed. What they were made from is noted beside them by `make css`; when it
// has changed since, they are stale.
func TestStylesAreFresh(t *testing.T) {
	hash := sha256.New()
	var sources []string
	for _, pattern := range []string{"templates/*.html", "templates/partials/*.html", "static/house.js",
		"static/output.js", "static/plan.js", "static/live.js", "static/pick.js", "static/screening.js",
		"style/input.css", "style/package-lock.json"} {
		files, err := filepath.Glob(pattern)
		if err != nil || len(files) == 0 {
			t.Fatalf("%s: %v, %v", pattern, files, err)
		}
		sources = append(sources, files...)
	}
	slices.Sort(sources)
	for _, file := range append(sources, "static/app.css") {
		data, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		hash.Write([]byte(file))
		hash.Write(data)
	}
	sum := hex.EncodeToString(hash.Sum(nil))
	const note = "style/made-from.sha256"
	if os.Getenv("REELHOUSE_STYLE_SUM") == "write" {
		if err := os.WriteFile(note, []byte(sum+"\n"), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if noted, err := os.ReadFile(note); err != nil || string(noted) != sum+"\n" {
		t.Errorf("static/app.css is stale: templates, scripts or styles have changed since it was made; run `make css`")
	}
}
