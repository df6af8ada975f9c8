package imagefile

import (
	"fmt"
	"io"
	"strings"
)

// Load reads a whole file of size bytes, if it is no larger than limit.
func Load(in io.ReaderAt, size, limit int64) ([]byte, error) {
	if size > limit {
		return nil, fmt.Errorf("the file has %d bytes, and no more than %d may be read", size, limit)
	}
	data := make([]byte, size)
	if _, err := io.ReadFull(io.NewSectionReader(in, 0, size), data); err != nil {
		return nil, fmt.Errorf("the file cannot be read to its end: %w", err)
	}
	return data, nil
}

// Lines returns the attributes as text, one a line, for formats that have room for text only.
func (a Attributes) Lines() string {
	var b strings.Builder
	for _, v := range a {
		fmt.Fprintf(&b, "%s=%s\n", v.Name, strings.NewReplacer("\n", " ", "\r", " ", "\x00", "").Replace(v.String()))
	}
	return b.String()
}

// ParseLines undoes Lines; values stay text. What has no "=" is left out.
func ParseLines(text string) Attributes {
	var a Attributes
	for line := range strings.Lines(text) {
		if name, value, ok := strings.Cut(strings.TrimRight(line, "\r\n\x00"), "="); ok && name != "" {
			a = append(a, Attribute{name, value})
		}
	}
	return a
}

// CheckChannels says whether a format can hold the part's channels: all of one of its types, in one of its orders.
func (h *Header) CheckChannels(types []Type, orders ...string) error {
	var names []string
	for _, c := range h.Channels {
		names = append(names, c.Name)
		if c.Type != h.Channels[0].Type {
			return fmt.Errorf("its channels have several types, and it holds one")
		}
	}
	got := strings.Join(names, "")
	fits := false
	for _, order := range orders {
		fits = fits || got == order
	}
	if !fits {
		return fmt.Errorf("it holds no channels %s, only %s", strings.Join(names, ", "), strings.Join(orders, " or "))
	}
	for _, t := range types {
		if h.Channels[0].Type == t {
			return nil
		}
	}
	return fmt.Errorf("it holds no %s", h.Channels[0].Type)
}

// CheckSize refuses pictures with no pixels, or with an edge that a format has no number for.
func (h *Header) CheckSize(most int) error {
	if w := h.DataWindow; w.Empty() || w.Dx() > most || w.Dy() > most {
		return fmt.Errorf("%d × %d pixels do not fit: an edge has 1 to %d", w.Dx(), w.Dy(), most)
	}
	return nil
}

// Interleave puts one line of planes of the same type behind each other, pixel by pixel.
func Interleave(dst []byte, planes [][]byte, line, width, size int) {
	stride := size * len(planes)
	for i, p := range planes {
		row := p[line*width*size:][:width*size]
		at := i * size
		if size == 1 {
			for _, v := range row {
				dst[at] = v
				at += stride
			}
			continue
		}
		for len(row) > 0 {
			copy(dst[at:at+size], row)
			row = row[size:]
			at += stride
		}
	}
}
