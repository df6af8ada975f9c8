package web

import (
	"bytes"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"math"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/labstack/echo/v5"

	"reelhouse/core/frame"
	"reelhouse/core/naming"
	"reelhouse/core/queue"
)

//go:embed templates
var templates embed.FS

// pages is every template: the partials, and for each page a set of its own that may use them.
type pages struct {
	partials *template.Template
	sets     map[string]*template.Template
}

// parsePages reads templates/partials/*.html and templates/*.html. A page defines "sheet".
func parsePages() (*pages, error) {
	partials, err := template.New("").Funcs(functions).ParseFS(templates, "templates/partials/*.html")
	if err != nil {
		return nil, err
	}
	p := &pages{partials, map[string]*template.Template{}}
	files, err := fs.Glob(templates, "templates/*.html")
	if err != nil {
		return nil, err
	}
	for _, file := range files {
		set, err := partials.Clone()
		if err != nil {
			return nil, err
		}
		if _, err := set.ParseFS(templates, file); err != nil {
			return nil, err
		}
		p.sets[strings.TrimSuffix(path.Base(file), ".html")] = set
	}
	return p, nil
}

// Render renders a whole page ("shots"), a page's sheet with what stands around it ("shots#sheet"), or a
// partial ("notice"). Nothing is sent if the template fails.
func (p *pages) Render(_ *echo.Context, w io.Writer, name string, data any) error {
	page, part, _ := strings.Cut(name, "#")
	set, entry := p.sets[page], "layout"
	switch {
	case set == nil:
		set, entry = p.partials, name
	case part != "":
		entry = "update"
	case page == "error" || page == "home":
		entry = "bare"
	}
	var b bytes.Buffer
	if err := set.ExecuteTemplate(&b, entry, data); err != nil {
		return fmt.Errorf("template %s: %w", name, err)
	}
	_, err := b.WriteTo(w)
	return err
}

// partial renders one partial to text.
func (p *pages) partial(name string, data any) (string, error) {
	var b bytes.Buffer
	err := p.partials.ExecuteTemplate(&b, name, data)
	return b.String(), err
}

var functions = template.FuncMap{
	"count":     count,
	"bytes":     func(n float64) string { return humanize.Bytes(uint64(max(0, n))) },
	"bytesInt":  func(n int64) string { return humanize.Bytes(uint64(max(0, n))) },
	"duration":  duration,
	"seconds":   func(s float64) string { return duration(time.Duration(s * float64(time.Second))) },
	"clock":     func(t time.Time) string { return t.UTC().Format(time.RFC3339) },
	"degrees":   func(d float64) string { return strconv.FormatFloat(d, 'f', 1, 64) + "°" },
	"square":    func(n int) int { return n * n },
	"number":    func(f float64) string { return strconv.FormatFloat(f, 'f', -1, 64) },
	"join":      strings.Join,
	"frames":    framesOf,
	"tally":     func(c queue.Counts, state string) int { return c[queue.State(state)] },
	"plural":    plural,
	"percent":   func(f float64) string { return strconv.FormatFloat(math.Round(f*1000)/10, 'f', -1, 64) },
	"add":       func(a, b int) int { return a + b },
	"add2":      func(a, b float64) float64 { return a + b },
	"list":      func(all ...string) []string { return all },
	"field":     naming.Field,
	"editOf":    editOf,
	"nth":       frame.Nth,
	"stationOf": stationOf,
	"editVals":  editVals,
	"vals": func(pairs ...string) (string, error) {
		m := map[string]string{}
		for i := 0; i+1 < len(pairs); i += 2 {
			m[pairs[i]] = pairs[i+1]
		}
		text, err := json.Marshal(m)
		return string(text), err
	},
	"map": func(pairs ...any) map[string]any {
		m := map[string]any{}
		for i := 0; i+1 < len(pairs); i += 2 {
			m[pairs[i].(string)] = pairs[i+1]
		}
		return m
	},
}

// count writes a whole number, with thin spaces from 10 000 up.
func count(n int) string {
	if n > -10000 && n < 10000 {
		return strconv.Itoa(n)
	}
	return strings.ReplaceAll(humanize.Comma(int64(n)), ",", "\u2009")
}

// duration writes "2 h 14 min", "3 min 20 s" or "4.2 s".
func duration(d time.Duration) string {
	switch {
	case d < 10*time.Second:
		return strconv.FormatFloat(d.Seconds(), 'f', 1, 64) + " s"
	case d < time.Minute:
		return fmt.Sprintf("%d s", int(d.Seconds()+0.5))
	case d < 10*time.Minute:
		return fmt.Sprintf("%d min %02d s", int(d.Minutes()), int(d.Seconds())%60)
	case d < time.Hour:
		return fmt.Sprintf("%d min", int(d.Minutes()+0.5))
	}
	return fmt.Sprintf("%d h %02d min", int(d.Hours()), int(d.Minutes())%60)
}

// editOf names the command that a control posts.
func editOf(control map[string]any) string {
	if command, ok := control["command"].(string); ok {
		return command
	}
	return fmt.Sprint(control["kind"], ".set")
}

// editVals returns what a control tells beside what is typed, as JSON.
func editVals(control map[string]any, more ...string) (string, error) {
	vals := map[string]string{"of": fmt.Sprint(control["of"]), "field": fmt.Sprint(control["field"])}
	if name, ok := control["name"].(string); ok {
		vals["field"] = name
	}
	if with, ok := control["with"].([]string); ok {
		more = append(more, with...)
	}
	for i := 0; i+1 < len(more); i += 2 {
		vals[more[i]] = more[i+1]
	}
	text, err := json.Marshal(vals)
	return string(text), err
}
