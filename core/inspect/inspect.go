// Package inspect judges finished files: whether they are complete, readable, of the right size, with the
// channels that were promised, and without numbers that are none.
package inspect

import (
	"fmt"
	"io"
	"slices"

	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// Expected is what a file was promised to be. The zero value promises nothing.
type Expected struct {
	Encoding output.Encoding
	Size     raster.Size
	Passes   []pass.Code
}

// A Report is what was found.
type Report struct {
	Problems []string        `json:"problems"` // empty for a good file
	Encoding output.Encoding `json:"encoding"` // as the file says it; the level is not known
	// CurveStated says that the file states its display encode; otherwise sRGB was taken for it.
	CurveStated bool       `json:"curveStated"`
	Width       int        `json:"width"`
	Height      int        `json:"height"`
	Channels    []Channel  `json:"channels"`
	Facts       []job.Fact `json:"facts"` // of the first part, without our prefix
	Parts       []Part     `json:"parts"`
}

// A Channel is one channel of a file.
type Channel struct {
	Name string `json:"name"`
	Type string `json:"type"` // "half", "float", "uint32", "8 bit", "10 bit" or "16 bit"
	pixel.Stats
}

// Good reports whether nothing is wrong.
func (r Report) Good() bool { return len(r.Problems) == 0 }

func (r *Report) problem(format string, args ...any) {
	r.Problems = append(r.Problems, fmt.Sprintf(format, args...))
}

// linesAtOnce is how many lines of a file are looked at together, so that a large one need not be held as a whole.
const linesAtOnce = 256

// Judge reads a whole file of size bytes and holds it against what was expected.
func Judge(in io.ReaderAt, size int64, want Expected) Report {
	r := Report{Problems: []string{}}
	file, err := picture.OpenLarge(in, size, max(picture.Limit, want.Bytes()))
	if err != nil {
		r.problem("it cannot be read: %s", err)
		return r
	}
	file.KeepPrimaries = true
	first, channels, err := measure(file, 0)
	if err != nil {
		r.problem("it cannot be read: %s", err)
		return r
	}
	r.Encoding, r.CurveStated, r.Width, r.Height, r.Facts = first.Encoding, first.CurveStated, file.Headers[0].Width(),
		file.Headers[0].Height(), first.Facts
	r.Parts = parts(file, first.Encoding)
	for _, c := range channels {
		c.Type = r.channelType(c.Name)
		r.Channels = append(r.Channels, c)
		r.numbers("channel "+c.Name, c.Stats)
	}
	for i := 1; i < len(r.Parts); i++ {
		r.further(file, i)
	}
	if got := r.Encoding; want.Encoding.Format != "" {
		switch {
		case got.Format != want.Encoding.Format:
			r.problem("it is %s, not %s", got.Format.Kind().Name, want.Encoding.Format.Kind().Name)
		case got.Format != output.EXR && got.Depth != want.Encoding.Depth:
			r.problem("it has %s a value, not %s", depthInWords(got.Depth), depthInWords(want.Encoding.Depth))
		case got.Primaries != want.Encoding.Primaries:
			r.problem("its light is %s, not %s", got.Primaries.Name(), want.Encoding.Primaries.Name())
		case got.Curve != want.Encoding.Curve:
			r.problem("it is encoded by %s, not by %s", got.Curve.Name(), want.Encoding.Curve.Name())
		}
	}
	if want.Size != (raster.Size{}) && (want.Size.Width != r.Width || want.Size.Height != r.Height) {
		r.problem("it is %d × %d pixels, not %v", r.Width, r.Height, want.Size)
	}
	if len(want.Passes) > 0 {
		r.channels(want)
	}
	if err := file.CheckSum(); err != nil {
		r.problem("%s", err)
	}
	return r
}

// Bytes returns how many the samples of what is expected take at most, in any type.
func (e Expected) Bytes() int64 {
	channels := 0
	for _, code := range e.Passes {
		if described, err := pass.Find(code); err == nil {
			channels += len(described.Channels)
		}
	}
	return int64(channels) * 8 * int64(e.Size.Pixels())
}

// measure reads a part and measures its channels, without their types. The picture is its first lines.
func measure(file *picture.File, n int) (first picture.Picture, channels []Channel, err error) {
	height := file.Headers[n].Height()
	for y := 0; y < height; y += linesAtOnce {
		p, err := file.Lines(n, y, min(y+linesAtOnce, height))
		if err != nil {
			return first, nil, err
		}
		for i, plane := range p.Image.Planes {
			if y == 0 {
				channels = append(channels, Channel{Name: plane.Name, Stats: plane.Stats()})
				continue
			}
			channels[i].Stats = channels[i].Add(y*p.Image.Width, plane.Stats(), len(plane.Data))
		}
		if y == 0 {
			first = p
		}
	}
	return first, channels, nil
}

// further reads one of the parts behind the first.
func (r *Report) further(file *picture.File, n int) {
	part := fmt.Sprintf("part %d, %q", n+1, r.Parts[n].Name)
	_, channels, err := measure(file, n)
	if err != nil {
		r.problem("%s cannot be read: %s", part, err)
		return
	}
	for _, c := range channels {
		r.numbers(part+": channel "+c.Name, c.Stats)
	}
}

func (r *Report) numbers(where string, s pixel.Stats) {
	if s.NaN > 0 {
		r.problem("%s holds %d values that are not a number", where, s.NaN)
	}
	if s.Infinite > 0 {
		r.problem("%s holds %d infinite values", where, s.Infinite)
	}
}

func depthInWords(d output.Depth) string {
	if d == output.Float {
		return "a 32-bit float"
	}
	return string(d) + " bits"
}

// channelType returns the type of a plane in the first part. Planes that were made of grey are of its type.
func (r *Report) channelType(name string) string {
	channels := r.Parts[0].Channels
	if i := slices.IndexFunc(channels, func(c ChannelType) bool { return c.Name == name }); i >= 0 {
		return channels[i].Type
	}
	return channels[0].Type
}

// channels holds names and types against those of the passes.
func (r *Report) channels(want Expected) {
	var promised []string
	for _, code := range want.Passes {
		described, err := pass.Find(code)
		if err != nil {
			r.problem("%s", err)
			continue
		}
		kind := "float"
		if want.Encoding.Half(described) {
			kind = "half"
		}
		for _, name := range want.Encoding.Stored(described) {
			promised = append(promised, name)
			i := slices.IndexFunc(r.Channels, func(c Channel) bool { return c.Name == name })
			switch {
			case i < 0 && name == "A" && r.Encoding.Format == output.PNG:
				// A PNG that covers everywhere may leave its alpha out.
			case i < 0:
				r.problem("channel %s is missing", name)
			case r.Encoding.Format == output.EXR && r.Channels[i].Type != kind:
				r.problem("channel %s is %s, not %s", name, r.Channels[i].Type, kind)
			}
		}
	}
	for _, c := range r.Channels {
		if !slices.Contains(promised, c.Name) {
			r.problem("channel %s was not asked for", c.Name)
		}
	}
}
