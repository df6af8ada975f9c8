package screening

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/matte"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// Values returns what a file of any program holds at a pixel of a part, from the top left of its data window, in the
// file's own units: codes as codes, with the light that they stand for, numbers as numbers, counts whole, and of a
// Cryptomatte the names of what covers the pixel and how much of it. passes are those of a file whose channels are
// named after none; nil if nobody knows them.
func Values(f *picture.File, part, x, y int, passes []pass.Code, style pass.DepthStyle) ([]Value, error) {
	if part < 0 || part >= len(f.Headers) {
		return nil, fmt.Errorf("there is no part %d, only %d", part+1, len(f.Headers))
	}
	h := f.Headers[part]
	if x < 0 || y < 0 || x >= h.Width() || y >= h.Height() {
		return nil, fmt.Errorf("pixel %d, %d %w of %d × %d", x, y, ErrOutside, h.Width(), h.Height())
	}
	line, err := f.Stored(part, y, y+1)
	if err != nil {
		return nil, err
	}
	p := pointer{line: line, x: x, bits: f.Bits(part), style: style, names: map[string]named{}}
	p.layers(passes)
	mattes, taken := p.mattes()
	var values []Value
	for _, i := range p.order() {
		if !taken[line.Channels[i].Name] {
			values = append(values, p.value(i))
		}
	}
	return append(values, mattes...), nil
}

// order returns the channels as they are told: those of known passes as these have them, then the others as they stand.
func (p *pointer) order() []int {
	var order []int
	for _, name := range p.known {
		if i := p.line.Channel(name); i >= 0 && !slices.Contains(order, i) {
			order = append(order, i)
		}
	}
	for i := range p.line.Channels {
		if !slices.Contains(order, i) {
			order = append(order, i)
		}
	}
	return order
}

// ErrOutside is the error of a pixel that a picture does not have.
var ErrOutside = errors.New("lies outside the picture")

// A pointer is one pixel of a line of a file.
type pointer struct {
	line  imagefile.Part // of one line
	x     int
	bits  int // of a code
	style pass.DepthStyle
	names map[string]named // of channels that are of a known pass
	known []string         // those channels, in the order of their passes
}

// A named channel is one of a pass.
type named struct {
	pass    pass.Pass
	channel string
}

// layers finds what the channels are: by their own names, and of a file of one pass by its.
func (p *pointer) layers(passes []pass.Code) {
	var all []string
	for _, c := range p.line.Channels {
		all = append(all, c.Name)
	}
	plain := len(passes) == 1 && passes[0] != pass.Beauty
	codes := pass.In(all)
	if plain {
		codes = passes
	}
	for _, code := range codes {
		described, err := pass.Find(code)
		if err != nil {
			continue
		}
		for i, name := range described.ChannelNames() {
			short := strings.TrimPrefix(name, string(code)+".")
			p.names[name] = named{described, short}
			p.known = append(p.known, name)
			if plain && i < 3 && !strings.Contains(strings.Join(all, " "), ".") {
				p.names["RGB"[i:i+1]] = named{described, short}
				p.known = append(p.known, "RGB"[i:i+1])
			}
		}
	}
}

// raw returns a sample as the file has it.
func (p *pointer) raw(i int) float64 {
	plane := p.line.Planes[i]
	switch p.line.Channels[i].Type {
	case imagefile.Half:
		return float64(pixel.FromHalf(uint16(plane[2*p.x]) | uint16(plane[2*p.x+1])<<8))
	case imagefile.Uint8:
		return float64(plane[p.x] >> (8 - p.bits))
	case imagefile.Uint16:
		return float64((uint16(plane[2*p.x]) | uint16(plane[2*p.x+1])<<8) >> (16 - p.bits))
	}
	v := uint32(plane[4*p.x]) | uint32(plane[4*p.x+1])<<8 | uint32(plane[4*p.x+2])<<16 | uint32(plane[4*p.x+3])<<24
	if p.line.Channels[i].Type == imagefile.Uint32 {
		return float64(v)
	}
	return float64(math.Float32frombits(v))
}

// value returns what one channel holds.
func (p *pointer) value(i int) Value {
	c := p.line.Channels[i]
	layer, channel := "", c.Name
	if at := strings.LastIndexByte(c.Name, '.'); at >= 0 {
		layer, channel = c.Name[:at], c.Name[at+1:]
	}
	v := Value{Channel: channel, Pass: layer, Value: p.raw(i)}
	if layer == "" {
		v.Pass = "Picture"
	}
	if n, known := p.names[c.Name]; known {
		v.Channel, v.Code, v.Pass, v.Unit = n.channel, n.pass.Code, n.pass.Name, n.pass.Unit
		if n.pass.Code == pass.Depth && p.style.Picture {
			v.Unit = ""
		}
	}
	switch c.Type {
	case imagefile.Uint32:
		v.Text = strconv.FormatFloat(v.Value, 'f', 0, 64)
	case imagefile.Uint8, imagefile.Uint16:
		white := float64(int(1)<<p.bits - 1)
		v.Text = fmt.Sprintf("%.0f of %.0f", v.Value, white)
		curve := p.line.Curve
		if curve == "" {
			curve = pixel.SRGB
		}
		if c.Name != "A" {
			v.Text += fmt.Sprintf(" (light %.4f)", curve.Decode(v.Value/white))
		}
		v.Unit = ""
	default:
		v.Text = fmt.Sprintf("%.4f", v.Value)
		if v.Unit != "" {
			v.Text = fmt.Sprintf("%.3f %s", v.Value, v.Unit)
		}
		if math.IsNaN(v.Value) || math.IsInf(v.Value, 0) {
			v.Value, v.Text = 0, fmt.Sprint(v.Value)
		}
	}
	return v
}

// mattes returns what the Cryptomattes of the file say of the pixel, and the channels that hold it.
func (p *pointer) mattes() (values []Value, taken map[string]bool) {
	taken = map[string]bool{}
	for _, layer := range matte.Layers(p.line.Header) {
		told := "Cryptomatte " + layer.Name
		var code pass.Code
		if n, known := p.names[layer.Name+"00.R"]; known {
			told, code = n.pass.Name, n.pass.Code
		}
		before := len(values)
		for _, pair := range layer.Pairs {
			taken[p.line.Channels[pair.ID].Name], taken[p.line.Channels[pair.Coverage].Name] = true, true
			share := p.raw(pair.Coverage)
			if !(share > 0) {
				continue
			}
			values = append(values, Value{
				Channel: layer.Title(math.Float32bits(float32(p.raw(pair.ID)))), Code: code, Pass: told, Value: share,
				Text: fmt.Sprintf("%.1f %%", 100*share),
			})
		}
		if len(values) == before {
			values = append(values, Value{Channel: "nothing", Code: code, Pass: told})
		}
	}
	return values, taken
}
