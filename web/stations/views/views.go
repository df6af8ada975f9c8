package views

import (
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"

	"reelhouse/core/camera"
	"reelhouse/core/floorplan"
	"reelhouse/core/geom"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/viewsheet"
	"reelhouse/house"
	"reelhouse/preview"
	"reelhouse/web/kit"
)

type viewsPage struct {
	Views    []viewCard
	Looks    []laidLook
	Open     *openView
	Look     *openLook
	Sheet    viewsheet.Sheet
	Working  []viewCard
	Added    []kit.Action // new views, one of each camera
	First    string       // the first view, to step through all; "" for none
	Rigs     []shownRig
	AddRigs  []kit.Action
	WrongRig string
	Pictures bool // the views are shown as large pictures, not as a sheet
	Opaque   bool // nothing can be set up; the scene is read by its own renderer only

	Environments []laidEnvironment
}

// An openView is a view that is being set up.
type openView struct {
	kit.ShownView
	Frame         int
	Stand         camera.Stand
	Cameras       []string        // of the scene
	Objects       []string        // of the scene, that can be aimed at
	InSize        production.View // as it is in the size that is shown
	Own           bool            // it stands or moves as the view says, not as in the scene
	Moves         bool
	Back          float64
	Sharp         string // from where to where, in words
	Plan          floorplan.Plan
	Sides         []kit.Option
	Whole         string // "1" if the plan shows the whole scene
	Size          raster.Named
	Sizes         []kit.Option
	Crops         []crop
	Horizon       []floorplan.Point // two points, in percent of the picture; none if it is not in it
	Text          float64           // height of letters on the plan, in metres
	Radius        float64           // of a camera's mark, likewise
	Steps         int               // in which its picture sharpens
	Exposed       string            // how bright its picture is taken, in words
	Before, After string            // codes of the views beside it
	ComparedWith  [3]string         // views that are shown with it, "" for none
	Others        []kit.Option      // that can be
	Dolly         float64           // metres ahead, of what is to stay as large
	SetUp         setUp
	Production    string // code
	Revision      int
}

// A crop is what another size shows of the picture, in percent.
type crop struct {
	Code       string
	X, Y, W, H float64
}

// usualFocus is where a lens is focused that was given an f-number only, in metres.
const usualFocus = 5

// fill shows the view sheet, working views, rigs, looks and environments, and what is open of them.
func (a *page) fill(v *kit.View) error {
	views, cameras := a.ShownViews(v)
	p := v.Production.Production
	page := &viewsPage{
		Looks:        laidLooks(v),
		Pictures:     v.Query("as") == "pictures",
		Opaque:       p.Scene.Opaque != nil,
		Environments: laidEnvironments(v),
	}
	v.Page = page
	s, err := a.House.Assets.Scene(p.Scene)
	if err != nil {
		s = nil
	}
	page.Sheet = viewsheet.Of(p, s)
	var looks []kit.Option
	for _, l := range p.Looks {
		looks = append(looks, kit.Option{Value: l.Code, Text: l.Name})
	}
	for _, w := range views {
		card := cardOf(v, w, cameras, looks, page.Opaque)
		if w.Working {
			page.Working = append(page.Working, card)
			continue
		}
		card.Facts = page.Sheet.Rows[len(page.Views)].Facts // in the same order
		page.Views = append(page.Views, card)
	}
	for _, c := range cameras {
		add := v.Part("view", "").Action("add", c, "Add a view of this camera")
		page.Added = append(page.Added, add.With(c))
	}
	if err == nil && !page.Opaque {
		add := v.Part("view", "").Action("add", "a camera of its own", "Set it up on the plan; the scene needs none")
		page.Added = append(page.Added, add.Telling("value", ""))
	}
	if err != nil {
		return nil // without a scene, or with a broken one, there is nothing to set up; the Scenes station says why
	}
	objects := subjects(s)
	if !page.Opaque {
		page.rigs(v, cameras, objects, looks)
	}
	if i := slices.IndexFunc(page.Looks, func(l laidLook) bool { return l.Code == v.Query("look") }); i >= 0 {
		page.Looks[i].Opened = true
		page.Look = openedLook(v, page.Looks[i], s)
	}
	i := slices.IndexFunc(views, func(w kit.ShownView) bool { return w.Code == v.Open })
	if i >= 0 && views[i].Found && !page.Opaque {
		page.Open = openedView(v, views[i], s)
		page.Open.neighbours(v, views)
		page.Open.Cameras, page.Open.Objects = cameras, objects
		renderers, err := a.House.RendererNames()
		if err != nil {
			return err
		}
		page.Open.SetUp = page.Open.setUpFields(v, objects, looks, renderers)
	} else if len(page.Views) > 0 && !page.Opaque {
		page.First = page.Views[0].Code
	}
	return nil
}

