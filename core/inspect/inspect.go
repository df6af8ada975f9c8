// Package inspect judges finished files: whether they are complete, readable, of the right size, with the
// channels that were promised, and without numbers that are none.
package inspect

import (
	"fmt"
	"slices"

	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// Expected is what a file was promised to be. The zero value promises nothing.
type Expected struct {
	Format production.Format
	Size   raster.Size
	Passes []pass.Code
}

// A Report is what was found.
type Report struct {
	Problems []string          `json:"problems"` // empty for a good file
	Format   production.Format `json:"format"`
	Width    int               `json:"width"`
	Height   int               `json:"height"`
	Channels []Channel         `json:"channels"`
	Facts    []job.Fact        `json:"facts"`
}

// A Channel is one channel of a file.
type Channel struct {
	Name string `json:"name"`
	Type string `json:"type"` // "half", "float", "8 bit" or "16 bit"
	pixel.Stats
}

// Good reports whether nothing is wrong.
func (r Report) Good() bool { return len(r.Problems) == 0 }

func (r *Report) problem(format string, args ...any) {
	r.Problems = append(r.Problems, fmt.Sprintf(format, args...))
}

// Judge reads a whole file and holds it against what was expected.
func Judge(data []byte, want Expected) Report {
	var r Report
	picture, err := imagefile.Decode(data)
	if err != nil {
		r.problem("it cannot be read: %s", err)
		return r
	}
	img := picture.Image
	r.Format, r.Width, r.Height, r.Facts = picture.Format, img.Width, img.Height, picture.Facts
	for _, p := range img.Planes {
		c := Channel{p.Name, channelType(picture.Format, p), p.Stats()}
		r.Channels = append(r.Channels, c)
		if c.NaN > 0 {
			r.problem("channel %s holds %d values that are not a number", c.Name, c.NaN)
		}
		if c.Infinite > 0 {
			r.problem("channel %s holds %d infinite values", c.Name, c.Infinite)
		}
	}
	if want.Format != "" && want.Format != r.Format {
		r.problem("it is %s, not %s", r.Format, want.Format)
	}
	if want.Size != (raster.Size{}) && (want.Size.Width != r.Width || want.Size.Height != r.Height) {
		r.problem("it is %d × %d pixels, not %v", r.Width, r.Height, want.Size)
	}
	if len(want.Passes) > 0 {
		r.channels(want)
	}
	return r
}

func channelType(f production.Format, p pixel.Plane) string {
	switch {
	case f == production.PNG8:
		return "8 bit"
	case f == production.PNG16:
		return "16 bit"
	case p.Half:
		return "half"
	}
	return "float"
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
		kind := "half"
		if described.Data {
			kind = "float"
		}
		for _, name := range described.ChannelNames() {
			promised = append(promised, name)
			i := slices.IndexFunc(r.Channels, func(c Channel) bool { return c.Name == name })
			switch {
			case i < 0:
				r.problem("channel %s is missing", name)
			case r.Format == production.EXR && r.Channels[i].Type != kind:
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
