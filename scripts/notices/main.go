// Notices writes the licences of everything that the binary holds: Go itself, its modules, and the fonts and scripts of
// the pages, which are npm packages. `make notices` runs it.
package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

const (
	packages = "web/style" // what the pages' styles, fonts and scripts are made from
	written  = "cmd/reelhouse/notices.txt"
)

// tools are npm packages that make files and are not in them.
var tools = []string{"@tailwindcss/cli"}

// A part is something that the binary holds, with the folder where its licence lies.
type part struct{ name, version, folder string }

// isLicence matches names of files that have to go along.
var isLicence = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|patents)([.-].*)?$`)

func main() {
	log.SetFlags(0)
	text, err := notices()
	if err == nil {
		err = os.WriteFile(written, text, 0o644)
	}
	if err != nil {
		log.Fatal("notices: ", err)
	}
}

func notices() ([]byte, error) {
	modules, err := goModules()
	if err != nil {
		return nil, err
	}
	scripts, err := npmPackages()
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	out.WriteString("What this program holds that others have made, and under which licences.\n")
	for _, p := range append(modules, scripts...) {
		if err := p.write(&out); err != nil {
			return nil, err
		}
	}
	return out.Bytes(), nil
}

// goModules returns Go and the modules that the program is built from, for any system.
func goModules() ([]part, error) {
	root, err := exec.Command("go", "env", "GOROOT", "GOVERSION").Output()
	if err != nil {
		return nil, fmt.Errorf("go env: %w", err)
	}
	lines := strings.Fields(string(root))
	all := []part{{"Go", strings.TrimPrefix(lines[1], "go"), lines[0]}}
	const format = `{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}`
	list, err := exec.Command("go", "list", "-deps", "-f", format, "./cmd/reelhouse").Output()
	if err != nil {
		return nil, fmt.Errorf("go list: %w", err)
	}
	for line := range strings.Lines(string(list)) {
		if f := strings.Fields(line); len(f) == 3 && !slices.Contains(all, part{f[0], f[1], f[2]}) {
			all = append(all, part{f[0], f[1], f[2]})
		}
	}
	slices.SortFunc(all[1:], func(a, b part) int { return strings.Compare(a.name, b.name) })
	return all, nil
}

// npmPackages returns the packages that fonts, styles and scripts come from.
func npmPackages() ([]part, error) {
	data, err := os.ReadFile(filepath.Join(packages, "package.json"))
	if err != nil {
		return nil, err
	}
	var list struct{ Dependencies map[string]string }
	if err := json.Unmarshal(data, &list); err != nil {
		return nil, err
	}
	var all []part
	for name, version := range list.Dependencies {
		if !slices.Contains(tools, name) {
			all = append(all, part{name, version, filepath.Join(packages, "node_modules", name)})
		}
	}
	slices.SortFunc(all, func(a, b part) int { return strings.Compare(a.name, b.name) })
	return all, nil
}

// write writes a part with its licences. One that has none is an error: what is not allowed does not go along.
func (p part) write(out *bytes.Buffer) error {
	entries, err := os.ReadDir(p.folder)
	if err != nil {
		return fmt.Errorf("%s: %w; `make css` installs npm packages, `go mod download` modules", p.name, err)
	}
	fmt.Fprintf(out, "\n%s\n%s %s\n%[1]s\n", strings.Repeat("=", 80), p.name, p.version)
	found := false
	for _, e := range entries {
		if e.IsDir() || !isLicence.MatchString(e.Name()) {
			continue
		}
		text, err := os.ReadFile(filepath.Join(p.folder, e.Name()))
		if err != nil {
			return err
		}
		text = bytes.TrimSpace(bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")))
		fmt.Fprintf(out, "\n%s\n\n%s\n", e.Name(), text)
		found = true
	}
	if !found {
		return fmt.Errorf("%s has no licence", p.name)
	}
	return nil
}
