package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/naming"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/house"
)

// shownDifference is one place at which a production differs from its preset.
type shownDifference struct {
	Where, Here, There string
	Path               string // as JSON, to be sent back
}

// presetsPage is what the pages show of presets of one kind.
type presetsPage struct {
	Kind        preset.Kind
	All         []preset.Preset
	Current     string // the preset that is held against, "" for none
	Differences []shownDifference
	Output      string // code of the output, for presets of outputs
}

// mostDifferences is how many differences are listed; the count tells of the rest.
const mostDifferences = 60

func (a *app) presetsPage(p production.Production, kind preset.Kind, current, output string) (presetsPage, error) {
	page := presetsPage{Kind: kind, Output: output}
	var err error
	if page.All, err = a.House.Record.Presets(kind); err != nil {
		return page, err
	}
	for _, saved := range page.All {
		if saved.Name != current || kind == preset.Output && saved.Output.Code != output {
			continue
		}
		page.Current = current
		changes, err := saved.Differences(p)
		if err != nil {
			return page, err
		}
		for _, c := range changes {
			path, err := json.Marshal(c.Path)
			if err != nil {
				return page, err
			}
			page.Differences = append(
				page.Differences, shownDifference{c.Where(), plainValue(c.Is), plainValue(c.Was), string(path)},
			)
		}
	}
	return page, nil
}

// plainValue writes a JSON value for people.
func plainValue(v json.RawMessage) string {
	text := strings.Trim(string(v), `"`)
	switch {
	case text == "" || text == "null":
		return "nothing"
	case len(text) > 60:
		return text[:57] + "…"
	}
	return text
}

// preset saves, recalls, compares and deletes presets, and takes single values from them.
func (a *app) preset(c *echo.Context) error {
	kind, name, code := preset.Kind(c.FormValue("kind")), strings.TrimSpace(c.FormValue("name")), c.FormValue("output")
	place := mistake{Where: "preset", Field: string(kind), Value: name}
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	said := func(notice string, err error) error {
		r := answer{production: p, station: stationKey(c.FormValue("station")), notice: notice}
		if err != nil {
			r.notice, r.mistake = "", place
			r.mistake.Message = err.Error()
		}
		return a.update(c, r)
	}
	switch c.Param("do") {
	case "save":
		saved := preset.OfStandards(name, p.Production)
		if kind == preset.Output {
			o, ok := p.FindOutput(code)
			if !ok {
				return said("", fmt.Errorf("the output %q does not exist any more", code))
			}
			saved = preset.OfOutput(name, o)
		}
		if err := preset.CheckName(name); err != nil {
			return said("", err)
		}
		if err := a.House.Record.SavePreset(saved, c.FormValue("replace") != ""); err != nil {
			return said("", err)
		}
		if kind == preset.Standards {
			if _, p, err = a.House.Do(p.Code, house.Editing{By: author(c)},
				edit.SetProduction{Preset: &name}); err != nil {
				return err
			}
		}
		return said("Saved as the preset "+name+".", nil)
	case "delete":
		return said("The preset "+name+" is gone.", a.House.Record.DeletePreset(kind, name))
	}
	switch c.Param("do") {
	case "recall":
		return a.do(c, edit.RecallPreset{Kind: kind, Preset: name})
	case "compare":
		return a.do(c, edit.SetProduction{Preset: &name})
	case "reset":
		var path []string
		if err := json.Unmarshal([]byte(c.FormValue("path")), &path); err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "This cannot be reset; load the page again.")
		}
		return a.do(c, edit.ResetToPreset{Kind: kind, Preset: name, Path: path})
	}
	return echo.NewHTTPError(http.StatusNotFound, "There is nothing to do of that name.")
}

// exportPreset answers with a file: of the standards, of an output, or of a saved preset.
func (a *app) exportPreset(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	out := preset.OfStandards(p.Title, p.Production)
	if name := c.QueryParam("preset"); name != "" {
		if out, err = a.House.Record.Preset(preset.Kind(c.QueryParam("kind")), name); err != nil {
			return err
		}
	} else if code := c.QueryParam("output"); code != "" {
		o, ok := p.FindOutput(code)
		if !ok {
			return echo.NewHTTPError(http.StatusNotFound, "There is no such output.")
		}
		out = preset.OfOutput(o.Name, o)
	}
	if err := out.Check(); err != nil {
		return echo.NewHTTPError(
			http.StatusUnprocessableEntity, "It cannot be exported before this is fixed: "+err.Error(),
		)
	}
	var b bytes.Buffer
	if err := out.Write(&b); err != nil {
		return err
	}
	file := naming.Rules{Separator: "-", Case: naming.Lower}.Clean(out.Name) + ".json"
	c.Response().
		Header().
		Set("Content-Disposition", fmt.Sprintf("attachment; filename*=UTF-8''%s", url.PathEscape(file)))
	return c.Blob(http.StatusOK, "application/json", b.Bytes())
}

// importPreset keeps a preset file in the house.
func (a *app) importPreset(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	r := answer{production: p, station: stationKey(c.FormValue("station"))}
	refuse := func(message string) error {
		r.mistake = mistake{Where: "preset", Field: "file", Message: message}
		return a.update(c, r)
	}
	file, name, err := uploaded(c, "choose a preset file that Reelhouse has exported")
	if err != nil {
		return refuse(err.Error())
	}
	defer file.Close()
	read, err := preset.Read(file)
	if err != nil {
		return refuse(name + " was not imported: " + err.Error())
	}
	if err := a.House.Record.SavePreset(read, c.FormValue("replace") != ""); err != nil {
		return refuse(err.Error())
	}
	r.notice = fmt.Sprintf("Imported: the %s preset %s. Recall it to use it.", read.Kind, read.Name)
	return a.update(c, r)
}
