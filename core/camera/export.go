package camera

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"math"
	"strings"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A Track is a view over frames, to be handed on to compositing.
type Track struct {
	Name   string
	Setup  Setup
	Camera scene.Camera
	Poses  []geom.Affine // one a frame, or one for all of them
	// Focals and Focuses are the focal length in millimetres and the focus distance in metres, one a frame; none if
	// the lens stays what it is.
	Focals, Focuses []float64
}

// A Followed is a view whose camera is to be followed.
type Followed struct {
	Name   string
	Source Source
	Setup  Setup
}

// Follow follows views of a scene's cameras over frames from first on, which are at times in seconds. One that stands
// still has one pose.
func Follow(s *scene.Scene, views []Followed, first int, seconds []float64) []Track {
	moving := s.Moving()
	var tracks []Track
	for _, v := range views {
		tracks = append(tracks, Track{Name: v.Name, Setup: v.Setup.At(float64(first)), Camera: v.Source.Optics})
	}
	for k, at := range seconds {
		pose := s.At(at)
		for i, v := range views {
			t := &tracks[i]
			if k > 0 && v.Setup.Motion == nil && (v.Setup.Stand != nil || !v.Source.Moves(moving)) {
				continue
			}
			now := v.Setup.At(float64(first + k))
			t.Poses = append(t.Poses, now.Of(v.Source.Pose(pose), t.Camera).Pose)
			if v.Setup.Motion != nil && v.Setup.Motion.zooms() {
				t.Focals, t.Focuses = append(t.Focals, now.FocalOf(t.Camera)), append(t.Focuses, now.Focus)
			}
		}
	}
	return tracks
}

// view returns the track's optics.
func (t Track) view() View { return t.Setup.Of(t.Poses[0], t.Camera) }

// Animation returns the tracks as a scene of cameras, for a glTF file: frames follow each other at perSecond, the first
// one at 0 s. Lens shifts have no place in glTF; shifted names those that have one.
func Animation(name string, tracks []Track, perSecond float64) (s *scene.Scene, shifted []string) {
	s = &scene.Scene{Name: name}
	for _, t := range tracks {
		v := t.view()
		v.Camera.Name = t.Name
		node := scene.NewNode(t.Name)
		node.Camera = len(s.Cameras)
		node.Translation, node.Rotation = t.Poses[0].Origin, t.Poses[0].Turn()
		i := len(s.Nodes)
		s.Cameras, s.Nodes, s.Roots = append(s.Cameras, v.Camera), append(s.Nodes, node), append(s.Roots, i)
		if v.ShiftAcross != 0 || v.ShiftUp != 0 {
			shifted = append(shifted, t.Name)
		}
		if len(t.Poses) < 2 {
			continue
		}
		move := scene.Channel{Node: i, Target: scene.Translation, Interpolation: scene.Linear}
		turn := scene.Channel{Node: i, Target: scene.Rotation, Interpolation: scene.Linear}
		for k, pose := range t.Poses {
			at := float64(k) / perSecond
			move.Times, turn.Times = append(move.Times, at), append(turn.Times, at)
			move.Values = append(move.Values, geom.Quat{X: pose.Origin.X, Y: pose.Origin.Y, Z: pose.Origin.Z})
			turn.Values = append(turn.Values, pose.Turn())
		}
		s.Channels = append(s.Channels, move, turn)
	}
	return s, shifted
}

// Units of WriteUSD: centimetres, so that the tenths of a unit in which USD has film backs and focal lengths are
// millimetres.
const perCentimetre = 100

// usdRoot is the prim below which the cameras of a layer stand. It is the layer's default one, so that the file can be
// referred to as a whole.
const usdRoot = "Cameras"

// WriteUSD writes the tracks as USD text (OpenUSD, .usda), Y up. Time codes are frame numbers from first on.
func WriteUSD(out io.Writer, name string, tracks []Track, first int, perSecond float64) error {
	return writeUSD(out, name, tracks, nil, first, perSecond)
}

// writeUSD writes a layer with the tracks, and with a camera over a cut if there is one.
func writeUSD(out io.Writer, name string, tracks []Track, joined *Joined, first int, perSecond float64) error {
	last := first
	for _, t := range tracks {
		last = max(last, first+len(t.Poses)-1)
	}
	var body bytes.Buffer
	w := bufio.NewWriter(&body)
	names := writeCameras(w, tracks, first)
	if joined != nil {
		last = max(last, first+len(joined.Moments)-1)
		joined.write(w, names, first)
	}
	w.Flush() // into memory, where nothing can fail
	_, err := fmt.Fprintf(
		out,
		"#usda 1.0\n(\n    defaultPrim = %q\n    doc = %s\n    metersPerUnit = 0.01\n    upAxis = \"Y\"\n"+
			"    startTimeCode = %d\n    endTimeCode = %d\n    timeCodesPerSecond = %[5]s\n    framesPerSecond = "+
			"%[5]s\n)\n\n"+
			"def Xform %[1]q\n{\n%[6]s}\n",
		usdRoot, quoted("Cameras of "+name), first, last, usdNumber(perSecond), indented(body.String()),
	)
	return err
}