// neighbours finds the views before and after the open one, and those that are shown beside it.
func (o *openView) neighbours(v *kit.View, views []kit.ShownView) {
	views = slices.DeleteFunc(slices.Clone(views), func(w kit.ShownView) bool { return !w.Found })
	for i, w := range views {
		if w.Code != o.Code {
			o.Others = append(o.Others, kit.Option{Value: w.Code, Text: w.Name})
			continue
		}
		o.Before, o.After = views[(i+len(views)-1)%len(views)].Code, views[(i+1)%len(views)].Code
	}
	for i, name := range []string{"beside1", "beside2", "beside3"} {
		if code := v.Query(name); slices.ContainsFunc(
			o.Others,
			func(other kit.Option) bool { return other.Value == code },
		) {
			o.ComparedWith[i] = code
		}
	}
}

// exposure says how bright the picture is taken, and by what.
func (o *openView) exposure(p production.Production) {
	rate, s := p.Rate.PerSecond(), o.Setup
	gain, own := s.Gain(rate)
	if l, ok := p.FindLook(o.Look); !own && ok {
		gain = l.Gain()
	}
	o.Exposed = fmt.Sprintf("Light is multiplied by %.3g.", gain)
	if s.FNumber > 0 && s.ISO > 0 {
		o.Exposed += fmt.Sprintf(
			" f/%.3g, 1/%.3g s and ISO %.4g are EV %.1f at ISO 100.", s.FNumber, 1/s.ShutterSeconds(rate), s.ISO,
			camera.ExposureValue(s.FNumber, s.ShutterSeconds(rate), s.ISO),
		)
	}
}

func openedView(v *kit.View, shown kit.ShownView, s *scene.Scene) *openView {
	p := v.Production.Production
	o := &openView{
		ShownView:  shown,
		Production: p.Code,
		Revision:   v.Production.Number,
		Frame:      shown.MiddleFrame,
		Whole:      whole(v.Query("all")),
		Back:       shown.Setup.BackWidth(),
		Own:        shown.Setup.Own(),
	}
	if n, err := strconv.Atoi(v.Query("frame")); err == nil {
		o.Frame = n
	}
	o.Size = kit.UsualSize
	if size, ok := p.FindSize(v.Query("size")); ok {
		o.Size = size
	} else if len(p.Sizes) > 0 {
		o.Size = p.Sizes[0]
	}
	for _, size := range p.Sizes {
		o.Sizes = append(o.Sizes, kit.Option{Value: size.Code, Text: size.Name})
	}
	seconds := p.Rate.Seconds(o.Frame, p.FirstFrame)
	inSize, fit := shown.View.In(o.Size)
	o.Size.Fit = fit
	source, err := camera.SourceOf(s, inSize.Camera)
	if err != nil { // another camera in this size, which is not in the scene
		inSize = shown.View
		source, _ = camera.SourceOf(s, inSize.Camera)
	}
	o.InSize = inSize
	setup := inSize.Setup.At(float64(o.Frame))
	now := setup.Of(source.Pose(s.At(seconds)), source.Optics)
	o.Stand, o.Moves = camera.StandOf(now.Pose), source.Moves(s.Moving())
	for _, v := range []*float64{&o.Stand.Position.X, &o.Stand.Position.Y, &o.Stand.Position.Z, &o.Stand.Heading,
		&o.Stand.Tilt, &o.Stand.Roll} {
		*v = math.Round(*v*1000)/1000 + 0 // no negative zero
	}
	if near, far, limited := setup.Sharpness(source.Optics); limited {
		o.Sharp = fmt.Sprintf("Sharp from %s to %s.", scene.Length(near), scene.Length(far))
		if math.IsInf(far, 1) {
			o.Sharp = fmt.Sprintf("Sharp from %s on, without an end.", scene.Length(near))
		}
	}
	side := floorplan.Side(v.Query("side"))
	if !slices.Contains(floorplan.Sides(), side) {
		side = floorplan.Above
	}
	for _, other := range floorplan.Sides() {
		o.Sides = append(o.Sides, kit.Option{Value: string(other), Text: kit.SideName(other)})
	}
	var eyes []floorplan.Eye
	for _, w := range p.Views {
		if w.Code == shown.Code {
			w = inSize
		}
		eyes = append(
			eyes,
			floorplan.Eye{
				Code:        w.Code,
				Camera:      w.Camera,
				Setup:       w.Setup,
				Frame:       float64(o.Frame),
				Size:        o.Size.Size,
				Fit:         o.Size.Fit,
				PixelAspect: o.Size.Pixel(),
			},
		)
	}
	begin, end := p.Rate.Seconds(p.FirstFrame, p.FirstFrame), p.Rate.Seconds(house.LastFrame(p, s), p.FirstFrame)
	o.Plan = floorplan.Draw(s, side, seconds, begin, end, eyes, o.Whole != "")
	// What is drawn last lies on top.
	slices.SortStableFunc(o.Plan.Eyes, func(a, b floorplan.Seen) int {
		return kit.OneIf(a.Code == shown.Code) - kit.OneIf(b.Code == shown.Code)
	})
	o.Text, o.Radius = o.Plan.Wide/48, o.Plan.Wide/64
	o.Steps, o.Dolly = len(preview.Steps()), shown.Setup.Focus
	if o.Dolly == 0 {
		o.Dolly = usualFocus
	}
	o.exposure(p)
	o.overlays(p, now)
	return o
}

