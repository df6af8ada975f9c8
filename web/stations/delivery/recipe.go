package delivery

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/contact"
	"reelhouse/core/delivery"
	"reelhouse/core/edit"
	"reelhouse/core/frame"
	"reelhouse/core/mhl"
	"reelhouse/core/movie"
	"reelhouse/core/pass"
	"reelhouse/core/preset"
	"reelhouse/core/production"
	"reelhouse/core/sprite"
	"reelhouse/house"
	"reelhouse/store"
	"reelhouse/web/kit"
)

// A deliveryPage is what the station shows.
type deliveryPage struct {
	Recipes []shownRecipe
	Add     []kit.Action
	Open    *openRecipe // nil for none
	Sent    sentList
}

// A shownRecipe is a recipe in the list.
type shownRecipe struct {
	production.Delivery
	Opened bool
	Last   *sentDelivery // of it; nil for none
}

// An openRecipe is a recipe with what it hands on.
type openRecipe struct {
	production.Delivery
	Groups   []kit.Group
	Shots    kit.Ticks
	Sizes    kit.Ticks
	Made     kit.Ticks // only if the production has mattes or grades
	Outputs  kit.Ticks
	Remove   kit.Action
	Plan     delivery.Delivery
	Fault    string // why it cannot be planned
	Parts    []shownPart
	More     int // parts that are not shown
	Products []shownProduct
	Presets  kit.PresetsPage
	Former   int // number of the delivery before; 0 for none
	Changes  delivery.Changes
	Deliver  *kit.Action // nil if it is refused
	OnlyNew  *kit.Action // nil if there is nothing to leave out
	Refusals int
	// DeliverWrong is why it was not delivered when somebody wanted it.
	DeliverWrong string
}

// Along returns the names of the small files that go along.
func (o openRecipe) Along() []string {
	var all []string
	for _, a := range o.Plan.Attached {
		all = append(all, a.Name)
	}
	return all
}

// A shownPart is what a recipe has of one rendering.
type shownPart struct {
	delivery.Part
	Picture string // address of a small picture, "" for none
	Files   int
	Bytes   int64
	Wrong   []delivery.Finding
}

// A shownProduct is something that is made.
type shownProduct struct {
	Kind   delivery.ProductKind
	Named  []string
	Others int // files that are not named: single pictures
}

// productsOf returns what is made of a plan.
func productsOf(plan delivery.Delivery) (all []shownProduct) {
	for _, p := range plan.Products {
		s := shownProduct{Kind: p.Kind}
		for _, name := range p.Files {
			if strings.Count(name, "/") > 1 {
				s.Others++
			} else {
				s.Named = append(s.Named, name)
			}
		}
		all = append(all, s)
	}
	return all
}

// mostParts is how many parts are shown; the manifest has all.
const mostParts = 200

var (
	formNames = map[production.Form]string{
		production.InFolder: "a folder", production.InZip: "one zip file", production.InTar: "one tar file",
	}
	choiceNames = map[contact.Choice]string{
		contact.Middle: "middle of each", contact.Three: "first, middle, last", contact.Every: "every nth",
		contact.Sizes: "shots by sizes",
	}
	paperNames = map[contact.Paper]string{
		contact.A4: "A4", contact.A3: "A3", contact.Letter: "Letter", contact.Screen: "screen, 1920 × 1080",
		contact.Pixels: "custom size",
	}
	cameraNames  = map[string]string{"": "none", "gltf": "glTF, binary", "usda": "OpenUSD, text"}
	cutNames     = map[string]string{"": "none", "otio": "OpenTimelineIO", "edl": "CMX 3600 EDL"}
	subjectNames = map[movie.Subject]string{
		movie.Each: "each sequence", movie.Joined: "all, one after another", movie.OfCut: "the cut",
		movie.Turn: "a turnaround of views",
	}
	poseNames    = map[sprite.Choice]string{sprite.All: "every frame", sprite.Labelled: "labelled frames"}
	packingNames = map[sprite.Packing]string{
		sprite.Rows: "one row per pose", sprite.Grid: "grid", sprite.Tight: "tight",
	}
	pivotNames = map[sprite.Pivot]string{
		sprite.Subject: "subject of the ring", sprite.Origin: "scene origin",
	}
	formatNames = map[contact.Format]string{
		contact.PDF: "PDF", contact.PNG: "PNG, per page", contact.JPEG: "JPEG, per page",
	}
)

