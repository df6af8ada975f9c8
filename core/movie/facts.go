// Package movie is what is known of a movie file, and how its frames become light. Others run the programs:
//
//	facts, err := movie.ReadFacts(said)           // by ffprobe, with ProbeArguments
//	args := facts.DecodeArguments(path, 100, 12)  // for ffmpeg
//	codes, err := movie.ReadCodes(out)            // a frame of what it writes
//	light, err := facts.Light(codes)
package movie

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/frame"
	"reelhouse/core/pixel"
)

// Facts are what decides which frames a movie has, and what its codes stand for. The zero value is no movie.
type Facts struct {
	Codec       string      `json:"codec,omitempty"` // as ffmpeg calls it
	Frames      int         `json:"frames,omitempty"`
	Rate        frame.Rate  `json:"rate,omitzero"`
	Start       float64     `json:"start,omitempty"` // of the first frame after the beginning of the file, in seconds
	PixelAspect float64     `json:"pixelAspect,omitempty"`
	Deep        bool        `json:"deep,omitempty"`   // its codes have more than 8 bits
	Matrix      string      `json:"matrix,omitempty"` // from Y'CbCr, as ffmpeg calls it; "" for a movie of R'G'B'
	Full        bool        `json:"full,omitempty"`   // its codes have the full range
	Curve       pixel.Curve `json:"curve,omitempty"`
	Primaries   string      `json:"primaries,omitempty"` // as ffmpeg calls them; "" for those of BT.709
	Assumed     bool        `json:"assumed,omitempty"`   // some of its colours are not said, and taken as is common
}

// Bounds of a movie.
const (
	MostFrames = 200_000
	MostPixels = 8192 * 8192 // of a frame
)

// aStream is what ffprobe says of a stream of pictures.
type aStream struct {
	Codec       string `json:"codec_name"`
	Width       int    `json:"width"`
	Height      int    `json:"height"`
	PixelFormat string `json:"pix_fmt"`
	Bits        string `json:"bits_per_raw_sample"`
	Range       string `json:"color_range"`
	Matrix      string `json:"color_space"`
	Transfer    string `json:"color_transfer"`
	Primaries   string `json:"color_primaries"`
	Average     string `json:"avg_frame_rate"`
	Common      string `json:"r_frame_rate"`
	Aspect      string `json:"sample_aspect_ratio"`
}

// ReadFacts reads what ffprobe says of a file, with ProbeArguments. The error says what is wrong with the movie.
func ReadFacts(said []byte) (f Facts, err error) {
	var all struct {
		Packets []struct {
			Time  string `json:"pts_time"`
			Flags string `json:"flags"`
		} `json:"packets"`
		Streams []aStream `json:"streams"`
		Format  struct {
			Start string `json:"start_time"`
		} `json:"format"`
	}
	if err := json.Unmarshal(said, &all); err != nil {
		return f, fmt.Errorf("what ffprobe says of it cannot be read: %w", err)
	}
	if len(all.Streams) == 0 {
		return f, errors.New("it has no pictures")
	}
	s := all.Streams[0]
	if s.Width < 1 || s.Height < 1 || s.Width > MostPixels || s.Height > MostPixels || s.Width*s.Height > MostPixels {
		return f, fmt.Errorf(
			"its frames have %d × %d pixels; %d million are possible", s.Width, s.Height, MostPixels/1_000_000,
		)
	}
	var times []float64 // of its frames, in seconds
	for _, p := range all.Packets {
		if strings.Contains(p.Flags, "D") { // left out by the file's own edit
			continue
		}
		t, err := strconv.ParseFloat(p.Time, 64)
		if err != nil || math.IsNaN(t) || math.IsInf(t, 0) {
			return f, errors.New("it does not say when each of its frames is shown; write it anew with ffmpeg -i")
		}
		times = append(times, t)
	}
	switch {
	case len(times) < 2:
		return f, errors.New("it has one frame or none; save a single one as a picture")
	case len(times) > MostFrames:
		return f, fmt.Errorf("it has %d frames; %d are possible", len(times), MostFrames)
	}
	slices.Sort(times)
	f = Facts{Codec: s.Codec, Frames: len(times)}
	if f.Rate, err = rateOf(times, s.Average, s.Common); err != nil {
		return f, err
	}
	if begins, err := strconv.ParseFloat(all.Format.Start, 64); err == nil && begins-begins == 0 {
		f.Start = times[0] - begins
	}
	f.PixelAspect = aspectOf(s.Aspect)
	return f, f.colours(s)
}

// rateOf returns the rate at which frames are shown, one of those that are named. Files round times, by half a frame at
// most.
func rateOf(times []float64, named ...string) (frame.Rate, error) {
	for _, text := range named {
		r, err := frame.ParseRate(text)
		if err != nil {
			continue
		}
		even := true
		for i, t := range times {
			even = even && math.Abs((t-times[0])*r.PerSecond()-float64(i)) < 0.45
		}
		if even {
			return r, nil
		}
	}
	return frame.Rate{}, errors.New(
		"its frames are not shown at one rate; write it anew at one, such as with ffmpeg -i FILE -r 24 NEW.mov",
	)
}

