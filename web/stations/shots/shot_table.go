package shots

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/plaintext"
	"reelhouse/core/shotlist"
)

// exportShots answers with the shots as a table.
func (a *page) exportShots(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := shotlist.Write(&b, p.Shots); err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", p.Code+"_shots.csv"))
	return c.Blob(http.StatusOK, "text/csv; charset=utf-8", b.Bytes())
}

// shownTable is a table of shots on its way in.
type shownTable struct {
	Code     string
	Text     string // the whole table; it goes to and fro until it is imported
	Problem  string // why it cannot be read at all
	Columns  []shownColumn
	Choices  []shotlist.Column
	Rows     int
	Mistakes []shotlist.Mistake
	More     int // mistakes that are not shown
	Change   shotlist.Change
}

type shownColumn struct {
	Name   string
	Holds  shotlist.Column
	ByWhat bool // whether its contents tell what it holds
	Sample string
}

// mostMistakes is how many mistakes are shown at a time.
const mostMistakes = 50

// shotTable is the side sheet on which a table of shots is chosen, its columns are matched, and its mistakes are told.
// It is imported as a whole or not at all.
func (a *page) shotTable(c *echo.Context) error {
	shown := shownTable{Code: c.Param("code"), Choices: shotlist.Columns()}
	if c.Request().Method == http.MethodGet {
		return c.Render(http.StatusOK, "shots/shot-table", shown)
	}
	p, err := a.House.Record.Production(shown.Code)
	if err != nil {
		return err
	}
	if shown.Text, err = uploadedText(c, shotlist.MaxBytes); err != nil {
		shown.Problem = err.Error()
		return c.Render(http.StatusOK, "shots/shot-table", shown)
	}
	table, err := shotlist.Read(strings.NewReader(shown.Text))
	if err != nil {
		shown.Problem, shown.Text = err.Error(), ""
		return c.Render(http.StatusOK, "shots/shot-table", shown)
	}
	columns, proposed := table.Propose(p.Production)
	if form, err := c.FormValues(); err == nil && len(form["column"]) == len(columns) {
		for i, name := range form["column"] {
			proposed[i] = proposed[i] && columns[i] == shotlist.Column(name)
			columns[i] = shotlist.Column(name)
		}
	}
	shown.Rows = len(table.Rows)
	for i, name := range table.Header {
		shown.Columns = append(shown.Columns, shownColumn{name, columns[i], proposed[i], table.Rows[0][i]})
	}
	trial := p.Production.Copy()
	shown.Change, shown.Mistakes = table.Apply(&trial, columns)
	if shown.More = len(shown.Mistakes) - mostMistakes; shown.More > 0 {
		shown.Mistakes = shown.Mistakes[:mostMistakes]
	}
	if c.FormValue("do") == "" || len(shown.Mistakes) > 0 {
		return c.Render(http.StatusOK, "shots/shot-table", shown)
	}
	c.Response().Header().Set("HX-Retarget", "#sheet")
	c.Response().Header().Set("HX-Reswap", "outerHTML")
	c.Response().Header().Set("HX-Trigger-After-Settle", "close-side")
	return a.Do(c, edit.ImportShots{Table: table, Columns: columns})
}

// uploadedText returns the file of a form, or the text that an earlier answer has kept of it.
func uploadedText(c *echo.Context, most int64) (string, error) {
	file, err := c.FormFile("file")
	if err != nil {
		if text := c.FormValue("text"); text != "" {
			return text, nil
		}
		return "", fmt.Errorf("no file was chosen")
	}
	f, err := file.Open()
	if err != nil {
		return "", err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	if int64(len(data)) > most {
		return "", fmt.Errorf("%s is larger than %d MB", file.Filename, most>>20)
	}
	if err != nil {
		return "", err
	}
	text, err := plaintext.Decode(data)
	if err != nil {
		return "", fmt.Errorf("%s: %w; save the sheet as comma-separated values (CSV)", file.Filename, err)
	}
	return text.Lines, nil
}
