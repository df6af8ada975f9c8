// Package screening computes what a viewer shows: a pass as a picture for the screen, and the true values
// under a point. Nothing here changes a file; every mapping to the screen is stated.
package screening

import (
	"fmt"
	"image"
	"math"
	"runtime"
	"strings"
	"sync"

	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// Passes returns the passes that an image holds, by its channel names.
func Passes(img *pixel.Image) []pass.Code {
	var names []string
	for _, p := range img.Planes {
		names = append(names, p.Name)
	}
	return pass.In(names)
}

// Scales of what is shown.
const (
	positionStep = 10 // metres
	mostMotion   = 16 // pixels
	mostShown    = 64 // samples
	errorTimes   = 10
)

// A mapping is one way of showing: in words, and of a value. Light, and IDs of a Cryptomatte, have ways of their own.
type mapping struct {
	words string
	value func(v float64) float64 // from what a file holds to 0, black, to 1, white
}

// mappings are the ways of showing, but for those that depend on the picture; see pass.Shown.
var mappings = map[pass.Shown]mapping{
	pass.AsLight: {words: "linear light through the sRGB curve"},
	pass.AsIDs:   {words: "a colour for each ID, mixed by coverage"},
	pass.AsDirection: {
		"X, Y and Z from −1 to 1 as red, green and blue from 0 to 1",
		func(v float64) float64 { return v/2 + 0.5 },
	},
	pass.AsValues: {"values as they are", func(v float64) float64 { return v }},
	pass.AsCount: {
		fmt.Sprintf("from 0, black, to %d samples, white", mostShown),
		func(v float64) float64 { return v / mostShown },
	},
	pass.AsError: {
		fmt.Sprintf("%d times the standard error, the root of the values, as light", errorTimes),
		func(v float64) float64 { return errorTimes * math.Sqrt(v) },
	},
	pass.AsPosition: {
		fmt.Sprintf("X, Y and Z as red, green and blue, from black to white within every %d m", positionStep),
		func(v float64) float64 { return v/positionStep - math.Floor(v/positionStep) },
	},
	pass.AsMotion: {
		fmt.Sprintf("from −%d to %[1]d pixels to the right as red, and down as green, from 0 to 1", mostMotion),
		func(v float64) float64 { return v/(2*mostMotion) + 0.5 },
	},
}

// Mapping says in words how a pass is shown. depthFar is the distance that is shown white, in metres; 0 for the
// farthest surface of whatever picture it is.
func Mapping(code pass.Code, style pass.DepthStyle, depthFar float64) string {
	described, err := pass.Find(code)
	switch {
	case err != nil:
		return ""
	case described.Shown != pass.AsDistance:
		return mappings[described.Shown].words
	case code == pass.Depth && style.Picture:
		return fmt.Sprintf("0 is black, 1 is white (%s)", style)
	case depthFar == 0:
		return "0 m is black, the farthest surface is white"
	}
	return fmt.Sprintf("0 m is black, %.4g m and beyond is white", depthFar)
}

// DepthFar returns the depth or distance that is shown white: the farthest surface of the image, background left out;
// and 1 of a picture of depth.
func DepthFar(img *pixel.Image, code pass.Code, style pass.DepthStyle, background float64) float64 {
	far := 0.0
	described, err := pass.Find(code)
	if err != nil || code == pass.Depth && style.Picture {
		return 1
	}
	if p := img.Plane(described.ChannelNames()[0]); p != nil {
		for _, v := range p.Data {
			if z := float64(v); z < background*(1-1e-6) && z > far {
				far = z
			}
		}
	}
	if far == 0 {
		return 1
	}
	return far
}

// Display returns one pass as an 8-bit picture. gain brightens the beauty; depthFar is the depth shown
// white.
func Display(img *pixel.Image, code pass.Code, gain, depthFar float64) (*image.NRGBA, error) {
	return through(img, code, Plain(gain, depthFar))
}

// through returns one pass as an 8-bit picture, light through the transform of a view.
func through(img *pixel.Image, code pass.Code, view View) (*image.NRGBA, error) {
	gain, depthFar := view.Gain, view.DepthFar
	described, planes, err := shownPlanes(img, code)
	if err != nil {
		return nil, err
	}
	encode := pixel.NewEncoder(8, view.Viewing.Curve(), pixel.NoDither)
	plain := func(v float64) byte { return byte(255*min(1, max(0, v)) + 0.5) }
	shown := func(v float32) byte { return byte(encode.Code(float32(float64(v)*gain), 0, 0)) }
	if described.Shown == pass.AsDistance {
		shown = func(v float32) byte { return plain(float64(v) / depthFar) }
	} else if m := mappings[described.Shown]; m.value != nil {
		shown = func(v float32) byte { return plain(m.value(float64(v))) }
	}
	out := newOpaque(img.Width, img.Height)
	if described.IsCryptomatte() {
		for i := range img.Width * img.Height {
			r, g, b := mattes(planes, i)
			out.Pix[4*i], out.Pix[4*i+1], out.Pix[4*i+2] = plain(r), plain(g), plain(b)
		}
		return out, nil
	}
	if described.Shown == pass.AsLight && len(planes) == 3 {
		switch {
		case view.LUT != nil:
			r, g, b := planes[0].Data, planes[1].Data, planes[2].Data
			view.LUT.Each(r, g, b, gain, func(i int, x, y, z float64) {
				out.Pix[4*i], out.Pix[4*i+1], out.Pix[4*i+2] = plain(x), plain(y), plain(z)
			})
			return out, nil
		case view.Viewing == pixel.ViewSoft:
			soft(out, planes, gain, encode)
			return out, nil
		}
	}
	if len(planes) == 1 {
		shades := shades{of: shown}
		shades.fill(out, planes[0], 0, 1, 2)
		return out, nil
	}
	shades := shades{of: shown}
	var group sync.WaitGroup
	for c, p := range planes[:min(3, len(planes))] { // of two values the third is black
		group.Go(func() { shades.fill(out, p, c) })
	}
	group.Wait()
	return out, nil
}

// soft puts light into a picture through pixel.ViewSoft, on all cores. Codes are those of half floats, of which each is
// worked out once.
func soft(out *image.NRGBA, planes []pixel.Plane, gain float64, encode *pixel.Encoder) {
	var codes [1 << 16]byte
	for bits := range codes {
		codes[bits] = byte(encode.Code(pixel.FromHalf(uint16(bits)), 0, 0))
	}
	var group sync.WaitGroup
	all, parts := len(planes[0].Data), runtime.GOMAXPROCS(0)
	for n := range parts {
		group.Go(func() {
			for i := all * n / parts; i < all*(n+1)/parts; i++ {
				r, g, b := pixel.ViewSoft.Light(gain*float64(planes[0].Data[i]), gain*float64(planes[1].Data[i]),
					gain*float64(planes[2].Data[i]))
				out.Pix[4*i] = codes[pixel.ToHalf(float32(r))]
				out.Pix[4*i+1] = codes[pixel.ToHalf(float32(g))]
				out.Pix[4*i+2] = codes[pixel.ToHalf(float32(b))]
			}
		})
	}
	group.Wait()
}

// newOpaque returns a black picture without holes.
func newOpaque(width, height int) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, width, height))
	for i := range width * height {
		out.Pix[4*i+3] = 255
	}
	return out
}

