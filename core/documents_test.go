package core_test

import (
	"cmp"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"reelhouse/core/edit"
	"reelhouse/core/inspect"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/preflight"
)

// Tables in documents that are made from what the house knows: where they stand, between two comments, and what makes
// them. `make docs` writes them.
var tables = []struct {
	file, name string
	make       func() string
}{
	{"../docs/formats.md", "formats", formatTable},
	{"../docs/formats.md", "passes", passTable},
	{"../docs/checks.md", "rules", ruleTable},
	{"../docs/command-line.md", "edits", editTable},
	{"../docs/inspection.md", "faults", faultTable},
}

func TestTablesInDocumentsAreFresh(t *testing.T) {
	for _, table := range tables {
		data, err := os.ReadFile(table.file)
		if err != nil {
			t.Fatal(err)
		}
		text := string(data)
		open, end := "<!-- "+table.name+" -->\n", "<!-- end of "+table.name+" -->"
		before, rest, found := strings.Cut(text, open)
		_, after, closed := strings.Cut(rest, end)
		if !found || !closed {
			t.Errorf("%s has no place for the table of %s", table.file, table.name)
			continue
		}
		fresh := before + open + "\n" + table.make() + "\n" + end + after
		if os.Getenv("REELHOUSE_DOCS") == "write" {
			if err := os.WriteFile(table.file, []byte(fresh), 0o644); err != nil {
				t.Fatal(err)
			}
		} else if fresh != text {
			t.Errorf("the table of %s in %s is not what the house knows; run `make docs`", table.name, table.file)
		}
	}
}

// table writes a table of Markdown.
func table(heads string, rows func(row func(cells ...string))) string {
	var b strings.Builder
	columns := strings.Count(heads, "|") + 1
	fmt.Fprintf(&b, "| %s |\n|%s\n", heads, strings.Repeat("---|", columns))
	rows(func(cells ...string) { fmt.Fprintf(&b, "| %s |\n", strings.Join(cells, " | ")) })
	return b.String()
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

func texts[T any](all []T, text func(T) string) string {
	var words []string
	for _, v := range all {
		words = append(words, text(v))
	}
	if len(words) == 0 {
		return "no"
	}
	return strings.Join(words, ", ")
}

func codes[T ~string](all []T) string { return texts(all, func(v T) string { return string(v) }) }

func formatTable() string {
	return table("format | float | layers | alpha | lossless | facts | pixel aspect | depths | compression | encodes",
		func(row func(...string)) {
			for _, k := range output.Kinds() {
				packed := func(c output.Compression) string {
					text := string(c)
					if s := k.Format.Scale(c); s.Leveled() {
						text += fmt.Sprintf(" (%s %d to %d)", s.Name, s.Least, s.Most)
					}
					return text
				}
				row(k.Name, yes(k.Float), yes(k.Layers), codes(k.Alphas), yes(k.Lossless), yes(k.Facts), yes(k.Aspect),
					codes(k.Depths), texts(k.Compressions, packed), codes(k.Curves))
			}
		})
}

func passTable() string {
	return table("code | name | meaning | channels | stored as", func(row func(...string)) {
		for _, p := range pass.Catalogue() {
			kept := "half"
			if p.Data {
				kept = "float"
			}
			if p.Filtered {
				kept += ", filtered"
			}
			if p.Either {
				kept += ", or the other way"
			}
			channels := strings.Join(p.ChannelNames(), " ")
			if p.IsCryptomatte() {
				channels = p.Layer + "00 to 02, R G B A each"
			}
			row("`"+string(p.Code)+"`", p.Name, p.Meaning, channels, kept)
		}
	})
}

func ruleTable() string {
	return table("rule | severity | why", func(row func(...string)) {
		for _, r := range preflight.Rules() {
			severity := string(r.Severity)
			if r.Mandatory {
				severity += ", mandatory"
			}
			row("`"+r.Name+"`", severity, r.Why)
		}
	})
}

func faultTable() string {
	return table("fault | name | what it is | told from", func(row func(...string)) {
		for _, d := range inspect.Faults() {
			row("`"+string(d.Fault)+"`", d.Name, d.Means, d.Threshold)
		}
	})
}

func editTable() string {
	return table("edit | fields", func(row func(...string)) {
		for _, name := range edit.Names() {
			fields, err := edit.Fields(name)
			if err != nil {
				panic(err)
			}
			row("`"+name+"`", texts(fields, func(f edit.Field) string { return "`" + f.Name + "`" }))
		}
	})
}

// What documents for those who carry on name is there: files and folders, and tests.
func TestDocumentsNameWhatIsThere(t *testing.T) {
	tests := map[string]bool{}
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && d.Name() == "node_modules" {
			return cmp.Or(err, fs.SkipDir)
		}
		if !strings.HasSuffix(path, "_test.go") {
			return nil
		}
		data, err := os.ReadFile(path)
		for _, m := range regexp.MustCompile(`(?m)^func (Test\w+)\(`).FindAllSubmatch(data, -1) {
			tests[string(m[1])] = true
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"docs/extending.md", "docs/security.md", "CONTRIBUTING.md", "README.md"} {
		data, err := os.ReadFile("../" + name)
		if err != nil {
			t.Fatal(err)
		}
		named := regexp.MustCompile("`([A-Za-z]+(?:/[a-z0-9_.]+)+|Test\\w+)`")
		for _, m := range named.FindAllStringSubmatch(string(data), -1) {
			if said := m[1]; strings.HasPrefix(said, "Test") {
				if !tests[said] {
					t.Errorf("%s names the test %s, which is not there", name, said)
				}
			} else if _, err := os.Stat("../" + strings.TrimSuffix(said, "/...")); err != nil {
				t.Errorf("%s names %s, which is not there", name, said)
			}
		}
	}
}