// indented returns lines that stand one step to the right; the first empty one is left out.
func indented(text string) string {
	var b strings.Builder
	for line := range strings.Lines(strings.TrimPrefix(text, "\n")) {
		if line != "\n" {
			b.WriteString("    ")
		}
		b.WriteString(line)
	}
	return b.String()
}

// writeCameras writes the tracks, and returns the names that are taken.
func writeCameras(w *bufio.Writer, tracks []Track, first int) map[string]bool {
	names := map[string]bool{}
	for _, t := range tracks {
		v, prim := t.view(), usdName(t.Name, names)
		fmt.Fprintf(w, "\ndef Camera \"%s\" (\n    displayName = %s\n)\n{\n", prim, quoted(t.Name))
		back, aspect := t.Setup.BackWidth(), v.Camera.Aspect
		if v.Camera.Height > 0 {
			// An orthographic aperture is in tenths of a unit, too.
			high := v.Camera.Height * perCentimetre * 10
			fmt.Fprintf(
				w,
				"    token projection = \"orthographic\"\n    float horizontalAperture = %s\n    float "+
					"verticalAperture = %s\n",
				usdNumber(high*aspect), usdNumber(high),
			)
			back = high * aspect
		} else {
			fmt.Fprintf(w,
				"    token projection = \"perspective\"\n    float horizontalAperture = %s\n"+
					"    float verticalAperture = %s\n",
				usdNumber(back), usdNumber(back/aspect))
			usdSamples(w, "float focalLength", t.Setup.FocalOf(t.Camera), t.Focals, first)
		}
		if v.Lens > 0 {
			fmt.Fprintf(w, "    float fStop = %s\n", usdNumber(t.Setup.FNumber))
			focuses := make([]float64, len(t.Focuses))
			for i, metres := range t.Focuses {
				focuses[i] = metres * perCentimetre
			}
			usdSamples(w, "float focusDistance", t.Setup.Focus*perCentimetre, focuses, first)
		}
		if t.Setup.Shutter > 0 { // in frames, round the frame's own time
			fmt.Fprintf(
				w, "    double shutter:open = %s\n    double shutter:close = %s\n", usdNumber(-t.Setup.Shutter/720),
				usdNumber(t.Setup.Shutter/720),
			)
		}
		if t.Setup.ShiftAcross != 0 || t.Setup.ShiftUp != 0 {
			scale := back / t.Setup.BackWidth()
			fmt.Fprintf(
				w, "    float horizontalApertureOffset = %s\n    float verticalApertureOffset = %s\n",
				usdNumber(t.Setup.ShiftAcross*scale), usdNumber(t.Setup.ShiftUp*scale),
			)
		}
		if len(t.Poses) == 1 {
			fmt.Fprintf(w, "    matrix4d xformOp:transform = %s\n", usdMatrix(t.Poses[0]))
		} else {
			fmt.Fprintf(w, "    matrix4d xformOp:transform.timeSamples = {\n")
			for k, pose := range t.Poses {
				fmt.Fprintf(w, "        %d: %s,\n", first+k, usdMatrix(pose))
			}
			fmt.Fprintf(w, "    }\n")
		}
		fmt.Fprintf(w, "    uniform token[] xformOpOrder = [\"xformOp:transform\"]\n}\n")
	}
	return names
}

// usdSamples writes a number: one, or those of every frame from first on.
func usdSamples(w *bufio.Writer, name string, one float64, each []float64, first int) {
	if len(each) == 0 {
		fmt.Fprintf(w, "    %s = %s\n", name, usdNumber(one))
		return
	}
	fmt.Fprintf(w, "    %s.timeSamples = {\n", name)
	for k, v := range each {
		fmt.Fprintf(w, "        %d: %s,\n", first+k, usdNumber(v))
	}
	fmt.Fprintf(w, "    }\n")
}

// usdMatrix writes a pose without its scale; USD has the axes and the place as rows.
func usdMatrix(pose geom.Affine) string {
	row := func(v geom.Vec, w string) string {
		return fmt.Sprintf("(%s, %s, %s, %s)", usdNumber(v.X), usdNumber(v.Y), usdNumber(v.Z), w)
	}
	return fmt.Sprintf(
		"( %s, %s, %s, %s )", row(pose.X.Unit(), "0"), row(pose.Y.Unit(), "0"), row(pose.Z.Unit(), "0"),
		row(pose.Origin.Scale(perCentimetre), "1"),
	)
}

func usdNumber(v float64) string {
	if math.Abs(v) < 1e-12 {
		v = 0
	}
	return fmt.Sprintf("%.10g", v)
}

// usdName makes a name that a prim may have: letters, digits and underscores, no digit first, each one once.
func usdName(name string, taken map[string]bool) string {
	clean := strings.Map(func(r rune) rune {
		if r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' {
			return r
		}
		return '_'
	}, name)
	if clean == "" || clean[0] >= '0' && clean[0] <= '9' {
		clean = "_" + clean
	}
	for base, n := clean, 2; taken[clean]; n++ {
		clean = fmt.Sprintf("%s_%d", base, n)
	}
	taken[clean] = true
	return clean
}

// quoted writes a text as USD has it.
func quoted(text string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", " ").Replace(text) + `"`
}