// fill shows the recipes, one of them with what it hands on, and what was handed on.
func (a *page) fill(v *kit.View) error {
	sent, err := a.sentOf(v.Production.Code)
	if err != nil {
		return err
	}
	page := deliveryPage{Sent: sent}
	for _, b := range beginnings {
		page.Add = append(page.Add, v.Post("add-"+b.kind, "+ "+b.add.Title, b.title, "recipe", "kind", b.kind))
	}
	open := v.Open
	if _, ok := v.Production.FindDelivery(open); !ok && len(v.Production.Deliveries) > 0 {
		open = v.Production.Deliveries[0].Code
	}
	for _, d := range v.Production.Deliveries {
		row := shownRecipe{Delivery: d, Opened: d.Code == open}
		if i := slices.IndexFunc(sent.All, func(s sentDelivery) bool {
			return strings.EqualFold(s.Recipe, d.Code)
		}); i >= 0 {
			row.Last = &sent.All[i]
		}
		page.Recipes = append(page.Recipes, row)
		if row.Opened {
			if page.Open, err = a.openRecipe(v, d); err != nil {
				return err
			}
		}
	}
	v.Page = page
	return nil
}

// A beginning is what a recipe begins with.
type beginning struct {
	kind, title string
	add         edit.AddDelivery
}

// beginnings are all of them, as they are offered.
var beginnings = []beginning{
	{"good", "A recipe of every frame that is good", edit.AddDelivery{Title: "Good files"}},
	{"approved", "A recipe of every frame that is approved", edit.AddDelivery{Title: "Approved files", Approved: true}},
	{"review", "A recipe of a stamped movie of each sequence, with a contact sheet", edit.AddDelivery{
		Title: "Movie and contact sheet", Review: true,
	}},
	{"cut", "A recipe of a movie of the cut, with its sound", edit.AddDelivery{Title: "Movie of the cut", Cut: true}},
	{"contact", "A recipe of a contact sheet alone", edit.AddDelivery{Title: "Contact sheet", Contact: true}},
	{"sprites", "A recipe of a sprite sheet alone", edit.AddDelivery{Title: "Sprite sheet", Sprites: true}},
}

// add adds a recipe, and opens it.
func (a *page) add(c *echo.Context) error {
	i := slices.IndexFunc(beginnings, func(b beginning) bool { return b.kind == c.FormValue("kind") })
	if i < 0 {
		return echo.NewHTTPError(
			http.StatusBadRequest,
			"There is no recipe that begins like that; load the page again.",
		)
	}
	command := beginnings[i].add
	_, p, err := a.House.Do(c.Param("code"), house.Editing{By: kit.Author(c), Seen: store.Any}, command)
	var m *edit.Mistake
	if errors.As(err, &m) {
		return echo.NewHTTPError(http.StatusBadRequest, kit.Capital(m.Message)+".")
	} else if err != nil {
		return err
	}
	a.Changes.Changed()
	return a.Update(c, kit.Answer{
		Production: p, Station: key, Notice: "Saved: " + edit.Summary(command) + ".",
		Open: p.Deliveries[len(p.Deliveries)-1].Code,
	})
}

