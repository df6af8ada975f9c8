package web

import (
	"crypto/sha256"
	"encoding/hex"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// Where classes are named: in attributes of templates, in the values that Go gives them, and in the strings of scripts.
var (
	attributes = regexp.MustCompile(`class="([^"]*)"`)
	arguments  = regexp.MustCompile(`Styled\("([^"]*)"|Class: +"([^"]*)"`)
	literals   = regexp.MustCompile("[\"'`]([^\"'`]*)[\"'`]")
	templated  = regexp.MustCompile(`\{\{.*?\}\}`)
)

// usedClasses returns what the styles are made for, sorted.
func usedClasses(t *testing.T) []string {
	t.Helper()
	used := map[string]bool{}
	take := func(text string) {
		for _, word := range strings.Fields(text) {
			used[word] = true
		}
	}
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && d.Name() == "node_modules" {
			return filepath.SkipDir
		}
		var patterns []*regexp.Regexp
		switch ext := filepath.Ext(path); {
		case ext == ".html":
			patterns = []*regexp.Regexp{attributes}
		case ext == ".js" && !strings.HasSuffix(path, ".min.js"):
			patterns = []*regexp.Regexp{literals}
		case ext == ".go" && !strings.HasSuffix(path, "_test.go"):
			patterns = []*regexp.Regexp{arguments}
		default:
			return nil
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		text := string(data)
		text = templated.ReplaceAllString(text, " ")
		for _, pattern := range patterns {
			for _, m := range pattern.FindAllStringSubmatch(text, -1) {
				take(strings.Join(m[1:], " "))
			}
		}
		return nil
	})
	if err != nil || len(used) < 100 {
		t.Fatalf("%d classes, %v", len(used), err)
	}
	return slices.Sorted(maps.Keys(used))
}

// The compiled styles are committed. What they were made from is noted beside them by `make css`: the classes that
// templates and scripts use, the source of the styles, and the versions of the packages. When that has changed since,
// they are stale.
func TestStylesAreFresh(t *testing.T) {
	hash := sha256.New()
	for _, class := range usedClasses(t) {
		hash.Write([]byte(class + "\n"))
	}
	for _, file := range []string{"style/input.css", "style/package-lock.json", "kit/static/app.css"} {
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
		t.Error("kit/static/app.css is stale: what it is made from has changed since; run `make css`")
	}
}
