package standards

import (
	"math"
	"strconv"

	"reelhouse/core/raster"
	"reelhouse/web/kit"
)

// A sizeRow is a size as a line of the table.
type sizeRow struct {
	raster.Named
	Opened    bool
	CodeField kit.Field
	Title     kit.Field
	Pixels    [2]kit.Field // width and height
	FitField  kit.Field
	Remove    kit.Action
	Wrong     string
}

// A shelf is published sizes of one kind.
type shelf struct {
	Name string
	Add  []kit.Action
}

// sizeDetails are what is edited of one size beside its line.
type sizeDetails struct {
	raster.Named
	Quantities []lockable
	Fields     []kit.Field
	Actions    []kit.Action
}

// A lockable is one of the numbers of a size that hang together, and whether it stays when others change.
type lockable struct{ Value, Lock kit.Field }

// sizes fills in the sizes, those that can be added, and the details of the one that is open.
func (page *standardsPage) sizes(v *kit.View) {
	p := v.Production
	fittings := kit.Options(raster.Fittings(), kit.FittingName)
	for _, n := range p.Sizes {
		part := v.Part("size", n.Code)
		fit := n.Fit.Fitting
		if fit == "" {
			fit = raster.Crop
		}
		page.Sizes = append(page.Sizes, sizeRow{
			Named:     n,
			Opened:    n.Code == v.Open,
			CodeField: part.Field("code", "Code", n.Code).Mono(8),
			Title:     part.Field("name", "Name", n.Name),
			Pixels: [2]kit.Field{
				part.Field("width", "Width, px", n.Width).Number(6),
				part.Field("height", "Height, px", n.Height).Number(6),
			},
			FitField: part.Field("fit", "Fit", fit).Among(fittings),
			Remove:   part.Action("remove", "Remove", "Remove this size"),
			Wrong:    part.Wrong("remove"),
		})
		if n.Code == v.Open {
			page.Details, page.Front = details(part, n), n.Code
		}
	}
	add := v.Part("size", "")
	for _, published := range raster.Library() {
		s := shelf{Name: published.Name}
		for _, n := range published.Sizes {
			if _, have := p.FindSize(n.Code); !have {
				s.Add = append(s.Add, add.Action("add", n.Name, n.Size.String()+" · "+n.Source).With(n.Code))
			}
		}
		if len(s.Add) > 0 {
			page.Shelves = append(page.Shelves, s)
		}
	}
	page.OwnSize = add.Action("add", "+ own size", "Add a size of your own")
}

// details returns what is edited of one size beside its line.
func details(part kit.Part, n raster.Named) *sizeDetails {
	d := &sizeDetails{
		Named: n,
		Fields: []kit.Field{
			part.Field("pixelAspect", "Pixel aspect ratio", kit.Number(n.Pixel())).Mono(0),
			part.Field("multipleOf", "Multiples of, px", max(1, n.MultipleOf)).Mono(0),
			part.Field("anchorX", "Anchor X, −1 to 1", kit.Number(n.Fit.AnchorX)).Mono(0),
			part.Field("anchorY", "Anchor Y, −1 to 1", kit.Number(n.Fit.AnchorY)).Mono(0),
		},
		Actions: []kit.Action{
			part.Action("turn", "Rotate", "Swap width and height"),
			part.Action("move", "Move up", "Before the size above").With("-1"),
			part.Action("move", "Move down", "Behind the size below").With("1"),
		},
	}
	for _, q := range quantities(n) {
		d.Quantities = append(d.Quantities, lockable{
			Value: part.Field(string(q.Quantity), q.Name, q.Value).Mono(0),
			Lock: part.Tick("lock-"+string(q.Quantity), "locked", q.Locked).
				By("size.lock", "locked", "set.quantity", string(q.Quantity)),
		})
	}
	return d
}

// shownQuantity is one of the numbers of a size that hang together.
type shownQuantity struct {
	Quantity raster.Quantity
	Name     string
	Value    string
	Locked   bool
}

func quantities(n raster.Named) []shownQuantity {
	number := func(v float64) string { return strconv.FormatFloat(math.Round(v*1e4)/1e4, 'f', -1, 64) }
	print := func(q raster.Quantity) string {
		mm := n.Value(q)
		if mm == 0 {
			return ""
		}
		return number(math.Round(mm/10*100)/100) + " cm"
	}
	show := func(q raster.Quantity, name, value string) shownQuantity {
		return shownQuantity{q, name, value, n.Locked(q)}
	}
	ppi := ""
	if n.PixelsPerInch > 0 {
		ppi = number(n.PixelsPerInch)
	}
	return []shownQuantity{
		show(
			raster.Width, "Width, px", strconv.Itoa(n.Width),
		), show(raster.Height, "Height, px", strconv.Itoa(n.Height)),
		show(raster.Ratio, "Ratio, as seen", number(n.Value(raster.Ratio))),
		show(
			raster.PixelsPerInch, "Pixels per inch", ppi,
		), show(raster.PrintWidth, "Printed width", print(raster.PrintWidth)),
		show(raster.PrintHeight, "Printed height", print(raster.PrintHeight)),
	}
}
