package kit

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
	"reelhouse/house"
)

// A ShownDifference is one place at which two things differ.
type ShownDifference struct {
	Where, Here, There string
	Reset              Action // takes what is there
}

// PresetsPage is what the pages show of presets of one kind.
type PresetsPage struct {
	Code        string // of the production
	Kind        preset.Kind
	All         []presetRow
	Current     string // the preset that is compared with, "" for none
	RecallAll   Action
	Differences []ShownDifference
	Output      string // code of the output or recipe, for presets of these
	WrongName   string
	WrongFile   string
}

// A presetRow is a preset in the list.
type presetRow struct {
	preset.Preset
	Compared    bool
	Recall      Action
	Compare     Action // of standards
	CompareWith string // address, of outputs; "" for none
	Export      string // address
	Delete      Action
}

// OfParts reports whether presets of outputs or recipes are asked for, of which a production has several.
func (p PresetsPage) OfParts() bool { return p.Kind != preset.Standards }

// Exported returns the address of the file of what is open.
func (p PresetsPage) Exported() string {
	address := "/p/" + p.Code + "/preset/file"
	if p.OfParts() {
		address += "?" + url.Values{string(p.Kind): {p.Output}}.Encode()
	}
	return address
}

// Empty says what can be done while none is saved.
func (p PresetsPage) Empty() string {
	switch p.Kind {
	case preset.Output:
		return "No output is saved yet. Save this one under a name, and other productions can recall it."
	case preset.Delivery:
		return "No recipe is saved yet. Save this one under a name, and other productions can recall it for their " +
			"own shots."
	}
	return "No preset is saved yet. Save this set-up under a name, and the next production can start from it."
}

// MostDifferences is how many differences are listed; the count tells of the rest.
const MostDifferences = 60

// PresetsPage lists the presets of a kind, and in what the production differs from one of them.
func (a *App) PresetsPage(v *View, kind preset.Kind, current, output string) (PresetsPage, error) {
	p := v.Production.Production
	page := PresetsPage{
		Code: p.Code, Kind: kind, Output: output,
		WrongName: v.Wrong("preset", string(kind)), WrongFile: v.Wrong("preset", "file"),
	}
	post := func(label, title, do, name string, pairs ...string) Action {
		return v.Post("", label, title, "preset/"+do, append([]string{"kind", string(kind), "name", name}, pairs...)...)
	}
	all, err := a.House.Record.Presets(kind)
	if err != nil {
		return page, err
	}
	for _, saved := range all {
		row := presetRow{
			Preset:  saved,
			Recall:  post("Recall", "Use everything in it; undo takes it back", "recall", saved.Name),
			Compare: post("Compare", "", "compare", saved.Name),
			Export:  v.Path("preset/file?" + url.Values{"kind": {string(kind)}, "preset": {saved.Name}}.Encode()),
			Delete:  post("Delete", "", "delete", saved.Name),
		}
		row.Delete.Confirm = "Delete the preset " + saved.Name + "? What came from it stays."
		if page.OfParts() && saved.Code() == output {
			row.CompareWith = "?" + url.Values{"open": {output}, "against": {saved.Name}}.Encode()
		}
		row.Compared = saved.Name == current && (!page.OfParts() || saved.Code() == output)
		page.All = append(page.All, row)
		if !row.Compared {
			continue
		}
		page.Current = current
		page.RecallAll = post("Reset all", "", "recall", current)
		changes, err := saved.Differences(p)
		if err != nil {
			return page, err
		}
		for _, c := range changes {
			path, err := json.Marshal(c.Path)
			if err != nil {
				return page, err
			}
			page.Differences = append(page.Differences, ShownDifference{
				c.Where(), PlainValue(c.Is), PlainValue(c.Was),
				post("Reset", "", "reset", current, "path", string(path)),
			})
		}
	}
	return page, nil
}

// PlainValue writes a JSON value for people.
func PlainValue(v json.RawMessage) string {
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
func (a *App) preset(c *echo.Context) error {
	kind, name, code := preset.Kind(c.FormValue("kind")), strings.TrimSpace(c.FormValue("name")), c.FormValue("output")
	place := Mistake{Where: "preset", Field: string(kind), Value: name}
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	said := func(notice string, err error) error {
		r := Answer{Production: p, Station: Key(c.FormValue("station")), Notice: notice}
		if err != nil {
			r.Notice, r.Mistake = "", place
			r.Mistake.Message = err.Error()
		}
		return a.Update(c, r)
	}
	switch c.Param("do") {
	case "save":
		saved := preset.OfStandards(name, p.Production)
		switch kind {
		case preset.Output:
			o, ok := p.FindOutput(code)
			if !ok {
				return said("", fmt.Errorf("the output %q does not exist any more", code))
			}
			saved = preset.OfOutput(name, o)
		case preset.Delivery:
			d, ok := p.FindDelivery(code)
			if !ok {
				return said("", fmt.Errorf("the recipe %q does not exist any more", code))
			}
			saved = preset.OfDelivery(name, d)
		}
		if err := preset.CheckName(name); err != nil {
			return said("", err)
		}
		if err := a.House.Record.SavePreset(saved, c.FormValue("replace") != ""); err != nil {
			return said("", err)
		}
		if kind == preset.Standards {
			if _, p, err = a.House.Do(p.Code, house.Editing{By: Author(c)},
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
		return a.Do(c, edit.RecallPreset{Kind: kind, Preset: name})
	case "compare":
		return a.Do(c, edit.SetProduction{Preset: &name})
	case "reset":
		var path []string
		if err := json.Unmarshal([]byte(c.FormValue("path")), &path); err != nil {
			return echo.NewHTTPError(http.StatusBadRequest, "This cannot be reset; load the page again.")
		}
		return a.Do(c, edit.ResetToPreset{Kind: kind, Preset: name, Path: path})
	}
	return echo.NewHTTPError(http.StatusNotFound, "There is nothing to do of that name.")
}

// exportPreset answers with a file: of the standards, of an output, or of a saved preset.
func (a *App) exportPreset(c *echo.Context) error {
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
	} else if code := c.QueryParam("delivery"); code != "" {
		d, ok := p.FindDelivery(code)
		if !ok {
			return echo.NewHTTPError(http.StatusNotFound, "There is no such recipe.")
		}
		out = preset.OfDelivery(d.Name, d)
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
func (a *App) importPreset(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	r := Answer{Production: p, Station: Key(c.FormValue("station"))}
	refuse := func(message string) error {
		r.Mistake = Mistake{Where: "preset", Field: "file", Message: message}
		return a.Update(c, r)
	}
	file, name, err := Uploaded(c, "choose a preset file that Reelhouse has exported")
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
	r.Notice = fmt.Sprintf("Imported: the %s preset %s. Recall it to use it.", read.Kind, read.Name)
	return a.Update(c, r)
}
