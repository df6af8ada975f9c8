package scene

import (
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/usd"
)

// IsUSD reports whether a file's name is that of USD text.
func IsUSD(name string) bool { return strings.HasSuffix(strings.ToLower(name), ".usda") }

// Values of a camera that USD has where a file says none (UsdGeomCamera), in tenths of the layer's unit.
const (
	usualUSDFocal      = 50.0
	usualUSDAcross     = 20.955
	usualUSDUp         = 15.2908
	perTenth           = 10
	usualPerUnit       = 0.01 // metres
	usualPerSecond     = 24.0 // time codes
	mostUSDMoments     = 100_000
	mostUSDSeconds     = 1e6
	leastUSDAperture   = 1e-6
	usdTransforms      = "xformOp:"
	usdTransformsOrder = "xformOpOrder"
	usdInverse         = "!invert!"
	usdReset           = "!resetXformStack!"
)

// ReadUSD reads the cameras of USD text (OpenUSD, UsdGeomCamera and UsdGeomXformable): their names, what they see, and
// how they stand and move, in metres with Y up and in seconds after the layer's first time code. Nothing else of the
// scene is read, and nothing of other files; Notes say what is left aside.
func ReadUSD(r io.Reader) (*Scene, error) {
	layer, err := usd.Read(r, func(name string) bool {
		return strings.HasPrefix(name, usdTransforms) || slices.Contains([]string{
			usdTransformsOrder, "projection", "focalLength", "horizontalAperture", "verticalAperture",
			"horizontalApertureOffset", "verticalApertureOffset", "fStop", "focusDistance",
		}, name)
	})
	if err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	u := &usdReader{layer: layer, scene: &Scene{}}
	if err := u.units(); err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	for _, p := range layer.Prims {
		u.find(p, nil)
	}
	u.names()
	if err := u.cameras(); err != nil {
		return nil, fmt.Errorf("scene file: %w", err)
	}
	if seconds := (u.end - u.first) / u.perSecond; seconds > u.scene.Duration() && seconds <= mostUSDSeconds {
		u.scene.last(seconds)
	}
	for _, what := range layer.Elsewhere {
		u.note("It refers to %s, of which nothing is read; cameras in there are not known.", what)
	}
	u.scene.Scenes, u.scene.Number = []string{"USD"}, 1
	return u.scene, nil
}

type usdReader struct {
	layer     *usd.Layer
	scene     *Scene
	perUnit   float64 // metres
	zUp       bool
	perSecond float64 // time codes
	first     float64 // time code of the scene's 0 s
	end       float64 // last time code that the layer says; first if it says none
	found     []usdCamera
}

// A usdCamera is a camera with the prims that it hangs below, the topmost first and itself last.
type usdCamera struct {
	name string
	path []*usd.Prim
}

func (u *usdReader) note(format string, args ...any) {
	u.scene.Notes = append(u.scene.Notes, fmt.Sprintf(format, args...))
}

// units reads what the layer counts by.
func (u *usdReader) units() error {
	number := func(name string, otherwise float64) float64 {
		if v, ok := u.layer.Fields[name].(float64); ok {
			return v
		}
		return otherwise
	}
	u.perUnit = number("metersPerUnit", usualPerUnit)
	u.perSecond = number("timeCodesPerSecond", number("framesPerSecond", usualPerSecond))
	u.first = number("startTimeCode", math.NaN())
	u.end = number("endTimeCode", math.NaN())
	if !(u.perUnit >= 1e-9 && u.perUnit <= 1e9) {
		return fmt.Errorf("metersPerUnit is %v, and has to be above 0", u.perUnit)
	}
	if !(u.perSecond > 0 && u.perSecond <= 1e6) {
		return fmt.Errorf("timeCodesPerSecond is %v, and has to be above 0", u.perSecond)
	}
	switch up := fmt.Sprint(u.layer.Fields["upAxis"]); up {
	case "Z":
		u.zUp = true
	case "Y", "<nil>":
	default:
		return fmt.Errorf("upAxis is %s; Y and Z are read", up)
	}
	return nil
}