// whole reads whether a form wants the whole scene.
func whole(value string) string {
	if value == "" {
		return ""
	}
	return "1"
}

// overlays finds where other sizes and the horizon lie in the picture.
func (o *openView) overlays(p production.Production, now camera.View) {
	w := now.Window(o.Size.Fit, o.Size.Size, o.Size.Pixel())
	place := func(x, y float64) (float64, float64) {
		return 100 * (x - w.Left) / w.Width(), 100 * (w.Top - y) / w.Height()
	}
	for _, size := range p.Sizes {
		if size.Code == o.Size.Code {
			continue
		}
		if seen, _ := o.View.In(size); seen.Camera != o.InSize.Camera {
			continue // it shows something else
		}
		other := now.Window(size.Fit, size.Size, size.Pixel())
		c := crop{Code: size.Code}
		c.X, c.Y = place(other.Left, other.Top)
		c.W, c.H = 100*other.Width()/w.Width(), 100*other.Height()/w.Height()
		o.Crops = append(o.Crops, c)
	}
	back := now.Pose.Inverse()
	var line []floorplan.Point
	for _, turn := range []float64{-20, 20} { // of two directions at the horizon, to either side
		heading := (o.Stand.Heading + turn) * math.Pi / 180
		d := back.Direction(geom.Vec{X: math.Sin(heading), Z: -math.Cos(heading)})
		if d.Z > -1e-3 {
			return
		}
		x, y := place(d.X/-d.Z, d.Y/-d.Z)
		line = append(line, floorplan.Point{X: x, Y: y})
	}
	slope := (line[1].Y - line[0].Y) / (line[1].X - line[0].X)
	if left := line[0].Y - slope*line[0].X; now.Camera.Height == 0 && !math.IsNaN(slope) && math.Abs(left) < 1e4 {
		o.Horizon = []floorplan.Point{{X: 0, Y: left}, {X: 100, Y: left + 100*slope}}
	}
}

// Ground returns what the plan shows beneath the cameras.
func (o *openView) Ground() kit.PlanGround { return kit.PlanGround{Plan: o.Plan, Text: o.Text} }

// KeyRadius returns the radius of a key's mark on the plan, in metres.
func (o *openView) KeyRadius() float64 { return 0.6 * o.Radius }

// Live returns the address of the picture of a view as the open one is shown, without its view.
func (o *openView) Live(view string) string {
	q := url.Values{
		"size": {o.Size.Code}, "frame": {strconv.Itoa(o.Frame)}, "seen": {strconv.Itoa(o.Revision)}, "view": {view},
	}
	return "/p/" + o.Production + "/preview?" + q.Encode()
}

// Shown returns what every edit of the view tells of what is shown with it, as a JSON object.
func (o *openView) Shown() (string, error) {
	text, err := json.Marshal(map[string]string{
		"frame": strconv.Itoa(o.Frame), "side": string(o.Plan.Side), "size": o.Size.Code, "all": o.Whole,
		"beside1": o.ComparedWith[0], "beside2": o.ComparedWith[1], "beside3": o.ComparedWith[2],
	})
	return string(text), err
}

// Compared reports whether other views are shown with it.
func (o *openView) Compared() bool { return o.ComparedWith != [3]string{} }

// FromAbove reports whether the plan is seen from above.
func (o *openView) FromAbove() bool { return o.Plan.Side == floorplan.Above }

// Lens says what the camera looks through.
func (o *openView) Lens() string {
	switch {
	case o.Setup.Panorama:
		return "panorama"
	case o.Height > 0:
		return "orthographic"
	}
	return fmt.Sprintf("%.1f mm", o.Focal)
}