// openRecipe plans a recipe.
func (a *page) openRecipe(v *kit.View, d production.Delivery) (*openRecipe, error) {
	o := &openRecipe{Delivery: d, DeliverWrong: v.Part("delivery", d.Code).Wrong("deliver")}
	a.fields(v, o)
	var err error
	v.Against = v.Query("against")
	if o.Presets, err = a.PresetsPage(v, preset.Delivery, v.Against, d.Code); err != nil {
		return nil, err
	}
	plan, err := a.House.PlanDelivery(v.Production.Production, d.Code)
	if err != nil {
		o.Fault = err.Error()
		return o, nil
	}
	o.Plan = plan
	former, before, known, err := a.House.FormerDelivery(v.Production.Code, d.Code)
	if err != nil {
		return nil, err
	}
	if known {
		o.Former, o.Changes = former.Number, delivery.Compare(before.Contents(), plan.Contents())
	}
	o.Parts, o.Products = partsOf(v, plan), productsOf(plan)
	if over := len(o.Parts) - mostParts; over > 0 {
		o.Parts, o.More = o.Parts[:mostParts], over
	}
	for _, f := range plan.Findings {
		o.Refusals += kit.OneIf(f.Refuses)
	}
	if plan.Refused() {
		return o, nil
	}
	deliver := v.Post("deliver", "Deliver", "Freeze it as it is now, and hand it on", "deliver", "recipe", d.Code).
		Main()
	o.Deliver = &deliver
	if changed := len(o.Changes.Added) + len(o.Changes.Changed); known && changed > 0 && o.Changes.Same > 0 {
		only := v.Post(
			"deliver-changes",
			"Deliver only what changed",
			"Only files that are new, or other ones than in the delivery before",
			"deliver",
			"recipe",
			d.Code,
			"only",
			"1",
		)
		o.OnlyNew = &only
	}
	return o, nil
}

// partsOf returns what a plan has of each rendering, with what is wrong with it.
func partsOf(v *kit.View, d delivery.Delivery) []shownPart {
	all := make([]shownPart, len(d.Parts))
	for i, p := range d.Parts {
		all[i].Part = p
		if good := p.Frames.Minus(p.Missing); !good.Empty() {
			shown := pass.Beauty
			if strings.HasPrefix(p.Made, production.MatteMade) {
				shown = pass.Code(p.Made)
			}
			all[i].Picture = v.Path(
				fmt.Sprintf("screen/%d/%d/play/%s", p.Rendering, middle(good.Count(), good.At), shown),
			)
		}
		for _, f := range d.Findings {
			if f.Part == p.Title() {
				all[i].Wrong = append(all[i].Wrong, f)
			}
		}
	}
	for _, f := range d.Files {
		all[f.Part].Files++
		if f.Form == 0 { // the size of others is not known before
			all[f.Part].Bytes += f.Bytes
		}
	}
	return all
}

// middle returns the number in the middle of some.
func middle(count int, at func(i int) int) int { return at((count - 1) / 2) }

