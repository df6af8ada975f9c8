package views_test

import (
	"math"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/web/webtest"
)

func TestAPointIsPickedAndMeasured(t *testing.T) {
	s := webtest.New(t)
	_, body := s.Get("/p/TEST/pick?view=v&frame=1001&at=0.5,0.9")
	s.Says(body, "<b>floor</b>", "of default", "Focus here", "Aim the camera here", "depth of comp from here")
	if strings.Contains(body, "tape") {
		t.Error("one point was measured")
	}
	_, body = s.Get("/p/TEST/pick?view=v&frame=1001&at=0.6,0.9&from=0.5,0.9")
	s.Says(body, `id="tape"`, "From floor")
	_, body = s.Get("/p/TEST/pick?view=v&frame=1001&at=0.5,0.05&from=0.5,0.9")
	s.Says(body, "no surface")
	for _, at := range []string{"", "2,0", "x", "NaN,0"} {
		if code, _ := s.Get("/p/TEST/pick?view=v&at=" + at); code != 400 {
			t.Errorf("%q: %d", at, code)
		}
	}
	s.EditView("locked", "")
	if code, body := s.Get("/p/TEST/sights"); code != 200 || strings.Contains(body, "Look at") {
		t.Errorf("sights: %d %s", code, body)
	}
	s.EditView("tilt", "90")
	_, body = s.Get("/p/TEST/sights")
	s.Says(body, "View v sees no object at all")
}

func TestACameraIsSetUp(t *testing.T) {
	s := webtest.New(t)
	_, body := s.Get("/p/TEST/views?open=v")
	s.Says(body, `data-view="v"`, "It stands as in the scene", `value="5.000"`, `data-eye="v"`, "Straighten verticals")
	// One number makes it stand by itself, with everything else as it was.
	s.Says(s.EditView("x", "1.5 m"), "It stands where this view says")
	if at := s.Setup().Stand; at == nil || *at != (camera.Stand{Position: geom.Vec{X: 1.5, Y: 2, Z: 5}}) {
		t.Errorf("it stands at %+v", at)
	}
	s.EditView("heading", "90")
	s.EditView("tilt", "20")
	s.EditView("focalLength", "24 mm")
	s.EditView("straighten", "")
	got := s.Setup()
	if want := 24 * math.Tan(20*math.Pi/180); got.Stand.Tilt != 0 || got.Stand.Heading != 90 ||
		math.Abs(got.ShiftUp-want) > 0.001 ||
		got.Focal != 24 {
		t.Errorf("straightened: %+v, %+v, want a shift of %v mm", got, got.Stand, want)
	}
	// Drags are in metres of the drawing: from above to the right and down, from the sides up is up.
	s.MoveView("place", "side", "above", "x", "3", "y", "-4")
	s.MoveView("head", "x", "3", "z", "-14")
	s.MoveView("place", "side", "south", "x", "3.5", "y", "-6.00049")
	if at := s.Setup().Stand; *at != (camera.Stand{Position: geom.Vec{X: 3.5, Y: 6, Z: -4}}) {
		t.Errorf("dragged, it stands at %+v", at)
	}
	s.MoveView("place", "side", "east", "x", "1", "y", "-2")
	if at := s.Setup().Stand.Position; at != (geom.Vec{X: 3.5, Y: 2, Z: -1}) {
		t.Errorf("dragged from the east, it stands at %+v", at)
	}
	s.Says(s.EditView("fNumber", "2.8"), "Sharp from ", `class="sharp"`, `value="2.8"`)
	s.EditView("focusDistance", "4 m")
	if got := s.Setup(); got.FNumber != 2.8 || got.Focus != 4 {
		t.Errorf("focused: %+v", got)
	}
	s.Says(s.EditView("focusDistance", "4 mm"), "is not a number") // which would be 4 m
	s.EditView("fNumber", "")
	s.Says(s.EditView("reset", ""), "It stands as in the scene")
	if got := s.Setup(); got.Stand != nil || got.Focal != 24 {
		t.Errorf("as in the scene: %+v", got)
	}
	// What is planned has it, and a picture of it is another one.
	d, err := s.House.Draft(s.Production().Production)
	if err != nil {
		t.Fatal(err)
	}
	if q := d.Batch.Sequences[0]; !q.Setup.Same(s.Setup()) {
		t.Errorf("the batch has %+v", q.Setup)
	}
}

