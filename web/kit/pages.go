package kit

import (
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"maps"
	"math"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/production"

	"github.com/dustin/go-humanize"
	"github.com/labstack/echo/v5"

	"reelhouse/core/naming"
)

//go:embed templates
var templates embed.FS

// pages is every template: the components, and for each station a set of its own that may use them.
type pages struct {
	components *template.Template
	sets       map[string]*template.Template
}

// parsePages reads the kit's components, and the templates of the stations. A page defines "sheet".
func parsePages(stations []Station) (*pages, error) {
	functions := maps.Clone(functions)
	functions["stationOf"] = func(p production.Problem) Key { return stationOf(stations, p) }
	components, err := template.New("").Funcs(functions).ParseFS(templates, "templates/components/*.html")
	if err != nil {
		return nil, err
	}
	p := &pages{components, map[string]*template.Template{}}
	add := func(key string, files fs.FS, pattern string) error {
		set, err := components.Clone()
		if err != nil {
			return err
		}
		if set, err = set.ParseFS(files, pattern); err != nil {
			return fmt.Errorf("page %s: %w", key, err)
		}
		if set.Lookup("sheet") == nil {
			return fmt.Errorf("page %s: no template defines \"sheet\"", key)
		}
		p.sets[key] = set
		return nil
	}
	for _, s := range stations {
		if err := add(string(s.Key), s.Files, "*.html"); err != nil {
			return nil, err
		}
	}
	return p, add("error", templates, "templates/error.html")
}

// Render renders a station's page ("shots"), its sheet with what stands around it ("shots#sheet"), one of its other
// templates ("shots/shot-table"), or a component ("notice"). Nothing is sent if the template fails.
func (p *pages) Render(_ *echo.Context, w io.Writer, name string, data any) error {
	text, err := p.text(name, data)
	if err != nil {
		return err
	}
	_, err = io.WriteString(w, text)
	return err
}

// text renders like Render.
func (p *pages) text(name string, data any) (string, error) {
	set, entry := p.components, name
	if page, part, found := strings.Cut(name, "/"); found {
		set, entry = p.sets[page], part
	} else if page, part, found := strings.Cut(name, "#"); p.sets[page] != nil {
		set, entry = p.sets[page], "layout"
		if _, ofProduction := data.(*View); !ofProduction {
			entry = "bare"
		} else if found && part != "" {
			entry = "update"
		}
	}
	if set == nil {
		return "", fmt.Errorf("template %s: there is no such page", name)
	}
	var b strings.Builder
	if err := set.ExecuteTemplate(&b, entry, data); err != nil {
		return "", fmt.Errorf("template %s: %w", name, err)
	}
	return b.String(), nil
}

// functions are what templates may call.
var functions = template.FuncMap{
	"count":    Count,
	"bytes":    func(n float64) string { return humanize.Bytes(uint64(max(0, n))) },
	"bytesInt": func(n int64) string { return humanize.Bytes(uint64(max(0, n))) },
	"seconds":  func(s float64) string { return Duration(time.Duration(s * float64(time.Second))) },
	"clock":    func(t time.Time) string { return t.UTC().Format(time.RFC3339) },
	"degrees":  func(d float64) string { return strconv.FormatFloat(d, 'f', 1, 64) + "°" },
	"number":   Number,
	"join":     strings.Join,
	"few":      Few,
	"frames":   framesOf,
	"plural":   Plural,
	"percent":  func(f float64) string { return strconv.FormatFloat(math.Round(f*1000)/10, 'f', -1, 64) },
	"add":      func(a, b int) int { return a + b },
	"add2":     func(a, b float64) float64 { return a + b },
	"field":    naming.Field,
	"vals": func(pairs ...string) (string, error) {
		m := map[string]string{}
		for i := 0; i+1 < len(pairs); i += 2 {
			m[pairs[i]] = pairs[i+1]
		}
		text, err := json.Marshal(m)
		return string(text), err
	},
}
