package camera

import (
	"bufio"
	"fmt"
	"io"

	"reelhouse/core/geom"
	"reelhouse/core/scene"
)

// A Moment is what a camera is in one frame.
type Moment struct {
	Setup  Setup
	Camera scene.Camera // perspective
	Pose   geom.Affine
}

// A Joined is one camera over a whole cut, a moment for each of its record frames: where the cut goes from one view to
// another, it jumps.
type Joined struct {
	Name    string
	Moments []Moment
}

// WriteJoinedUSD is WriteUSD with a camera over a cut beside the others. Record frame 0 of the cut has the time code
// first, as the scene's first frame has.
func WriteJoinedUSD(out io.Writer, name string, tracks []Track, joined Joined, first int, perSecond float64) error {
	return writeUSD(out, name, tracks, &joined, first, perSecond)
}

// write writes everything of the camera as samples, one a frame, so that nothing is in between at a cut.
func (j Joined) write(w *bufio.Writer, names map[string]bool, first int) {
	fmt.Fprintf(
		w, "\ndef Camera \"%s\" (\n    displayName = %s\n)\n{\n    token projection = \"perspective\"\n",
		usdName(j.Name, names), quoted(j.Name),
	)
	samples := func(kind string, of func(m Moment) string) {
		fmt.Fprintf(w, "    %s.timeSamples = {\n", kind)
		before := ""
		for k, m := range j.Moments {
			now := of(m)
			next := k+1 < len(j.Moments) && of(j.Moments[k+1]) != now
			if k == 0 || now != before || next || k == len(j.Moments)-1 { // what stays is said at both of its ends
				fmt.Fprintf(w, "        %d: %s,\n", first+k, now)
			}
			before = now
		}
		fmt.Fprintf(w, "    }\n")
	}
	number := func(of func(m Moment) float64) func(m Moment) string {
		return func(m Moment) string { return usdNumber(of(m)) }
	}
	samples("float focalLength", number(func(m Moment) float64 { return m.Setup.FocalOf(m.Camera) }))
	samples("float horizontalAperture", number(func(m Moment) float64 { return m.Setup.BackWidth() }))
	samples(
		"float verticalAperture",
		number(func(m Moment) float64 { return m.Setup.BackWidth() / m.Setup.Of(m.Pose, m.Camera).Camera.Aspect }),
	)
	samples("float horizontalApertureOffset", number(func(m Moment) float64 { return m.Setup.ShiftAcross }))
	samples("float verticalApertureOffset", number(func(m Moment) float64 { return m.Setup.ShiftUp }))
	samples("float fStop", number(func(m Moment) float64 { return m.Setup.FNumber }))
	samples("float focusDistance", number(func(m Moment) float64 { return m.Setup.Focus * perCentimetre }))
	samples("matrix4d xformOp:transform", func(m Moment) string { return usdMatrix(m.Pose) })
	fmt.Fprintf(w, "    uniform token[] xformOpOrder = [\"xformOp:transform\"]\n}\n")
}
