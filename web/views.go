package web

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"reelhouse/core/camera"
	"reelhouse/core/floorplan"
	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/house"
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
}

func (a *app) shownViews(v *view) ([]shownView, []string) {
	s, err := a.House.Scene(v.Production.Scene)
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
				out.Found, out.Across, out.Up, out.Focal, out.Height = true, lens.Degrees(angles.Across), lens.Degrees(angles.Up), w.Setup.FocalOf(c), c.Height
				out.MiddleFrame = (v.Production.FirstFrame + house.LastFrame(v.Production.Production, s)) / 2
			}
		}
		var used []string
		for _, shot := range v.Production.Shots {
			if shot.View == w.Code {
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
	Views   []shownView
	Cameras []string
	Looks   []laidLook
	Open    *openView
	Look    *openLook
	Odd     []string // what stands out, in sentences
	Objects []string // that a ring may stand round
}

// An openView is a view that is being set up.
type openView struct {
	shownView
	Frame   int
	Stand   camera.Stand
	Own     bool // it stands where the view says, not as in the scene
	Moves   bool
	Back    float64
	Sharp   string // from where to where, in words
	Plan    floorplan.Plan
	Sides   []option
	Whole   string // "1" if the plan shows the whole scene
	Size    raster.Named
	Sizes   []option
	Edge    int
	Crops   []crop
	Horizon []floorplan.Point // two points, in percent of the picture; none if it is not in it
	Text    float64           // height of letters on the plan, in metres
	Radius  float64           // of a camera's mark, likewise
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

var sideNames = map[floorplan.Side]string{floorplan.Above: "from above", floorplan.South: "from the south", floorplan.East: "from the east"}

func fillViews(a *app, v *view) error {
	views, cameras := a.shownViews(v)
	page := &viewsPage{Views: views, Cameras: cameras}
	page.Looks = laidLooks(v.Production.Production)
	v.Page = page
	s, err := a.House.Scene(v.Production.Scene)
	if err != nil {
		return nil // without a scene, or with a broken one, there is nothing to set up; the Scenes station says why
	}
	page.odd(s)
	page.Objects = subjects(s)
	if i := slices.IndexFunc(page.Looks, func(l laidLook) bool { return l.Code == v.query("look") }); i >= 0 {
		page.Look = openedLook(v.Production.Production, page.Looks[i], s)
	}
	if i := slices.IndexFunc(views, func(w shownView) bool { return w.Code == v.Open }); i >= 0 && views[i].Found {
		page.Open = openedView(v, views[i], s)
	}
	return nil
}

// odd points at what is not as in the other views.
func (page *viewsPage) odd(s *scene.Scene) {
	for _, name := range lightNames(s) {
		var on []string
		for _, w := range page.Views {
			if i := slices.IndexFunc(page.Looks, func(l laidLook) bool { return l.Code == w.Look }); i >= 0 && page.Looks[i].Burns(name) {
				on = append(on, w.Code)
			}
		}
		if len(on) == 1 && len(page.Views) > 2 {
			page.Odd = append(page.Odd, fmt.Sprintf("Light %s is on in view %s only.", name, on[0]))
		}
		if len(on) == 0 && len(page.Views) > 0 {
			page.Odd = append(page.Odd, fmt.Sprintf("Light %s is on in no view.", name))
		}
	}
	for _, l := range page.Looks {
		if l.Odd != "" {
			page.Odd = append(page.Odd, fmt.Sprintf("Look %s: %s.", l.Code, l.Odd))
		}
	}
}

func openedView(v *view, shown shownView, s *scene.Scene) *openView {
	p := v.Production.Production
	o := &openView{shownView: shown, Frame: shown.MiddleFrame, Edge: previewEdge, Whole: whole(v.query("all")), Back: shown.Setup.BackWidth(), Own: shown.Setup.Stand != nil}
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
	for _, v := range []*float64{&o.Stand.Position.X, &o.Stand.Position.Y, &o.Stand.Position.Z, &o.Stand.Heading, &o.Stand.Tilt, &o.Stand.Roll} {
		*v = tidy(*v) + 0 // no negative zero
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
		eyes = append(eyes, floorplan.Eye{Code: w.Code, Camera: w.Camera, Setup: w.Setup, Size: o.Size.Size, Fit: o.Size.Fit, PixelAspect: o.Size.Pixel()})
	}
	begin, end := p.Rate.Seconds(p.FirstFrame, p.FirstFrame), p.Rate.Seconds(house.LastFrame(p, s), p.FirstFrame)
	o.Plan = floorplan.Draw(s, side, seconds, begin, end, eyes, o.Whole != "")
	// What is drawn last lies on top.
	slices.SortStableFunc(o.Plan.Eyes, func(a, b floorplan.Seen) int {
		return boolean(a.Code == shown.Code) - boolean(b.Code == shown.Code)
	})
	o.Text, o.Radius = o.Plan.Wide/48, o.Plan.Wide/64
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

// setUp applies an edit of a view's camera. What is locked stays.
func (e edit) setUp(p *production.Production, v *production.View) error {
	if e.field == "locked" {
		v.Setup.Locked = e.ticked()
		return nil
	}
	if v.Setup.Locked {
		return fmt.Errorf("the camera of view %s is locked; unlock it to change it", v.Code)
	}
	if v.Ring != "" && !slices.Contains([]string{"focal", "back", "shiftAcross", "shiftUp", "fNumber", "focus"}, e.field) {
		return fmt.Errorf("view %s stands in the ring %s; change the ring, or take the view out of it", v.Code, v.Ring)
	}
	s, err := e.stage(p)
	if err != nil {
		return err
	}
	node := s.FindCamera(v.Camera)
	if node == scene.None {
		return fmt.Errorf("the scene has no camera %s", v.Camera)
	}
	pose, optics := s.At(p.Rate.Seconds(e.frame, p.FirstFrame)).World[node], s.Cameras[s.Nodes[node].Camera]
	stand := camera.StandOf(pose)
	if v.Setup.Stand != nil {
		stand = *v.Setup.Stand
	}
	switch e.field {
	case "scene": // as it stands there
		v.Setup.Stand = nil
		return nil
	case "straighten":
		if v.Setup.Stand == nil && s.Moving()[node] {
			return fmt.Errorf("%s moves in the scene; type a number of its place first, then it stands still", v.Camera)
		}
		straight, err := v.Setup.Straightened(pose, optics)
		if err == nil {
			straight.ShiftUp = tidy(straight.ShiftUp)
			v.Setup = straight
		}
		return err
	case "focal", "back", "shiftAcross", "shiftUp", "fNumber", "focus":
		if e.value == "" {
			e.value = "0"
		}
		unit := "mm"
		switch e.field {
		case "focus":
			unit = "m"
		case "fNumber":
			unit = ""
		}
		n, err := e.decimal(unit)
		if err != nil {
			return err
		}
		if e.field == "fNumber" && v.Setup.Focus == 0 {
			v.Setup.Focus = usualFocus
		}
		*map[string]*float64{"focal": &v.Setup.Focal, "back": &v.Setup.Back, "shiftAcross": &v.Setup.ShiftAcross, "shiftUp": &v.Setup.ShiftUp, "fNumber": &v.Setup.FNumber, "focus": &v.Setup.Focus}[e.field] = n
		return nil
	case "x", "y", "z":
		n, err := e.decimal("m")
		if err != nil {
			return err
		}
		*map[string]*float64{"x": &stand.Position.X, "y": &stand.Position.Y, "z": &stand.Position.Z}[e.field] = n
	case "heading", "tilt", "roll":
		n, err := e.decimal("°")
		if err != nil {
			return err
		}
		*map[string]*float64{"heading": &stand.Heading, "tilt": &stand.Tilt, "roll": &stand.Roll}[e.field] = n
	case "place", "turn":
		if err := e.dragged(&stand); err != nil {
			return err
		}
	default:
		return errChoice
	}
	v.Setup.Stand = &stand
	return nil
}

// dragged reads where a camera, or the place that it looks at, was put on the plan: its side, and two numbers of metres.
func (e edit) dragged(stand *camera.Stand) error {
	var side floorplan.Side
	var x, y float64
	if n, err := fmt.Sscan(e.value, &side, &x, &y); n != 3 || err != nil || !slices.Contains(floorplan.Sides(), side) {
		return errChoice
	}
	if e.field == "turn" {
		if side != floorplan.Above {
			return errChoice
		}
		heading := lens.Degrees(math.Atan2(x-stand.Position.X, -(y - stand.Position.Z)))
		stand.Heading = tidy(math.Mod(heading+360, 360))
		return nil
	}
	switch x, y = tidy(x), tidy(y); side {
	case floorplan.Above:
		stand.Position.X, stand.Position.Z = x, y
	case floorplan.South:
		stand.Position.X, stand.Position.Y = x, -y
	default:
		stand.Position.Z, stand.Position.Y = -x, -y
	}
	return nil
}

// tidy rounds what a hand has drawn to thousandths.
func tidy(v float64) float64 { return math.Round(v*1000) / 1000 }

// exportCameras answers with a file of the cameras of all views, or of one.
func (a *app) exportCameras(c *echo.Context) error {
	p, err := a.House.Production(c.Param("code"))
	if err != nil {
		return err
	}
	format := house.CameraFormat(c.QueryParam("format"))
	var views []string
	if view := c.QueryParam("view"); view != "" {
		views = []string{view}
	}
	file, _, err := a.House.Cameras(p.Production, format, views...)
	if err != nil {
		return echo.NewHTTPError(http.StatusUnprocessableEntity, "The cameras cannot be written: "+err.Error())
	}
	name := strings.Join(append([]string{p.Code, "cameras"}, views...), "_") + "." + format.Ext()
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename*=UTF-8''%s", url.PathEscape(name)))
	kind := "text/plain; charset=utf-8"
	if format == house.CamerasGLTF {
		kind = "model/gltf-binary"
	}
	return c.Blob(http.StatusOK, kind, file)
}