// find collects cameras. What only changes or inherits, over and class, is no thing of the scene by itself.
func (u *usdReader) find(p *usd.Prim, above []*usd.Prim) {
	if p.Kind != "def" || p.Fields["active"] == "false" || p.Fields["active"] == 0.0 {
		return
	}
	path := append(slices.Clone(above), p)
	if p.Type == "Camera" {
		u.found = append(u.found, usdCamera{p.Name, path})
	}
	for _, child := range p.Children {
		u.find(child, path)
	}
}

// names gives cameras of the same name their whole path.
func (u *usdReader) names() {
	count := map[string]int{}
	for _, c := range u.found {
		count[c.name]++
	}
	for i, c := range u.found {
		if count[c.name] < 2 {
			continue
		}
		var parts []string
		for _, p := range c.path {
			parts = append(parts, p.Name)
		}
		u.found[i].name = "/" + strings.Join(parts, "/")
	}
}

// cameras makes a node of each camera, which stands by itself.
func (u *usdReader) cameras() error {
	times := make([][]float64, len(u.found))
	earliest := math.Inf(1)
	for i, c := range u.found {
		if times[i] = c.times(); len(times[i]) > 1 {
			earliest = min(earliest, times[i][0])
		}
	}
	if math.IsNaN(u.first) {
		u.first = earliest
	}
	if math.IsInf(u.first, 0) {
		u.first = 0
	}
	for i, c := range u.found {
		optics, err := u.optics(c)
		if err != nil {
			return fmt.Errorf("camera %s: %w", c.name, err)
		}
		node := NewNode(c.name)
		node.Camera = len(u.scene.Cameras)
		u.scene.Cameras = append(u.scene.Cameras, optics)
		at := u.first
		if len(times[i]) > 0 {
			at = times[i][0]
		}
		pose, err := u.pose(c, at)
		if err != nil {
			return fmt.Errorf("camera %s: %w", c.name, err)
		}
		node.Translation, node.Rotation = pose.Origin, pose.Turn()
		index := len(u.scene.Nodes)
		u.scene.Nodes, u.scene.Roots = append(u.scene.Nodes, node), append(u.scene.Roots, index)
		if len(times[i]) > 1 {
			if err := u.move(c, index, times[i]); err != nil {
				return fmt.Errorf("camera %s: %w", c.name, err)
			}
		}
	}
	return nil
}

// move bakes how a camera moves: at its samples, and at each whole time code between them.
func (u *usdReader) move(c usdCamera, node int, times []float64) error {
	last := times[len(times)-1]
	for t := math.Ceil(times[0]); t < last && len(times) < mostUSDMoments; t++ {
		times = append(times, t)
	}
	slices.Sort(times)
	times = slices.Compact(times)
	place := Channel{Node: node, Target: Translation, Interpolation: Linear}
	turn := Channel{Node: node, Target: Rotation, Interpolation: Linear}
	for _, t := range times {
		pose, err := u.pose(c, t)
		if err != nil {
			return err
		}
		at := (t - u.first) / u.perSecond
		place.Times, turn.Times = append(place.Times, at), append(turn.Times, at)
		place.Values = append(place.Values, geom.Quat{X: pose.Origin.X, Y: pose.Origin.Y, Z: pose.Origin.Z})
		turn.Values = append(turn.Values, pose.Turn())
	}
	u.scene.Channels = append(u.scene.Channels, place, turn)
	return nil
}

