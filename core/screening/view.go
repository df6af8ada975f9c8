package screening

import (
	"fmt"
	"image"
	"math"
	"slices"

	"reelhouse/core/lut"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// A View is how a pass is looked at. The zero value is of no use; see Plain.
type View struct {
	Gain     float64       // brightens light
	Gamma    float64       // of the code that is shown, 1 for none: greater ones lighten the middle
	DepthFar float64       // is shown white
	Channel  string        // one of Channels
	Marked   bool          // what is out of range is marked
	Viewing  pixel.Viewing // through which light is shown
	LUT      *lut.Shower   // what shows it, if that is a look-up table
	AsIs     bool          // the file went through a viewing transform when it was written
}

// For returns the view as files of an encoding are looked at by it: what went through a viewing transform when it was
// written does not go through one again.
func (v View) For(e output.Encoding) View {
	if !e.Viewed() {
		return v
	}
	for _, other := range pixel.Viewings() {
		if other != pixel.ViewSoft && other.Curve() == e.Curve {
			v.Viewing, v.LUT, v.AsIs = other, nil, true
			return v
		}
	}
	return v
}

// Codes16 returns what makes codes of 16 bits of light. It may be used by many goroutines at once.
func (v View) Codes16() func(r, g, b float32) (x, y, z uint16) {
	whole := func(code float64) uint16 { return uint16(65535*min(1, max(0, code)) + 0.5) }
	if v.LUT != nil {
		return func(r, g, b float32) (x, y, z uint16) {
			cr, cg, cb := v.LUT.Codes(v.Gain*float64(r), v.Gain*float64(g), v.Gain*float64(b))
			return whole(cr), whole(cg), whole(cb)
		}
	}
	encode := pixel.NewEncoder(16, v.Viewing.Curve(), pixel.NoDither)
	return func(r, g, b float32) (x, y, z uint16) {
		lr, lg, lb := v.Gain*float64(r), v.Gain*float64(g), v.Gain*float64(b)
		if v.Viewing == pixel.ViewSoft {
			lr, lg, lb = v.Viewing.Light(lr, lg, lb)
		}
		return encode.Code(float32(lr), 0, 0), encode.Code(float32(lg), 0, 0), encode.Code(float32(lb), 0, 0)
	}
}

// Plain returns the view of a pass as it is.
func Plain(gain, depthFar float64) View { return View{Gain: gain, Gamma: 1, DepthFar: depthFar} }

// What may be looked at by itself.
const (
	AllChannels = ""
	Luminance   = "luminance" // of light by ITU-R BT.709, item 3.2, and otherwise the mean
)

// Channels returns what of a pass may be looked at by itself: its channels by their short names, and luminance.
func Channels(code pass.Code) []string {
	described, err := pass.Find(code)
	if err != nil || described.IsCryptomatte() {
		return nil
	}
	if len(described.Channels) == 1 {
		return nil
	}
	return append(slices.Clone(described.Channels), Luminance)
}

// Bounds of a view.
const (
	LeastGamma = 0.1
	MostGamma  = 10.0
)

// Colours of what is out of range.
var (
	belowRange = [3]byte{0x2a, 0x5b, 0xd7} // below 0
	aboveRange = [3]byte{0xd7, 0x2a, 0x8a} // above 1
	noNumber   = [3]byte{0xe0, 0xa0, 0x21}
)

// Mapping says in words how a pass is shown, as a view says.
func (v View) Mapping(code pass.Code, style pass.DepthStyle) string {
	text := Mapping(code, style, v.DepthFar)
	described, err := pass.Find(code)
	alone := v.Channel != AllChannels && v.Viewing.Curve() == pixel.SRGB // what takes three colours takes no single one
	if err == nil && described.Shown == pass.AsLight && v.Viewing != pixel.ViewSRGB && !alone {
		text = "linear light through " + v.Viewing.Name()
	}
	if err == nil && described.Shown == pass.AsLight && v.AsIs {
		text = "as the file has it, which went through a viewing transform when it was written"
	}
	return text + v.Words()
}

// Words says what a view does beside what Mapping says of a pass, "" for nothing.
func (v View) Words() string {
	text := ""
	if v.Channel != AllChannels {
		text += "; " + v.Channel + " alone"
	}
	if v.Gamma != 1 {
		text += fmt.Sprintf("; gamma %g", v.Gamma)
	}
	if v.Marked {
		text += "; " + Marks
	}
	return text
}

// Marks says in words how what is out of range is marked.
const Marks = "below 0 blue, above 1 magenta, no number marigold"

// Look returns a pass as an 8-bit picture, as a view says.
func Look(img *pixel.Image, code pass.Code, v View) (*image.NRGBA, error) {
	if v.Channel == AllChannels && v.Gamma == 1 && !v.Marked {
		return through(img, code, v)
	}
	if math.IsNaN(v.Gamma) || v.Gamma < LeastGamma || v.Gamma > MostGamma {
		return nil, fmt.Errorf("gamma lies between %g and %g", LeastGamma, MostGamma)
	}
	described, planes, err := shownPlanes(img, code)
	if err != nil {
		return nil, err
	}
	var out *image.NRGBA
	shade := shadeOf(described, v.Gain, v.DepthFar, v.Viewing.Curve())
	if v.Channel == AllChannels {
		if out, err = through(img, code, v); err != nil {
			return nil, err
		}
	} else {
		if planes, err = onlyChannel(img, described, planes, v.Channel); err != nil {
			return nil, err
		}
		if v.Channel == "A" { // coverage is no light
			shade = plainShade
		}
		out = newOpaque(img.Width, img.Height)
		shades := shades{of: func(v float32) byte { grey, _ := shade(float64(v)); return grey }}
		shades.fill(out, planes[0], 0, 1, 2)
	}
	if v.Gamma == 1 && !v.Marked {
		return out, nil
	}
	var lifted [256]byte
	for i := range lifted {
		lifted[i] = byte(255*math.Pow(float64(i)/255, 1/v.Gamma) + 0.5)
	}
	for i := range img.Width * img.Height {
		for c := range 3 {
			out.Pix[4*i+c] = lifted[out.Pix[4*i+c]]
		}
		if !v.Marked {
			continue
		}
		for _, p := range planes {
			v := float64(p.Data[i])
			switch _, outside := shade(v); {
			case v-v != 0:
				copy(out.Pix[4*i:], noNumber[:])
			case outside < 0:
				copy(out.Pix[4*i:], belowRange[:])
			case outside > 0:
				copy(out.Pix[4*i:], aboveRange[:])
			}
		}
	}
	return out, nil
}

// onlyChannel returns the plane of one channel of a pass, or of its luminance.
func onlyChannel(
	img *pixel.Image, described pass.Pass, planes []pixel.Plane, channel string,
) ([]pixel.Plane, error) {
	if channel == Luminance {
		weights := weightsOf(described, len(planes))
		one := pixel.Plane{Name: Luminance, Data: make([]float32, img.Width*img.Height)}
		for i := range one.Data {
			sum := 0.0
			for k, p := range planes {
				sum += weights[k] * float64(p.Data[i])
			}
			one.Data[i] = float32(sum)
		}
		return []pixel.Plane{one}, nil
	}
	at := slices.Index(described.Channels, channel)
	if at < 0 {
		return nil, fmt.Errorf("the %s pass has no channel %q", described.Code, channel)
	}
	name := described.ChannelNames()[at]
	p := img.Plane(name)
	if p == nil {
		return nil, fmt.Errorf("this file has no channel %s", name)
	}
	return []pixel.Plane{*p}, nil
}
