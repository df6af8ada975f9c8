package picture

import (
	"slices"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// toPrimaries gives colour passes the primaries that a file is to have. Planes that change are new ones. Passes of
// numbers stay as they are.
func toPrimaries(img *pixel.Image, p pixel.Primaries, passes []pass.Code) error {
	if p == "" || p == pixel.BT709 {
		return nil
	}
	m, err := pixel.Conversion(pixel.BT709.Gamut(), p.Gamut())
	if err != nil {
		return err
	}
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			return err
		}
		if described.Data {
			continue
		}
		if at := triple(img, described.ChannelNames()); at != nil {
			convert(img, at, m, 0)
		}
	}
	return nil
}

// triple returns the places of the planes among names that are red, green and blue, nil if not all three are there.
func triple(img *pixel.Image, names []string) []int {
	var at []int
	for _, letter := range []string{"R", "G", "B"} {
		i := slices.IndexFunc(names, func(n string) bool { return n[strings.LastIndexByte(n, '.')+1:] == letter })
		if i < 0 {
			return nil
		}
		k := slices.IndexFunc(img.Planes, func(p pixel.Plane) bool { return p.Name == names[i] })
		if k < 0 {
			return nil
		}
		at = append(at, k)
	}
	return at
}

// convert replaces three planes by what a matrix makes of them. rounding is how far the numbers may be off, as a share
// of the greatest of a pixel: what lies below 0 by no more than that is 0.
func convert(img *pixel.Image, at []int, m pixel.Matrix, rounding float64) {
	r, g, b := img.Planes[at[0]].Data, img.Planes[at[1]].Data, img.Planes[at[2]].Data
	made := [3][]float32{make([]float32, len(r)), make([]float32, len(r)), make([]float32, len(r))}
	pixel.Bands(len(r), func(from, behind int) {
		for i := from; i < behind; i++ {
			red, green, blue := float64(r[i]), float64(g[i]), float64(b[i])
			x, y, z := m.Of(red, green, blue)
			least := -rounding * max(red, green, blue)
			for k, v := range [3]float64{x, y, z} {
				if v < 0 && v >= least {
					v = 0
				}
				made[k][i] = float32(v)
			}
		}
	})
	for k, i := range at {
		img.Planes[i].Data = made[k]
	}
}

// statedGamut returns the gamut that a file says its light has; ok is false if it says none, or that of working light.
func statedGamut(h imagefile.Header) (g pixel.Gamut, ok bool) {
	for _, a := range h.Attributes {
		if c, is := a.Value.(imagefile.Chromaticities); is && a.Name == imagefile.ChromaticitiesName {
			g = c.Gamut()
			p, known := pixel.PrimariesOf(g)
			return g, !known || p != pixel.BT709
		}
	}
	return g, false
}

// statedPrimaries returns those of the gamut that a file states, if they have a name and are not those of working
// light.
func statedPrimaries(h imagefile.Header) pixel.Primaries {
	if g, ok := statedGamut(h); ok {
		p, _ := pixel.PrimariesOf(g)
		return p
	}
	return ""
}

// Numbers may be off by half of what a mantissa's last bit is worth; no row of a matrix from a named gamut adds up to
// more than four times that.
const (
	halfRounding = 4.0 / (1 << 11)
	rgbeRounding = 4.0 / (1 << 8)
)

// toWorking gives light that was read the primaries of working light. Layers of numbers, by the names of our passes and
// by what the file says of its mattes, stay as they are. A gamut that is none is passed over.
func (p *Picture) toWorking(h imagefile.Header) {
	g, ok := statedGamut(h)
	if !ok || !p.Encoding.Floating() {
		return
	}
	m, err := pixel.Conversion(g, pixel.BT709.Gamut())
	if err != nil {
		return
	}
	var numbers []string // what names of layers of numbers begin with
	for _, a := range h.Attributes {
		if name, is := a.Value.(string); is && strings.HasPrefix(a.Name, "cryptomatte/") &&
			strings.HasSuffix(a.Name, "/name") {
			numbers = append(numbers, name)
		}
	}
	for _, plane := range p.Image.Planes {
		dot := strings.LastIndexByte(plane.Name, '.')
		layer, letter := plane.Name[:max(dot, 0)], plane.Name[dot+1:]
		if letter != "R" || slices.ContainsFunc(numbers, func(n string) bool { return strings.HasPrefix(layer, n) }) {
			continue
		}
		if described, err := pass.Find(pass.Code(layer)); layer != "" && err == nil && described.Data {
			continue
		}
		prefix := plane.Name[:dot+1]
		at := triple(p.Image, []string{prefix + "R", prefix + "G", prefix + "B"})
		if at == nil {
			continue
		}
		rounding := 0.0
		switch {
		case plane.Half:
			rounding = halfRounding
		case p.Encoding.Format == output.HDR:
			rounding = rgbeRounding
		}
		convert(p.Image, at, m, rounding)
	}
}