// times returns the time codes at which any prim that the camera hangs below has a sample of its placing.
func (c usdCamera) times() []float64 {
	var all []float64
	for _, p := range c.path {
		for name, a := range p.Attributes {
			if !strings.HasPrefix(name, usdTransforms) {
				continue
			}
			for _, s := range a.Samples {
				all = append(all, s.Time)
			}
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// optics returns what a camera sees.
func (u *usdReader) optics(c usdCamera) (Camera, error) {
	p := c.path[len(c.path)-1]
	varies := false
	number := func(name string, otherwise float64) float64 {
		a := p.Attributes[name]
		v, ok := a.Value.(float64)
		if n := len(a.Samples); n > 0 {
			varies = varies || n > 1
			v, ok = a.Samples[0].Value.(float64)
		}
		if !ok {
			return otherwise
		}
		return v
	}
	across, up := number("horizontalAperture", usualUSDAcross), number("verticalAperture", usualUSDUp)
	focal := number("focalLength", usualUSDFocal)
	if !(across > leastUSDAperture && up > leastUSDAperture && focal > leastUSDAperture) ||
		math.IsInf(across*up*focal, 0) {
		return Camera{}, fmt.Errorf(
			"a film back of %v x %v with a focal length of %v cannot be drawn",
			across,
			up,
			focal,
		)
	}
	millimetres := u.perUnit * 1000 / perTenth
	out := Camera{Name: c.name, Aspect: across / up}
	if p.Attributes["projection"].Value == "orthographic" {
		out.Height = up / perTenth * u.perUnit
	} else {
		out.Up = 2 * math.Atan(up/(2*focal))
		u.note("Camera %s has %.4g mm on a film back of %.4g x %.4g mm.", c.name, focal*millimetres, across*millimetres,
			up*millimetres)
	}
	if out.Aspect < 0.01 || out.Aspect > 100 {
		return Camera{}, fmt.Errorf("a film back of %v x %v cannot be drawn", across, up)
	}
	if number("horizontalApertureOffset", 0) != 0 || number("verticalApertureOffset", 0) != 0 {
		u.note("The lens of camera %s is shifted, which is left aside.", c.name)
	}
	if f := number("fStop", 0); f > 0 {
		u.note(
			"Camera %s has f/%.3g, focused at %.4g m, which is left aside.",
			c.name,
			f,
			number("focusDistance", 0)*u.perUnit,
		)
	}
	if varies {
		u.note("The lens of camera %s changes; its first value is taken.", c.name)
	}
	return out, nil
}

// pose returns where a camera stands at a time code, in metres and with Y up.
func (u *usdReader) pose(c usdCamera, time float64) (geom.Affine, error) {
	world := geom.Identity()
	for _, p := range c.path {
		local, reset, err := placing(p, time)
		if err != nil {
			return world, err
		}
		if reset {
			world = geom.Identity()
		}
		world = world.Mul(local)
	}
	if u.zUp {
		world = geom.Affine{X: geom.Vec{X: 1}, Y: geom.Vec{Z: -1}, Z: geom.Vec{Y: 1}}.Mul(world)
	}
	world.Origin = world.Origin.Scale(u.perUnit)
	if !world.X.Add(world.Y).Add(world.Z).Add(world.Origin).Finite() || world.Y.Length() == 0 ||
		world.Z.Length() == 0 {
		return world, fmt.Errorf("its placing at time code %v is no finite one", time)
	}
	return world, nil
}

// placing returns what a prim's operations do together: the first one last.
func placing(p *usd.Prim, time float64) (m geom.Affine, reset bool, err error) {
	m = geom.Identity()
	order, _ := p.Attributes[usdTransformsOrder].Value.([]any)
	for _, o := range order {
		name, _ := o.(string)
		if name == usdReset {
			m, reset = geom.Identity(), true
			continue
		}
		plain, inverse := strings.CutPrefix(name, usdInverse)
		a, there := p.Attributes[plain]
		if !there {
			return m, reset, fmt.Errorf("%s of %s is in its order and has no value", name, p.Name)
		}
		kind, _, _ := strings.Cut(strings.TrimPrefix(plain, usdTransforms), ":")
		one, err := operation(kind, at(a, time))
		if err != nil {
			return m, reset, fmt.Errorf("%s of %s: %w", name, p.Name, err)
		}
		if inverse {
			if math.Abs(one.Determinant()) < 1e-30 {
				return m, reset, fmt.Errorf("%s of %s cannot be undone", name, p.Name)
			}
			one = one.Inverse()
		}
		m = m.Mul(one)
	}
	return m, reset, nil
}

// at returns the numbers of an attribute at a time code, between two samples in proportion.
func at(a usd.Attribute, time float64) []float64 {
	if len(a.Samples) == 0 {
		return numbersIn(a.Value)
	}
	next, _ := slices.BinarySearchFunc(a.Samples, time, func(s usd.Sample, t float64) int {
		switch {
		case s.Time < t:
			return -1
		case s.Time > t:
			return 1
		}
		return 0
	})
	switch {
	case next == len(a.Samples):
		return numbersIn(a.Samples[next-1].Value)
	case next == 0 || a.Samples[next].Time == time:
		return numbersIn(a.Samples[next].Value)
	}
	before, after := a.Samples[next-1], a.Samples[next]
	share := (time - before.Time) / (after.Time - before.Time)
	from, to := numbersIn(before.Value), numbersIn(after.Value)
	if len(from) != len(to) {
		return from
	}
	for i := range from {
		from[i] += (to[i] - from[i]) * share
	}
	return from
}

// numbersIn returns the numbers of a value, those of tuples in tuples one behind the other.
func numbersIn(value any) []float64 {
	switch v := value.(type) {
	case float64:
		return []float64{v}
	case []any:
		var all []float64
		for _, part := range v {
			all = append(all, numbersIn(part)...)
		}
		return all
	}
	return nil
}

// axes are what turning operations turn about.
var axes = map[byte]geom.Vec{'X': {X: 1}, 'Y': {Y: 1}, 'Z': {Z: 1}}

// operation returns what one operation does (UsdGeomXformOp): angles are in degrees, rotateXYZ turns about X first,
// orient is a quaternion with its scalar first, and a matrix has the axes and the place as rows.
func operation(kind string, v []float64) (geom.Affine, error) {
	want := map[string]int{"translate": 3, "scale": 3, "orient": 4, "transform": 16}
	turns, isTurn := strings.CutPrefix(kind, "rotate")
	if isTurn {
		want[kind] = len(turns)
	}
	if want[kind] == 0 || isTurn && (len(turns) != 1 && len(turns) != 3 || strings.Trim(turns, "XYZ") != "") {
		return geom.Affine{}, fmt.Errorf("an operation that is not known")
	}
	if len(v) != want[kind] {
		return geom.Affine{}, fmt.Errorf("%d numbers instead of %d", len(v), want[kind])
	}
	m := geom.Identity()
	switch {
	case kind == "translate":
		m.Origin = geom.Vec{X: v[0], Y: v[1], Z: v[2]}
	case kind == "scale":
		m.X, m.Y, m.Z = geom.Vec{X: v[0]}, geom.Vec{Y: v[1]}, geom.Vec{Z: v[2]}
	case kind == "orient":
		m = geom.Compose(geom.Vec{}, geom.Quat{W: v[0], X: v[1], Y: v[2], Z: v[3]}, geom.Vec{X: 1, Y: 1, Z: 1})
	case kind == "transform":
		m = geom.Affine{
			X: geom.Vec{X: v[0], Y: v[1], Z: v[2]}, Y: geom.Vec{X: v[4], Y: v[5], Z: v[6]},
			Z: geom.Vec{X: v[8], Y: v[9], Z: v[10]}, Origin: geom.Vec{X: v[12], Y: v[13], Z: v[14]},
		}
	default:
		q := geom.Quat{}
		for i := range turns { // the first axis first
			degrees := v[0]
			if len(turns) == 3 {
				degrees = v[strings.IndexByte("XYZ", turns[i])]
			}
			q = geom.AxisAngle(axes[turns[i]], degrees*math.Pi/180).Mul(q)
		}
		m = geom.Compose(geom.Vec{}, q, geom.Vec{X: 1, Y: 1, Z: 1})
	}
	return m, nil
}
