package web

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/floorplan"
	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/viewsheet"
	"reelhouse/house"
	"reelhouse/preview"
)

// shownView is a view with what its camera sees.
type shownView struct {
	production.View
	Found       bool
	Across, Up  float64 // degrees
	Focal       float64 // millimetres, 0 for an orthographic camera
	Height      float64 // metres that an orthographic camera sees
	MiddleFrame int
	UsedBy      string
	LookName    string
	Facts       []viewsheet.Fact // none of a working view
}

// Fact returns what a column of the view sheet has of the view.
func (w shownView) Fact(column string) viewsheet.Fact {
	if i := slices.Index(viewsheet.Columns(), column); i >= 0 && i < len(w.Facts) {
		return w.Facts[i]
	}
	return viewsheet.Fact{}
}

func (a *app) shownViews(v *view) ([]shownView, []string) {
	s, err := a.House.Assets.Scene(v.Production.Scene)
	var cameras []string
	if err == nil {
		cameras = house.CameraNames(s)
	}
	var shown []shownView
	for _, w := range v.Production.Views {
		out := shownView{View: w, MiddleFrame: v.Production.FirstFrame}
		if l, ok := v.Production.FindLook(w.Look); ok {
			out.LookName = l.Name
		}
		if err == nil {
			if i := s.FindCamera(w.Camera); i != scene.None {
				c := s.Cameras[s.Nodes[i].Camera]
				seen := w.Setup.Of(geom.Identity(), c).Camera
				angles := lens.AnglesOf(seen.Up, seen.Aspect)
				out.Found, out.Across, out.Up, out.Focal, out.Height = true, lens.Degrees(angles.Across), lens.Degrees(
					angles.Up,
				), w.Setup.FocalOf(c), seen.Height
				out.MiddleFrame = (v.Production.FirstFrame + house.LastFrame(v.Production.Production, s)) / 2
			}
		}
		var used []string
		for _, shot := range v.Production.Shots {
			if shot.Shows(w.Code) || w.Rig != "" && shot.Shows(w.Rig) {
				used = append(used, shot.Code)
				out.MiddleFrame = shot.Frames.At(shot.Frames.Count() / 2)
			}
		}
		out.UsedBy = strings.Join(used, ", ")
		shown = append(shown, out)
	}
	return shown, cameras
}

// usualSize is the shape that a view is shown in when no size is asked for.
var usualSize = raster.Named{Size: raster.Size{Width: 1920, Height: 1080}}

type viewsPage struct {
	Views    []shownView
	Cameras  []string
	Looks    []laidLook
	Open     *openView
	Look     *openLook
	Sheet    viewsheet.Sheet
	Columns  []string
	Working  []shownView
	Pictures bool     // the views are shown as large pictures, not as a sheet
	Objects  []string // that a ring may stand round, and a camera may be aimed at
	Around   []laidEnvironment
	Opaque   bool // nothing can be set up; the scene is read by its own renderer only
}

// A laidEnvironment is an environment with the looks that have it.
type laidEnvironment struct {
	production.EnvironmentFile
	UsedBy string
}

// An openView is a view that is being set up.
type openView struct {
	shownView
	Frame         int
	Stand         camera.Stand
	Own           bool // it stands where the view says, not as in the scene
	Moves         bool
	Back          float64
	Sharp         string // from where to where, in words
	Plan          floorplan.Plan
	Sides         []option
	Whole         string // "1" if the plan shows the whole scene
	Size          raster.Named
	Sizes         []option
	Crops         []crop
	Horizon       []floorplan.Point // two points, in percent of the picture; none if it is not in it
	Text          float64           // height of letters on the plan, in metres
	Radius        float64           // of a camera's mark, likewise
	Steps         int               // in which its picture sharpens
	Backs         []lens.Back
	Exposed       string    // how bright its picture is taken, in words
	Before, After string    // codes of the views beside it
	Beside        [3]string // views that are shown with it, "" for none
	Others        []option  // that can be
	Dolly         float64   // metres ahead, of what is to stay as large
}

// A crop is what another size shows of the picture, in percent.
type crop struct {
	Code       string
	X, Y, W, H float64
}

// usualFocus is where a lens is focused that was given an f-number only, in metres.
const usualFocus = 5

// previewEdge is the longer edge of the picture of an open view, in pixels.
const previewEdge = 480

var sideNames = map[floorplan.Side]string{
	floorplan.Above: "from above", floorplan.South: "from the south", floorplan.East: "from the east",
}

