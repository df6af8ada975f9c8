package inspect

import (
	"image"

	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/picture"
)

// A Part is what a file says of one of its parts.
type Part struct {
	Name        string        `json:"name,omitempty"`
	Storage     string        `json:"storage,omitempty"` // its compression and order, of OpenEXR
	Data        Window        `json:"dataWindow"`
	Display     Window        `json:"displayWindow"`
	PixelAspect float64       `json:"pixelAspect"`
	Alpha       string        `json:"alpha,omitempty"`
	Channels    []ChannelType `json:"channels"`
	Facts       []job.Fact    `json:"facts"` // with their names in full
}

// A Window is a rectangle of pixels.
type Window struct {
	X      int `json:"x"`
	Y      int `json:"y"`
	Width  int `json:"width"`
	Height int `json:"height"`
}

// A ChannelType is a channel without its numbers.
type ChannelType struct {
	Name string `json:"name"`
	Type string `json:"type"`
}

// parts tells them. encoding is that of the first one.
func parts(f *picture.File, encoding output.Encoding) []Part {
	var all []Part
	for i, h := range f.Headers {
		part := Part{
			Name:        h.Name,
			Storage:     f.Storage[i],
			Data:        window(h.DataWindow),
			Display:     window(h.DisplayWindow),
			PixelAspect: h.Aspect(),
			Facts:       []job.Fact{},
		}
		switch {
		case h.Channel("A") < 0:
		case h.Alpha == imagefile.Straight || i == 0 && encoding.Alpha == output.Straight:
			part.Alpha = string(output.Straight)
		case h.Alpha == imagefile.Premultiplied:
			part.Alpha = string(output.Premultiplied)
		}
		for _, c := range h.Channels {
			part.Channels = append(part.Channels, ChannelType{c.Name, typeName(c, encoding.Depth)})
		}
		for _, a := range h.Attributes {
			part.Facts = append(part.Facts, job.Fact{Name: a.Name, Value: a.String()})
		}
		all = append(all, part)
	}
	return all
}

func window(r image.Rectangle) Window { return Window{r.Min.X, r.Min.Y, r.Dx(), r.Dy()} }

// typeName returns "half", "float" or "uint32", or how many bits codes have.
func typeName(c imagefile.Channel, depth output.Depth) string {
	switch {
	case c.Type == imagefile.Uint8:
		return "8 bit"
	case c.Type == imagefile.Uint16 && depth == output.Ten:
		return "10 bit"
	case c.Type == imagefile.Uint16:
		return "16 bit"
	}
	return c.Type.String()
}
