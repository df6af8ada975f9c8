package standards

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"

	"github.com/labstack/echo/v5"

	"reelhouse/core/edit"
	"reelhouse/core/lut"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/web/kit"
)

// bringLUT takes in a look-up table through which light may be shown.
func (a *page) bringLUT(c *echo.Context) error {
	p, err := a.House.Record.Production(c.Param("code"))
	if err != nil {
		return err
	}
	f, err := a.takenLUT(c)
	if err != nil {
		return a.Update(c, kit.Answer{
			Production: p, Station: key, Mistake: kit.Mistake{Where: "lut", Field: "file", Message: err.Error()},
		})
	}
	_, after, err := a.House.Do(p.Code, house.Editing{By: kit.Author(c)}, edit.AddLUT{LUT: f})
	if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{Production: after, Station: key, Notice: "Imported: " + f.Name + "."})
}

func (a *page) takenLUT(c *echo.Context) (production.LUTFile, error) {
	file, name, err := kit.Uploaded(c, "choose a .cube or .clf file")
	if err != nil {
		return production.LUTFile{}, err
	}
	defer file.Close()
	in := lut.Input{Curve: lut.Curve(c.FormValue("curve")), Primaries: pixel.Primaries(c.FormValue("primaries"))}
	if in.Curve == "" {
		return production.LUTFile{}, fmt.Errorf("say what %s is made for, which is not in the file", name)
	}
	if err := in.Check(); err != nil {
		return production.LUTFile{}, err
	}
	f, err := a.House.Assets.ImportLUT(name, file)
	if err != nil {
		err = fmt.Errorf("%s was not imported: %w", name, err)
	}
	f.Input = in
	return f, err
}

// A laidLUT is a look-up table as a line.
type laidLUT struct {
	production.LUTFile
	Words     string
	Missing   string // why it cannot be used
	CodeField kit.Field
	Curve     kit.Field
	Primaries kit.Field
	Remove    kit.Action
	Wrong     string
}

// luts lists the look-up tables.
func (a *page) luts(page *standardsPage, v *kit.View) {
	page.Curves = kit.Options(lut.Curves(), lut.Curve.Name)
	page.Primaries = kit.Options(pixel.AllPrimaries(), pixel.Primaries.Name)
	for _, f := range v.Production.LUTs {
		part := v.Part("lut", f.Code)
		laid := laidLUT{
			LUTFile:   f,
			CodeField: part.Field("code", "Code", f.Code).Styled("mono font-bold", 16),
			Curve:     part.Field("curve", "Input", f.Input.Curve).Among(page.Curves),
			Primaries: part.Field("primaries", "Primaries", cmp.Or(f.Input.Primaries, pixel.BT709)).
				Among(page.Primaries),
			Remove: part.Action("remove", "Remove", "Remove this look-up table"),
			Wrong:  part.Wrong("remove"),
		}
		switch table, err := a.House.Assets.LUT(f); {
		case errors.Is(err, fs.ErrNotExist):
			laid.Missing = "its file is not there any more; import it again"
		case err != nil:
			laid.Missing = err.Error()
		default:
			laid.Words = table.Words()
		}
		page.LUTs = append(page.LUTs, laid)
	}
}
