package kit

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// A component is found by its name: each has a file of its own.
func TestEveryTemplateHasAFileOfItsName(t *testing.T) {
	defined := regexp.MustCompile(`\{\{-? *define "([^"]+)"`)
	for _, pattern := range []string{"templates/components/*.html", "../stations/*/*.html"} {
		files, err := filepath.Glob(pattern)
		if err != nil || len(files) == 0 {
			t.Fatalf("%s: %v, %v", pattern, files, err)
		}
		for _, file := range files {
			data, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			names := defined.FindAllStringSubmatch(string(data), -1)
			if want := strings.TrimSuffix(filepath.Base(file), ".html"); len(names) != 1 || names[0][1] != want {
				t.Errorf("%s defines %v; it should define %q alone", file, names, want)
			}
		}
	}
}