func fillViews(a *app, v *view) error {
	views, cameras := a.shownViews(v)
	p := v.Production.Production
	page := &viewsPage{
		Cameras:  cameras,
		Looks:    laidLooks(p),
		Pictures: v.query("as") == "pictures",
		Opaque:   p.Scene.Opaque != nil,
	}
	for _, e := range p.Environments {
		laid := laidEnvironment{EnvironmentFile: e}
		for _, l := range p.Looks {
			if l.Environment.Map == e.Code {
				laid.UsedBy = strings.TrimPrefix(laid.UsedBy+", "+l.Code, ", ")
			}
		}
		page.Around = append(page.Around, laid)
	}
	v.Page = page
	s, err := a.House.Assets.Scene(p.Scene)
	if err != nil {
		s = nil
	}
	page.Sheet = viewsheet.Of(p, s)
	for _, w := range views {
		if w.Working {
			page.Working = append(page.Working, w)
		} else {
			w.Facts = page.Sheet.Rows[len(page.Views)].Facts // in the same order
			page.Views = append(page.Views, w)
		}
	}
	if err != nil {
		return nil // without a scene, or with a broken one, there is nothing to set up; the Scenes station says why
	}
	page.Objects = subjects(s)
	if i := slices.IndexFunc(page.Looks, func(l laidLook) bool { return l.Code == v.query("look") }); i >= 0 {
		page.Look = openedLook(p, page.Looks[i], s)
	}
	if i := slices.IndexFunc(views, func(w shownView) bool { return w.Code == v.Open }); i >= 0 && views[i].Found &&
		!page.Opaque {
		page.Open = openedView(v, views[i], s)
		page.Open.neighbours(v, views)
	}
	return nil
}

// neighbours finds the views before and after the open one, and those that are shown beside it.
func (o *openView) neighbours(v *view, views []shownView) {
	views = slices.DeleteFunc(slices.Clone(views), func(w shownView) bool { return !w.Found })
	for i, w := range views {
		if w.Code != o.Code {
			o.Others = append(o.Others, option{w.Code, w.Name})
			continue
		}
		o.Before, o.After = views[(i+len(views)-1)%len(views)].Code, views[(i+1)%len(views)].Code
	}
	for i, name := range []string{"beside1", "beside2", "beside3"} {
		if code := v.query(name); slices.ContainsFunc(
			o.Others,
			func(other option) bool { return other.Value == code },
		) {
			o.Beside[i] = code
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

func openedView(v *view, shown shownView, s *scene.Scene) *openView {
	p := v.Production.Production
	o := &openView{
		shownView: shown,
		Frame:     shown.MiddleFrame,
		Whole:     whole(v.query("all")),
		Back:      shown.Setup.BackWidth(),
		Own:       shown.Setup.Stand != nil,
	}
	if n, err := strconv.Atoi(v.query("frame")); err == nil {
		o.Frame = n
	}
	o.Size = usualSize
	if size, ok := p.FindSize(v.query("size")); ok {
		o.Size = size
	} else if len(p.Sizes) > 0 {
		o.Size = p.Sizes[0]
	}
	for _, size := range p.Sizes {
		o.Sizes = append(o.Sizes, option{size.Code, size.Name})
	}
	seconds := p.Rate.Seconds(o.Frame, p.FirstFrame)
	node := s.FindCamera(shown.Camera)
	now := shown.Setup.Of(s.At(seconds).World[node], s.Cameras[s.Nodes[node].Camera])
	o.Stand, o.Moves = camera.StandOf(now.Pose), s.Moving()[node]
	for _, v := range []*float64{&o.Stand.Position.X, &o.Stand.Position.Y, &o.Stand.Position.Z, &o.Stand.Heading,
		&o.Stand.Tilt, &o.Stand.Roll} {
		*v = math.Round(*v*1000)/1000 + 0 // no negative zero
	}
	if near, far, limited := shown.Setup.Sharpness(s.Cameras[s.Nodes[node].Camera]); limited {
		o.Sharp = fmt.Sprintf("Sharp from %s to %s.", scene.Length(near), scene.Length(far))
		if math.IsInf(far, 1) {
			o.Sharp = fmt.Sprintf("Sharp from %s on, without an end.", scene.Length(near))
		}
	}
	side := floorplan.Side(v.query("side"))
	if !slices.Contains(floorplan.Sides(), side) {
		side = floorplan.Above
	}
	for _, other := range floorplan.Sides() {
		o.Sides = append(o.Sides, option{string(other), sideNames[other]})
	}
	var eyes []floorplan.Eye
	for _, w := range p.Views {
		eyes = append(
			eyes,
			floorplan.Eye{
				Code:        w.Code,
				Camera:      w.Camera,
				Setup:       w.Setup,
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
		return boolean(a.Code == shown.Code) - boolean(b.Code == shown.Code)
	})
	o.Text, o.Radius = o.Plan.Wide/48, o.Plan.Wide/64
	o.Steps, o.Backs, o.Dolly = len(preview.Steps()), lens.Backs(), shown.Setup.Focus
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

func boolean(b bool) int {
	if b {
		return 1
	}
	return 0
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
