package core_test

import (
	"bufio"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"
)

// Lines end by this column, where a tab is as wide as four letters.
const lastColumn = 120

// Everything that people read in the sources ends by column 120: Go, templates, scripts, and documents but for their
// tables and links.
func TestLinesEndInTime(t *testing.T) {
	limited := map[string]bool{".go": true, ".html": true, ".js": true, ".sh": true, ".md": true}
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name := d.Name()
		if d.IsDir() {
			if path != ".." && strings.HasPrefix(name, ".") || name == "node_modules" || name == "testdata" {
				return filepath.SkipDir
			}
			return nil
		}
		made := strings.HasSuffix(name, ".min.js") || name == "app.css"
		if !limited[filepath.Ext(name)] || made || strings.HasPrefix(filepath.ToSlash(path), "../reelhouse-data/") {
			return nil
		}
		file, err := os.Open(path)
		if err != nil {
			return err
		}
		defer file.Close()
		lines := bufio.NewScanner(file)
		lines.Buffer(nil, 1<<20)
		for n := 1; lines.Scan(); n++ {
			text := lines.Text()
			if filepath.Ext(name) == ".md" && (strings.HasPrefix(text, "|") || strings.Contains(text, "](")) {
				continue
			}
			if width := utf8.RuneCountInString(strings.ReplaceAll(text, "\t", "    ")); width > lastColumn {
				t.Errorf("%s:%d is %d columns wide", strings.TrimPrefix(filepath.ToSlash(path), "../"), n, width)
			}
		}
		return lines.Err()
	})
	if err != nil {
		t.Fatal(err)
	}
}
