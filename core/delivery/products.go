package delivery

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"reelhouse/core/contact"
	"reelhouse/core/frame"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// A ProductKind is what a delivery makes of pictures.
type ProductKind string

// The kinds of products.
const (
	ContactSheet ProductKind = "contact sheet"
	SpriteSheet  ProductKind = "sprite sheet"
	MovieFile    ProductKind = "movie"
	WebPage      ProductKind = "page for the web"
)

// A Product is what a delivery makes of its pictures, in files whose names are known before.
type Product struct {
	Kind  ProductKind `json:"kind"`
	Files []string    `json:"files"`
	Of    string      `json:"of"` // hash of all that it is made from
}

// Pictures are the files of a part that products are made of, in the order of their frames.
type Pictures struct {
	Output      string             `json:"output"`
	Passes      []pass.Code        `json:"passes"`
	Encoding    output.Encoding    `json:"encoding"`
	Size        raster.Size        `json:"size"`
	PixelAspect float64            `json:"pixelAspect"`
	Depth       pass.DepthSettings `json:"depth"`
	Files       []Picture          `json:"files"`
}

// A Picture is the file of one frame.
type Picture struct {
	RecordedFile
	Frame int    `json:"frame"`
	Label string `json:"label,omitempty"`
	// Pivot is that of a sprite; nil where it is not known.
	Pivot *Pivot `json:"pivot,omitempty"`
}

// A Pivot is where a point of the world lies in a picture, in pixels of its file from the top left corner, and how many
// pixels a metre has there.
type Pivot struct {
	X        float64 `json:"x"`
	Y        float64 `json:"y"`
	PerMetre float64 `json:"perMetre"`
}

// Aspect returns the width of a picture over its height, as it is seen.
func (p Pictures) Aspect() float64 {
	return float64(p.Size.Width) / float64(p.Size.Height) * cmp.Or(p.PixelAspect, 1)
}

// picturesOf returns the files of frames that products are made of: of the output that the recipe names, or of the
// first one that has the beauty pass, masters before others. Nil if there are none.
func picturesOf(r Rendering, recipe production.Delivery, frames frame.Set) *Pictures {
	files := slices.Clone(r.Spec.Files)
	slices.SortStableFunc(files, func(a, b plan.FileSequence) int { return role(a) - role(b) })
	i := slices.IndexFunc(files, func(f plan.FileSequence) bool {
		return slices.Contains(f.Passes, pass.Beauty) && (recipe.Pictures == "" || f.Output == recipe.Pictures)
	})
	if i < 0 {
		return nil
	}
	f := files[i]
	pictures := &Pictures{
		Output: f.Output, Passes: f.Passes, Encoding: f.Encoding, Size: f.Size, PixelAspect: r.Spec.PixelAspect,
		Depth: r.Plan.DepthOf(r.Spec),
	}
	for n := range frames.All() {
		path := f.Path.Frame(n)
		at := slices.IndexFunc(r.Frames[n].Files, func(f RecordedFile) bool { return f.Path == path })
		if at >= 0 {
			pictures.Files = append(pictures.Files, Picture{r.Frames[n].Files[at], n, r.Spec.Label(n), nil})
		}
	}
	if len(pictures.Files) == 0 {
		return nil
	}
	return pictures
}

// role orders files by what they are for.
func role(f plan.FileSequence) int {
	return slices.Index([]output.Role{output.Master, output.Review, output.Proxy}, f.Role)
}

// plan settles what is made, and how its files are called.
func (d *Delivery) plan(p production.Production) {
	if d.Recipe.Contact.On {
		d.planContactSheet()
	}
	if d.Recipe.Sprites.On {
		d.planSpriteSheets()
	}
	if d.Recipe.Movie.On {
		d.planMovies(p)
	}
	if d.Recipe.Page {
		d.planPage()
	}
}

func (d *Delivery) planContactSheet() {
	sheet, shown := d.ContactSheet()
	switch {
	case len(shown) > contact.MostCells:
		d.find(true, "", "its contact sheet would have %d pictures, and %d are possible; show fewer frames", len(shown),
			contact.MostCells)
	case len(shown) > 0:
		d.produce(ContactSheet, sheet.Files("contact_sheet"), sheet, shown)
	}
}

// produce adds a product, which is made from some values and from the pictures of all parts.
func (d *Delivery) produce(kind ProductKind, files []string, from ...any) {
	sum := sha256.New()
	encoder := json.NewEncoder(sum)
	for _, v := range append(from, d.Viewing, d.LUTs) {
		encoder.Encode(v) // which are plain values
	}
	for _, p := range d.Parts {
		encoder.Encode(p.Pictures)
	}
	d.Products = append(d.Products, Product{kind, files, hex.EncodeToString(sum.Sum(nil))})
}

// A Shown is a picture of a contact sheet: a file of a part, by its place.
type Shown struct{ Part, File int }

// ContactSheet returns the contact sheet, and what each of its cells shows.
func (d Delivery) ContactSheet() (contact.Sheet, []Shown) {
	var cells []contact.Cell
	var shown []Shown
	var shots, sizes []string
	for i, p := range d.Parts {
		if p.Pictures == nil {
			continue
		}
		row, column := placeIn(&shots, p.Shot+" "+p.View), placeIn(&sizes, p.Size)
		for _, at := range d.Recipe.Contact.Of(len(p.Pictures.Files)) {
			of := p.Pictures.Files[at]
			shown = append(shown, Shown{i, at})
			facts := fmt.Sprintf("frame %d", of.Frame)
			if of.Label != "" {
				facts += ", " + of.Label
			}
			facts += fmt.Sprintf(" · v%03d · %s, %s", p.Version, p.View, p.Pixels)
			cells = append(cells, contact.Cell{
				Title: p.Shot + " " + p.ShotName, Facts: facts, Aspect: p.Pictures.Aspect(), Row: row, Column: column,
			})
		}
	}
	return contact.Lay(d.Recipe.Contact, d.Title+": "+d.Recipe.Name, cells), shown
}

// placeIn returns the place of a name in a list, to which it is added if it is not there.
func placeIn(all *[]string, name string) int {
	i := slices.Index(*all, name)
	if i < 0 {
		i = len(*all)
		*all = append(*all, name)
	}
	return i
}