// shades are codes of the display. Of half floats there are so few that each is worked out once.
type shades struct {
	of     func(v float32) byte
	once   sync.Once
	halves [1 << 16]byte // by their bits, once they are wanted
}

// fill puts what is shown of a plane into some of red, green and blue.
func (s *shades) fill(out *image.NRGBA, p pixel.Plane, into ...int) {
	first := into[0]
	if p.Half && len(p.Data) > 1<<16 {
		s.once.Do(func() {
			for bits := range s.halves {
				s.halves[bits] = s.of(pixel.FromHalf(uint16(bits)))
			}
		})
		for i, v := range p.Data {
			out.Pix[4*i+first] = s.halves[pixel.ToHalf(v)]
		}
	} else {
		for i, v := range p.Data {
			out.Pix[4*i+first] = s.of(v)
		}
	}
	for _, c := range into[1:] {
		for i := range p.Data {
			out.Pix[4*i+c] = out.Pix[4*i+first]
		}
	}
}

// mattes returns the colour in which a pixel of a Cryptomatte is shown: each ID has one of its own, as strong as it
// covers.
func mattes(planes []pixel.Plane, at int) (r, g, b float64) {
	for k := 0; k+1 < len(planes); k += 2 {
		id, coverage := math.Float32bits(planes[k].Data[at]), float64(planes[k+1].Data[at])
		part := func(shift int) float64 { return 0.1 + 0.9*float64(id>>shift&0xff)/0xff }
		if coverage > 0 {
			r, g, b = r+coverage*part(0), g+coverage*part(8), b+coverage*part(16)
		}
	}
	return r, g, b
}

// A Value is one channel's value at a point.
type Value struct {
	Channel string    `json:"channel"`
	Code    pass.Code `json:"code"`
	Pass    string    `json:"pass"`
	Unit    string    `json:"unit,omitempty"`
	Value   float64   `json:"value"`
	Text    string    `json:"text"`
}

// Probe returns every channel's value at a pixel, from the top left, exactly as the file holds it. A depth that is no
// metres has no unit.
func Probe(img *pixel.Image, x, y int, style pass.DepthStyle) ([]Value, error) {
	if x < 0 || y < 0 || x >= img.Width || y >= img.Height {
		return nil, fmt.Errorf("pixel %d, %d lies outside the picture of %d × %d", x, y, img.Width, img.Height)
	}
	var values []Value
	for _, code := range Passes(img) {
		described, _ := pass.Find(code)
		if code == pass.Depth && style.Picture {
			described.Unit = ""
		}
		for _, name := range described.ChannelNames() {
			plane := img.Plane(name)
			if plane == nil {
				continue
			}
			v := float64(plane.Data[y*img.Width+x])
			value := Value{
				Channel: strings.TrimPrefix(name, string(code)+"."),
				Code:    code,
				Pass:    described.Name,
				Unit:    described.Unit,
				Value:   v,
				Text:    fmt.Sprintf("%.4f", v),
			}
			if math.IsNaN(v) || math.IsInf(v, 0) {
				value.Value, value.Text = 0, fmt.Sprint(v)
			}
			if described.Unit != "" {
				value.Text = fmt.Sprintf("%.3f %s", v, described.Unit)
			}
			values = append(values, value)
		}
	}
	return values, nil
}
