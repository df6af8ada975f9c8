package house

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"encoding/json"
	"html/template"
	"os"
	"strconv"
	"strings"

	"github.com/dustin/go-humanize"

	"reelhouse/core/delivery"
	"reelhouse/core/plaintext"
	"reelhouse/core/production"
	"reelhouse/store"
)

// A manifest is what lies beside the files of a delivery, for people and for programs.
type manifest struct {
	Number   int               `json:"number"`
	Delivery delivery.Delivery `json:"delivery"`
	Begun    string            `json:"begun"`
	By       string            `json:"by,omitempty"`
	Former   int               `json:"former,omitempty"` // number of the delivery before
}

// manifestColumns are those of the table.
var manifestColumns = []string{
	"shot", "name", "view", "size", "pictures", "pixels", "version", "batch", "frames", "first", "count",
	"missing", "formats",
	"rate", "approved by", "files", "bytes",
}

// writeManifests writes what a delivery holds as JSON, as a table, and as a page that can be printed.
func writeManifests(root *os.Root, begun store.Delivery, d delivery.Delivery, former store.Delivery) error {
	m := manifest{begun.Number, d, begun.Begun.UTC().Format("2006-01-02 15:04:05 UTC"), begun.By, former.Number}
	text, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	table := rowsOf(d)
	var asCSV, page bytes.Buffer
	w := csv.NewWriter(&asCSV)
	w.Write(manifestColumns)
	for _, row := range table {
		w.Write(plaintext.Guarded(row))
	}
	if w.Flush(); w.Error() != nil {
		return w.Error()
	}
	err = manifestPage.Execute(&page, map[string]any{
		"M": m, "Columns": manifestColumns, "Rows": rowsOf(d), "Bytes": humanize.Bytes(uint64(d.Bytes())),
	})
	if err != nil {
		return err
	}
	for name, b := range map[string]*bytes.Buffer{
		"manifest.json": bytes.NewBuffer(append(text, '\n')), "manifest.csv": &asCSV, "manifest.html": &page,
	} {
		if _, err := root.Lstat(name); err == nil { // by an attempt before, and perhaps proved by now
			continue
		}
		if err := writeWhole(root, name, b); err != nil {
			return err
		}
	}
	return nil
}

// rowsOf returns what stands in the table of a delivery, a row a part.
func rowsOf(d delivery.Delivery) [][]string {
	files, size := make([]int, len(d.Parts)), make([]int64, len(d.Parts))
	for _, f := range d.Files {
		files[f.Part]++
		if f.Form == 0 {
			size[f.Part] += f.Bytes
		}
	}
	rows := make([][]string, len(d.Parts))
	for i, p := range d.Parts {
		rows[i] = []string{
			p.Shot, p.ShotName, p.View, p.Size,
			cmp.Or(p.Made, production.Rendered), p.Pixels.String(), strconv.Itoa(p.Version), p.Batch, p.Frames.String(),
			strconv.Itoa(p.First), strconv.Itoa(p.Frames.Count()), p.Missing.String(), strings.Join(p.Formats, "; "),
			d.ShownRate().
				String(),
			strings.Join(p.ApprovedBy, ", "), strconv.Itoa(files[i]), strconv.FormatInt(size[i], 10),
		}
	}
	return rows
}

// manifestPage is complete in itself, and is printed on paper that lies across.
var manifestPage = template.Must(template.New("manifest").Parse(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>{{.M.Delivery.Title}}: {{.M.Delivery.Recipe.Name}} {{.M.Number}}</title>
<style>
  @page { size: A4 landscape; margin: 12mm; }
  body { font: 10pt/1.4 sans-serif; margin: 2em; color: #111; }
  table { border-collapse: collapse; width: 100%; font-size: 8pt; }
  th, td { border-bottom: 1px solid #999; padding: 3pt 5pt; text-align: left; vertical-align: top; }
</style>
<h1>{{.M.Delivery.Title}}: {{.M.Delivery.Recipe.Name}}, number {{.M.Number}}</h1>
<p>{{.M.Delivery.Production}} · begun {{.M.Begun}}{{with .M.By}} by {{.}}{{end}}
  {{- with .M.Delivery.Recipe.For}} · for {{.}}{{end}} · {{len .M.Delivery.Files}} files, {{.Bytes}} ·
  {{.M.Delivery.ShownRate}}{{with .M.Former}} · number {{.}} came before{{end}}</p>
{{range .M.Delivery.Findings}}<p><b>{{.Part}}</b> {{.Text}}</p>
{{end}}<table>
<thead><tr>{{range .Columns}}<th scope="col">{{.}}</th>{{end}}</tr></thead>
<tbody>
{{range .Rows}}<tr>{{range .}}<td>{{.}}</td>{{end}}</tr>
{{end}}</tbody>
</table>
<p>Every file and its hash stand in the list in the folder ascmhl (ASC MHL 2.0): reelhouse verify FOLDER compares
  them.</p>
</html>
`))