func TestMistakesWithCamerasAreSaid(t *testing.T) {
	s := webtest.New(t)
	for field, c := range map[string][2]string{
		"x": {"here", "is not a number"}, "focalLength": {"0.2", "focal length of 0.2 mm is outside"},
		"tilt": {"100", "tilt of 100° is outside"}, "heading": {"-5", "heading of -5° is outside"},
		"sensorWidth": {"1000", "sensor width of 1000 mm is outside"}, "lensShiftY": {"x", "is not a number"},
		"fNumber": {"0.01", "f-number of 0.01"}, "focusDistance": {"-3", "focus at -3 m"},
		"lensShiftX": {"4 m", "is not a number"}, "z": {"1e9", "too far"},
	} {
		s.Says(s.EditView(field, c[0]), c[1])
	}
	s.Says(s.MoveView("place", "side", "below", "x", "1", "y", "2"), "no side")
	s.Says(s.MoveView("place", "side", "above", "x", "here", "y", "2"), "is not a number")
	if got := s.Setup(); !got.Same(camera.Setup{}) {
		t.Errorf("mistakes left %+v", got)
	}
}

func TestALockedCameraStays(t *testing.T) {
	s := webtest.New(t)
	s.EditView("x", "1")
	s.Post(
		"/p/TEST/edit/view",
		url.Values{"of": {"v"}, "field": {"locked"}, "values": {"1"}, "station": {"views"}, "open": {"v"}},
	)
	before := s.Setup()
	if !before.Locked {
		t.Fatal("it is not locked")
	}
	for field, value := range map[string]string{"x": "2", "focalLength": "50", "straighten": "", "reset": "",
		"camera": "cam"} {
		s.Says(s.EditView(field, value), "camera of view v is locked")
	}
	s.Says(s.MoveView("place", "side", "above", "x", "1", "y", "1"), "camera of view v is locked")
	if !s.Setup().Same(before) {
		t.Errorf("it is %+v now", s.Setup())
	}
	if _, body := s.Get("/p/TEST/views?open=v"); strings.Contains(body, "data-free") ||
		!strings.Contains(body, "The camera is locked") {
		t.Errorf("the plan of a locked camera:\n%s", body)
	}
	s.Says(s.EditView("name", "Renamed"), "Renamed") // which moves nothing
	// A copy can be moved.
	s.EditView("copy", "")
	p := s.Production()
	if len(p.Views) != 2 || p.Views[1].Code != "v_2" || p.Views[1].Setup.Locked ||
		p.Views[1].Setup.Stand == p.Views[0].Setup.Stand {
		t.Errorf("views are %+v", p.Views)
	}
	s.Post("/p/TEST/edit/view", url.Values{"of": {"v"}, "field": {"locked"}, "station": {"views"}})
	if s.Setup().Locked {
		t.Error("it is still locked")
	}
}

func TestCamerasAreHandedOn(t *testing.T) {
	s := webtest.New(t)
	s.EditView("lensShiftY", "3")
	for query, says := range map[string]string{"format=usda": "float verticalApertureOffset = 3",
		"format=usda&view=v": `def Camera "v"`, "format=gltf": `"perspective"`} {
		if code, body := s.Get("/p/TEST/cameras?" + query); code != 200 || !strings.Contains(body, says) {
			t.Errorf("%s: %d\n%.400s", query, code, body)
		}
	}
	for query, says := range map[string]string{"format=xyz": "not as", "format=usda&view=none": "no view"} {
		if code, body := s.Get("/p/TEST/cameras?" + query); code != 422 || !strings.Contains(body, says) {
			t.Errorf("%s: %d\n%.400s", query, code, body)
		}
	}
}