// fields are what of a recipe is edited.
func (a *page) fields(v *kit.View, o *openRecipe) {
	d, part := o.Delivery, v.Part("delivery", o.Code)
	p := v.Production.Production
	first := ""
	if d.First != nil {
		first = fmt.Sprint(*d.First)
	}
	rate := ""
	if d.Rate != (frame.Rate{}) {
		rate = strings.TrimSuffix(d.Rate.String(), " fps")
	}
	var destinations []kit.Option
	for _, at := range a.House.Destinations() {
		destinations = append(destinations, kit.Option{Value: at.Code, Text: cmp.Or(at.Name, at.Code)})
	}
	if !slices.ContainsFunc(destinations, func(o kit.Option) bool { return o.Value == d.To }) {
		destinations = append(destinations, kit.Option{Value: d.To, Text: d.To + " (not configured)"})
	}
	var outputs, sizes, shots []string
	for _, o := range p.Outputs {
		outputs = append(outputs, o.Code)
	}
	for _, s := range p.Sizes {
		sizes = append(sizes, s.Code)
	}
	for _, s := range p.Shots {
		shots = append(shots, s.Code)
	}
	o.Shots = part.Ticks("shots", "Shots", kit.Choices(shots, d.Shots))
	o.Sizes = part.Ticks("sizes", "Sizes", kit.Choices(sizes, d.Sizes))
	o.Outputs = part.Ticks("outputs", "Outputs", kit.Choices(outputs, d.Outputs))
	if makings := p.Makings(); len(makings) > 0 || len(d.Made) > 0 {
		for _, made := range d.Made {
			if made != production.Rendered && !slices.Contains(makings, made) { // it was removed
				makings = append(makings, made)
			}
		}
		o.Made = part.Ticks("made", "Pictures", kit.Choices(append([]string{production.Rendered}, makings...), d.Made))
	}
	o.Remove = part.Action("remove", "Remove", "Remove this recipe; what was handed on by it stays on record")
	encodings := []kit.Option{{Value: "", Text: "as rendered"}}
	for _, o := range kit.Codes(outputs, d.As) {
		encodings = append(encodings, kit.Option{Value: o.Value, Text: "as output " + o.Text})
	}
	hashes := kit.Options(mhl.Formats(), func(f mhl.Format) string { return string(f) })
	o.Groups = []kit.Group{
		{Name: "Recipe", Fields: []kit.Field{
			part.Field("code", "Code", d.Code).Mono(0), part.Field("name", "Name", d.Name),
			part.Field("for", "For", d.For).Or("editor, client, archive"),
			part.Tick("approved", "Approved frames only", d.Approved),
			part.Tick("ownFrames", "Without handles", d.OwnFrames),
			part.Tick("files", "Files of frames", !d.NoFiles),
		}},
		{Name: "Beside the files", Fields: []kit.Field{
			part.Tick("page", "Page for the web", d.Page),
			part.Tick("layers", "List of layers", d.Layers),
			part.Field("cameras", "Cameras", d.Cameras).Among(words(production.CameraFiles(), cameraNames)),
			part.Field("cut", "Cut", d.Cut).Among(words(production.CutFiles(), cutNames)),
		}},
		{Name: "Form", Fields: []kit.Field{
			part.Field("to", "Destination", d.To).Among(destinations),
			part.Field("form", "Packed as", d.Form).
				Among(kit.Options(production.Forms(), func(f production.Form) string {
					return formNames[f]
				})),
			part.Field("as", "Encoding", d.As).Among(encodings),
			part.Field("hash", "Hash", d.Hash).Among(hashes),
			part.Field("pattern", "Name pattern", d.Pattern).Mono(0).Or("names as they are"),
			part.Field("first", "First frame", first).Number(0).Or("as it is"),
			part.Field("rate", "Retimed to, fps", rate).Number(0).Or("as it is"),
		}},
		movieGroup(part, d, sizes), contactGroup(part, d), spriteGroup(part, d),
	}
	if d.Sprites.On {
		o.Groups = append(o.Groups, cellGroup(part, d.Sprites))
	}
	if d.As != "" {
		o.Groups[1].Fields = append(o.Groups[1].Fields, part.Field("leader", "Leader, frames", d.Leader).Number(0))
	}
	if d.Makes() {
		pictures := append([]kit.Option{{Value: "", Text: "automatic"}}, kit.Codes(outputs, d.Pictures)...)
		o.Groups[2].Fields = append(
			o.Groups[2].Fields, part.Field("pictures", "Pictures from", d.Pictures).Among(pictures),
		)
	}
}

// contactGroup are the fields of the contact sheet.
func contactGroup(part kit.Part, d production.Delivery) kit.Group {
	g := kit.Group{Name: "Contact sheet", Fields: []kit.Field{part.Tick("contact", "Contact sheet", d.Contact.On)}}
	if !d.Contact.On {
		return g
	}
	columns := ""
	if d.Contact.Columns > 0 {
		columns = fmt.Sprint(d.Contact.Columns)
	}
	g.Fields = append(g.Fields,
		part.Field("contactFrames", "Frames", d.Contact.Frames).Among(
			kit.Options(contact.Choices(), func(c contact.Choice) string { return choiceNames[c] }),
		),
	)
	if d.Contact.Frames == contact.Every {
		g.Fields = append(g.Fields, part.Field("contactNth", "n", d.Contact.Nth).Number(0))
	}
	if d.Contact.Frames != contact.Sizes {
		g.Fields = append(g.Fields, part.Field("contactColumns", "Columns", columns).Number(0).Or("automatic"))
	}
	if d.Contact.Paper == contact.Pixels {
		g.Fields = append(g.Fields,
			part.Field("contactWidth", "Width, px", d.Contact.Width).Number(0),
			part.Field("contactHeight", "Height, px", d.Contact.Height).Number(0),
		)
	}
	g.Fields = append(g.Fields,
		part.Field("contactPaper", "Page", d.Contact.Paper).Among(
			kit.Options(contact.Papers(), func(p contact.Paper) string { return paperNames[p] }),
		),
		part.Field("contactFormat", "File", d.Contact.Format).Among(
			kit.Options(contact.Formats(), func(f contact.Format) string { return formatNames[f] }),
		),
	)
	return g
}

