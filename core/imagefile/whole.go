package imagefile

import "fmt"

// whole reads parts that are in memory already.
type whole []Part

// Whole returns a reader of parts that were decoded as a whole, as most formats are.
func Whole(parts ...Part) Reader { return whole(parts) }

func (w whole) Headers() []Header {
	headers := make([]Header, len(w))
	for i, p := range w {
		headers[i] = p.Header
	}
	return headers
}

func (w whole) ReadLines(part, y0, y1 int, planes [][]byte) error {
	if part < 0 || part >= len(w) {
		return fmt.Errorf("there is no part %d, only %d", part+1, len(w))
	}
	p := w[part]
	if err := p.CheckLines(y0, y1, planes); err != nil {
		return err
	}
	for i, plane := range planes {
		if plane != nil {
			line := p.Width() * p.Channels[i].Type.Size()
			copy(plane, p.Planes[i][y0*line:y1*line])
		}
	}
	return nil
}

// CheckLines says whether planes have the room for lines y0 up to y1.
func (h *Header) CheckLines(y0, y1 int, planes [][]byte) error {
	if y0 < 0 || y1 < y0 || y1 > h.Height() {
		return fmt.Errorf("there are no lines %d up to %d, only %d", y0, y1, h.Height())
	}
	if len(planes) != len(h.Channels) {
		return fmt.Errorf("%d planes for %d channels", len(planes), len(h.Channels))
	}
	for i, c := range h.Channels {
		if need := (y1 - y0) * h.Width() * c.Type.Size(); planes[i] != nil && len(planes[i]) < need {
			return fmt.Errorf("the plane of channel %s has %d bytes, not %d", c.Name, len(planes[i]), need)
		}
	}
	return nil
}

// CheckWrite says whether lines can follow those that were written already.
func (h *Header) CheckWrite(written, lines int, planes [][]byte) error {
	if lines < 0 || written+lines > h.Height() {
		return fmt.Errorf("%d lines after %d are more than the %d of the picture", lines, written, h.Height())
	}
	for _, p := range planes {
		if p == nil {
			return fmt.Errorf("a channel has no plane")
		}
	}
	return h.CheckLines(0, lines, planes)
}

// gather keeps lines until all are there.
type gather struct {
	part    Part
	written int
	encode  func(Part) error
}

// Gather returns a writer of one part that encodes it as a whole when it is closed.
func Gather(h Header, encode func(Part) error) Writer {
	return &gather{part: Part{Header: h}, encode: encode}
}

func (g *gather) WriteLines(part, lines int, planes [][]byte) error {
	h := &g.part.Header
	if part != 0 {
		return fmt.Errorf("there is no part %d", part+1)
	}
	if err := h.CheckWrite(g.written, lines, planes); err != nil {
		return err
	}
	if g.written == 0 && lines == h.Height() { // nothing needs to be kept
		g.part.Planes, g.written = planes, lines
		return nil
	}
	if g.part.Planes == nil {
		g.part.Planes = h.Planes(h.Height())
	}
	for i, c := range h.Channels {
		line := h.Width() * c.Type.Size()
		copy(g.part.Planes[i][g.written*line:], planes[i][:lines*line])
	}
	g.written += lines
	return nil
}

func (g *gather) Close() error {
	if g.written != g.part.Height() {
		return fmt.Errorf("%d of %d lines were written", g.written, g.part.Height())
	}
	return g.encode(g.part)
}