// Zoom and dolly: twice the focal length at twice the distance. The camera stands 5 m south of the origin and looks
// north.
func TestLensesAndExposures(t *testing.T) {
	s := webtest.New(t)
	s.EditView("focalLength", "35")
	body := s.MoveView("dolly-zoom", "focalLength", "70 mm", "distance", "5 m")
	s.Says(body, "It stands where this view says")
	if got := s.Setup(); got.Focal != 70 || got.Stand == nil || math.Abs(got.Stand.Position.Z-10) > 1e-9 {
		t.Errorf("zoomed and moved: %+v, %+v", got, got.Stand)
	}
	body = s.MoveView("dolly-zoom", "focalLength", "70", "distance", "-1")
	s.Says(body, "has to lie ahead of the camera")
	s.MoveView("aim", "point", "0 2 20")
	if got := s.Setup().Stand; got.Heading != 180 || got.Tilt != 0 {
		t.Errorf("aimed at a point in the south it stands %+v", got)
	}
	s.MoveView("aim", "object", "floor")
	if got := s.Setup().Stand; got.Heading != 0 || got.Tilt >= 0 {
		t.Errorf("aimed at the floor it stands %+v", got)
	}
	s.Says(s.MoveView("aim", "object", "nothing"), "no object")
	s.EditView("horizontalFOV", "39.598°")
	if got := s.Setup().Focal; math.Abs(got-50) > 0.001 {
		t.Errorf("39.598° across are %v mm", got)
	}
	s.Says(s.EditView("verticalFOV", "200"), "outside 0 to 180")
	s.Says(s.EditView("orthographicHeight", "6 m"), `value="6"`)
	s.Says(s.EditView("focalLength", ""), "Orthographic height, m")
	if body := s.EditView("straighten", ""); !strings.Contains(body, "do not converge") {
		t.Error("an orthographic camera was straightened")
	}
	s.EditView("orthographicHeight", "")
	s.EditView("sensor", "35 mm stills, full frame")
	if got := s.Setup(); got.Back != 36 || got.BackHigh != 24 {
		t.Errorf("the film back is %+v", got)
	}
	s.Says(s.EditView("sensor", "none"), "no sensor")
	s.Says(s.EditView("exposure", "lens"), "f/2.8, 1/48 s and ISO 800 are EV 5.6")
	s.EditView("shutterAngle", "90°")
	s.Says(s.EditView("iso", "400"), "f/2.8, 1/96 s and ISO 400 are EV 7.6")
	s.Says(s.EditView("fNumber", ""), "needs an f-number")
	s.Says(s.EditView("exposure", "fixed"), `id="view-v-exposureEV"`)
	s.EditView("exposureEV", "-1.5 EV")
	_, body = s.Get("/p/TEST/views")
	s.Says(body, "-1.50 EV, fixed")
	s.Says(s.EditView("exposure", "guess"), "no exposure")
}

// What is seen is kept as a view for work; it counts nowhere until it is made a shot view.
func TestAWorkingView(t *testing.T) {
	s := webtest.New(t)
	s.Says(s.EditView("freeze", ""), "Working views", "v_2")
	p := s.Production()
	w := p.Views[1]
	if !w.Working || w.Setup.Stand == nil || w.Setup.Stand.Position != (geom.Vec{Y: 2, Z: 5}) || w.Camera != "cam" {
		t.Fatalf("it is %+v", w)
	}
	_, body := s.Post(
		"/p/TEST/edit/shot", url.Values{"of": {"010"}, "field": {"view"}, "value": {"v_2"}, "station": {"shots"}},
	)
	s.Says(body, "is a working view")
	if _, body := s.Get("/p/TEST/shots"); strings.Contains(body, `<option value="v_2"`) ||
		strings.Contains(body, "<option>v_2") {
		t.Error("shots are offered it")
	}
	_, body = s.Get("/p/TEST/cameras?format=usda")
	if strings.Contains(body, "v_2") {
		t.Error("it is handed on with the cameras of shots")
	}
	s.Says(s.EditView("working", ""), "Views") // not ticked: nothing changes
	_, body = s.Post(
		"/p/TEST/edit/view", url.Values{"of": {"v"}, "field": {"working"}, "values": {"1"}, "station": {"views"}},
	)
	s.Says(body, "shot 010 uses this view")
	s.Post("/p/TEST/edit/view", url.Values{"of": {"v_2"}, "field": {"working"}, "station": {"views"}})
	if p := s.Production(); p.Views[1].Working {
		t.Error("it could not be made a shot view")
	}
}

func TestPlansOfEverySide(t *testing.T) {
	s := webtest.New(t)
	for _, query := range []string{"side=south", "side=east&all=1", "side=nowhere", "size=hd&frame=1010",
		"size=gone&frame=x"} {
		if code, body := s.Get("/p/TEST/views?open=v&" + query); code != 200 ||
			!strings.Contains(body, `class="cone"`) ||
			strings.Contains(body, "NaN") {
			t.Errorf("%s: %d\n%s", query, code, body)
		}
	}
	if _, body := s.Get("/p/TEST/views?open=v&side=south"); strings.Contains(body, `data-drag="turn"`) {
		t.Error("a camera is turned from the side")
	}
}