// words returns values as options, by what they are called.
func words(values []string, names map[string]string) []kit.Option {
	return kit.Options(values, func(v string) string { return names[v] })
}

// movieGroup are the fields of movies.
func movieGroup(part kit.Part, d production.Delivery, sizes []string) kit.Group {
	s := d.Movie
	g := kit.Group{Name: "Movie", Fields: []kit.Field{part.Tick("movie", "Movie", s.On)}}
	if !s.On {
		return g
	}
	high := ""
	if s.Height > 0 {
		high = fmt.Sprint(s.Height)
	}
	g.Fields = append(g.Fields,
		part.Field("movieOf", "Of", s.Of).Among(
			kit.Options(movie.Subjects(), func(o movie.Subject) string { return subjectNames[o] }),
		),
		part.Field("movieCodec", "Codec", s.Codec).Among(
			kit.Options(movie.Codecs(), func(c movie.Codec) string { return c.Kind().Name }),
		),
		part.Field("movieHeight", "Height, px", high).Number(0).Or("as the pictures"),
	)
	if s.Of == movie.OfCut {
		common := append([]kit.Option{{Value: "", Text: "as most pictures"}}, kit.Codes(sizes, s.Size)...)
		g.Fields = append(g.Fields, part.Field("movieSize", "Size", s.Size).Among(common))
		if s.Codec.Kind().Sound {
			g.Fields = append(g.Fields, part.Tick("movieSound", "Sound of the cut", s.Sound))
		}
	}
	if s.Codec.Kind().Alpha {
		g.Fields = append(g.Fields, part.Tick("movieAlpha", "Alpha", s.Alpha))
		if s.Alpha {
			g.Fields = append(g.Fields, part.Tick("moviePremultiplied", "Premultiplied", s.Premultiplied))
		}
	}
	g.Fields = append(g.Fields,
		part.Tick("movieStamp", "Stamp", s.Stamp), part.Tick("movieSlate", "Slate, a second", s.Slate),
		part.Tick("movieHold", "Hold missing frames", s.Hold),
	)
	return g
}

// spriteGroup are the fields of the sprite sheet.
func spriteGroup(part kit.Part, d production.Delivery) kit.Group {
	s := d.Sprites
	g := kit.Group{Name: "Sprite sheet", Fields: []kit.Field{part.Tick("sprites", "Sprite sheet", s.On)}}
	if !s.On {
		return g
	}
	high := ""
	if s.Height > 0 {
		high = fmt.Sprint(s.Height)
	}
	g.Fields = append(g.Fields,
		part.Field("spriteFrames", "Poses", s.Frames).Among(
			kit.Options(sprite.Choices(), func(c sprite.Choice) string { return poseNames[c] }),
		),
		part.Field("spriteHeight", "Cell height, px", high).Number(0).Or("as the file"),
		part.Field("spritePacking", "Packing", s.Packing).Among(
			kit.Options(sprite.Packings(), func(p sprite.Packing) string { return packingNames[p] }),
		),
		part.Field("spritePivot", "Pivot", s.Pivot).Among(
			kit.Options(sprite.Pivots(), func(p sprite.Pivot) string { return pivotNames[p] }),
		),
	)
	return g
}

// cellGroup are the fields of the cells of a sprite sheet.
func cellGroup(part kit.Part, s sprite.Settings) kit.Group {
	return kit.Group{Name: "Cells of the sprite sheet", Fields: []kit.Field{
		part.Tick("spriteTrim", "Trimmed cells", s.Trim),
		part.Field("spriteMargin", "Margin, px", s.Margin).Number(0),
		part.Field("spriteExtrude", "Extrusion, px", s.Extrude).Number(0),
		part.Tick("spritePower", "Powers of two", s.PowerOfTwo),
	}}
}