// aspectOf reads a pixel aspect, "4:3"; what is not said is 1.
func aspectOf(text string) float64 {
	over, under, _ := strings.Cut(text, ":")
	a, errA := strconv.Atoi(over)
	b, errB := strconv.Atoi(under)
	if errA != nil || errB != nil || a < 1 || b < 1 || a > 100*b || b > 100*a {
		return 1
	}
	return float64(a) / float64(b)
}

// highDefinition is from how many lines on a movie that does not say its matrix has that of BT.709: common practice.
const highDefinition = 720

// colours reads what the codes of a stream stand for. What a movie does not say is taken as is common practice: the
// narrow range, BT.601 below high definition and BT.709 from there on, and, for R'G'B', sRGB.
func (f *Facts) colours(s aStream) error {
	f.Deep = deep(s)
	rgb := s.Matrix == "gbr" ||
		slices.ContainsFunc([]string{"rgb", "bgr", "gbr", "argb", "abgr", "pal", "0rgb", "0bgr"},
			func(of string) bool { return strings.HasPrefix(s.PixelFormat, of) })
	unsaid := func(text string) bool { return text == "" || text == "unknown" || text == "reserved" }
	f.Full = rgb || s.Range == "pc" || strings.HasPrefix(s.PixelFormat, "yuvj")
	f.Assumed = unsaid(s.Transfer) || unsaid(s.Primaries) || !rgb && unsaid(s.Matrix)
	switch {
	case rgb, strings.HasPrefix(s.PixelFormat, "gray"):
	case s.Matrix == "bt709", s.Matrix == "smpte240m", s.Matrix == "fcc":
		f.Matrix = s.Matrix
	case s.Matrix == "smpte170m", s.Matrix == "bt470bg", unsaid(s.Matrix) && s.Height < highDefinition:
		f.Matrix = "bt601"
	case unsaid(s.Matrix):
		f.Matrix = "bt709"
	case s.Matrix == "bt2020nc":
		f.Matrix = "bt2020"
	default:
		return fmt.Errorf("its matrix %s is not known; write it anew with that of BT.709", s.Matrix)
	}
	switch {
	case unsaid(s.Transfer) && rgb, s.Transfer == "iec61966-2-1":
		f.Curve = pixel.SRGB
	case unsaid(s.Transfer), slices.Contains(
		[]string{"bt709", "smpte170m", "smpte240m", "bt2020-10", "bt2020-12"}, s.Transfer,
	): // shown by a display as BT.1886 says
		f.Curve = pixel.BT1886
	case s.Transfer == "bt470m", s.Transfer == "gamma22":
		f.Curve = pixel.Gamma22
	case s.Transfer == "linear":
		f.Curve = pixel.Linear
	default:
		return fmt.Errorf("its curve %s is not known; write it anew for a usual display", s.Transfer)
	}
	switch f.Primaries = s.Primaries; {
	case unsaid(s.Primaries), s.Primaries == "bt709":
		f.Primaries = ""
	default:
		if _, err := gamutOf(s.Primaries); err != nil {
			return err
		}
	}
	return nil
}

// deep reports whether codes have more than 8 bits: by what the stream says, or by the name of its format, in which
// they stand ("yuv422p10le", "rgb48be").
func deep(s aStream) bool {
	if bits, err := strconv.Atoi(s.Bits); err == nil && bits > 0 {
		return bits > 8
	}
	for _, end := range []string{"le", "be"} {
		if strings.HasSuffix(s.PixelFormat, end) {
			return true
		}
	}
	return false
}

// gamutOf returns the chromaticities that ffmpeg has a name for: ITU-R BT.601-7, table 1 (from memory), and those of
// core/pixel.
func gamutOf(name string) (pixel.Gamut, error) {
	white := pixel.BT709.Gamut().White
	switch name {
	case "", "bt709":
		return pixel.BT709.Gamut(), nil
	case "bt2020":
		return pixel.BT2020.Gamut(), nil
	case "smpte432":
		return pixel.P3D65.Gamut(), nil
	case "smpte170m", "smpte240m":
		return pixel.Gamut{
			Red: pixel.Chromaticity{X: 0.630, Y: 0.340}, Green: pixel.Chromaticity{X: 0.310, Y: 0.595},
			Blue: pixel.Chromaticity{X: 0.155, Y: 0.070}, White: white,
		}, nil
	case "bt470bg":
		return pixel.Gamut{
			Red: pixel.Chromaticity{X: 0.640, Y: 0.330}, Green: pixel.Chromaticity{X: 0.290, Y: 0.600},
			Blue: pixel.Chromaticity{X: 0.150, Y: 0.060}, White: white,
		}, nil
	}
	return pixel.Gamut{}, fmt.Errorf("its primaries %s are not known; write it anew with those of BT.709", name)
}

// At returns which frame is shown so many seconds after the first one, the first or last one beyond them.
func (f Facts) At(seconds float64) int {
	const rounding = 1e-6 // of a frame
	n := math.Floor(seconds*f.Rate.PerSecond() + rounding)
	return int(min(max(n, 0), float64(f.Frames-1)))
}

// String says what the movie is, in a few words.
func (f Facts) String() string {
	words := fmt.Sprintf("%d frames, %s, %s, %s", f.Frames, f.Rate, f.Codec, f.Curve.Name())
	if f.Assumed {
		words += " (assumed)"
	}
	return words
}
