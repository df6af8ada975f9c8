package exr

import (
	"bytes"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"sync"

	"reelhouse/core/imagefile"
	"reelhouse/core/pixel"
)

// A scheme is how DWA treats a channel.
type scheme uint8

const (
	schemeDeflate scheme = iota // as it is, deflated
	schemeCosines               // as halves, in blocks of 8 x 8 cosines
	schemeRuns                  // in runs of bytes
)

// A rule gives channels whose name ends in a suffix their scheme. place is 0 to 2 for red, green and blue, which are
// turned into light and colour differences together, and -1 for others.
type rule struct {
	suffix string
	anyCase
	kind   imagefile.Type
	scheme scheme
	place  int
}

type anyCase bool

func (r rule) fits(suffix string, t imagefile.Type) bool {
	return r.kind == t && (r.suffix == suffix || bool(r.anyCase) && strings.EqualFold(r.suffix, suffix))
}

// usualRules are those that are written.
func usualRules() []rule {
	var rules []rule
	for place, suffix := range []string{"R", "G", "B", "Y", "BY", "RY"} {
		if place > 2 {
			place = -1
		}
		rules = append(
			rules, rule{suffix, false, imagefile.Half, schemeCosines, place},
			rule{suffix, false, imagefile.Float, schemeCosines, place},
		)
	}
	for _, t := range []imagefile.Type{imagefile.Uint32, imagefile.Half, imagefile.Float} {
		rules = append(rules, rule{"A", false, t, schemeRuns, -1})
	}
	return rules
}

// oldRules hold for versions below 2, which do not state theirs.
func oldRules() []rule {
	var rules []rule
	for _, r := range []struct {
		suffix string
		place  int
	}{{"r", 0}, {"red", 0}, {"g", 1}, {"grn", 1}, {"green", 1}, {"b", 2}, {"blu", 2}, {"blue", 2}, {"y", -1},
		{"by", -1}, {"ry", -1}} {
		rules = append(
			rules, rule{r.suffix, true, imagefile.Half, schemeCosines, r.place},
			rule{r.suffix, true, imagefile.Float, schemeCosines, r.place},
		)
	}
	for _, t := range []imagefile.Type{imagefile.Uint32, imagefile.Half, imagefile.Float} {
		rules = append(rules, rule{"a", true, t, schemeRuns, -1})
	}
	return rules
}

// layerSuffix splits a channel's name at its last dot.
func layerSuffix(name string) (layer, suffix string) {
	if i := strings.LastIndexByte(name, '.'); i >= 0 {
		return name[:i], name[i+1:]
	}
	return "", name
}

var pixelTypes = []imagefile.Type{typeUint: imagefile.Uint32, typeHalf: imagefile.Half, typeFloat: imagefile.Float}

// readRules reads the rules of a chunk and returns how many bytes they took.
func readRules(in []byte) ([]rule, int, error) {
	damaged := fmt.Errorf("damaged: its rules for channels are cut short")
	if len(in) < 2 {
		return nil, 0, damaged
	}
	size := int(le.Uint16(in)) // itself included
	if size < 2 || size > len(in) {
		return nil, 0, damaged
	}
	var rules []rule
	for rest := in[2:size]; len(rest) > 0; {
		end := bytes.IndexByte(rest, 0)
		if end < 0 || len(rest) < end+3 {
			return nil, 0, damaged
		}
		flags, kind := rest[end+1], rest[end+2]
		if int(kind) >= len(pixelTypes) || scheme(flags>>2&3) > schemeRuns || flags>>4 > 3 {
			return nil, 0, fmt.Errorf("damaged: its rules for channels are not known")
		}
		rules = append(
			rules, rule{string(rest[:end]), flags&1 != 0, pixelTypes[kind], scheme(flags >> 2 & 3), int(flags>>4) - 1},
		)
		rest = rest[end+3:]
	}
	return rules, size, nil
}

// appendRules appends the rules that fit any of the channels.
func appendRules(dst []byte, rules []rule, channels []channel) []byte {
	start := len(dst)
	dst = append(dst, 0, 0)
	for _, r := range rules {
		for _, c := range channels {
			if _, suffix := layerSuffix(c.Name); r.fits(suffix, c.Type) {
				dst = append(append(dst, r.suffix...), 0, byte(r.place+1)<<4|byte(r.scheme)<<2)
				for i, t := range pixelTypes {
					if t == r.kind {
						dst = append(dst, byte(i))
					}
				}
				break
			}
		}
	}
	le.PutUint16(dst[start:], uint16(len(dst)-start))
	return dst
}

// A plan says how the layers of a block are treated, by their places.
type dwaPlan struct {
	colours  [][]int // cosines: three that go together first, then the others by themselves
	runs     []int
	deflated []int
}

// planDWA sorts layers by the rules.
func planDWA(layers []layer, rules []rule) dwaPlan {
	var p dwaPlan
	schemes := make([]scheme, len(layers))
	sets := map[string]*[3]int{}
	for i, l := range layers {
		prefix, suffix := layerSuffix(l.Name)
		for _, r := range rules {
			if !r.fits(suffix, l.Type) {
				continue
			}
			schemes[i] = r.scheme
			if r.place >= 0 {
				if sets[prefix] == nil {
					sets[prefix] = &[3]int{-1, -1, -1}
				}
				sets[prefix][r.place] = i
			}
		}
	}
	together := make([]bool, len(layers))
	for _, prefix := range slices.Sorted(maps.Keys(sets)) {
		s := sets[prefix]
		if s[0] < 0 || s[1] < 0 || s[2] < 0 {
			continue
		}
		r, g, b := layers[s[0]], layers[s[1]], layers[s[2]]
		if r.xs != g.xs || r.xs != b.xs || r.ys != g.ys || r.ys != b.ys {
			continue
		}
		p.colours = append(p.colours, s[:])
		together[s[0]], together[s[1]], together[s[2]] = true, true, true
	}
	for i := range layers {
		switch {
		case together[i]:
		case schemes[i] == schemeCosines:
			p.colours = append(p.colours, []int{i})
		case schemes[i] == schemeRuns:
			p.runs = append(p.runs, i)
		default:
			p.deflated = append(p.deflated, i)
		}
	}
	return p
}

// The numbers at the head of a chunk, of 8 bytes each.
const (
	dwaVersion = iota
	dwaDeflatedRaw
	dwaDeflatedSize
	dwaACSize
	dwaDCSize
	dwaRunsSize
	dwaRunsInflated
	dwaRunsRaw
	dwaACCount
	dwaDCCount
	dwaACMethod
	dwaNumbers
)

// Methods of packing the coefficients, and marks among them.
const (
	acHuffman  = 0
	acDeflate  = 1
	zeroRun    = 0xff00 // with the number of zeros in its lower byte
	zerosToEnd = 0xff00
)

// Tables of the encode that DWA puts on light, so that errors are even to the eye: a power up to 1, a logarithm above.
var dwaCurves = sync.OnceValues(func() (encode, decode *[wordValues]uint16) {
	encode, decode = new([wordValues]uint16), new([wordValues]uint16)
	const gamma = 2.2
	base := math.Pow(2.7182818, gamma)
	for i := range encode {
		h := uint16(i)
		if h&0x7c00 == 0x7c00 {
			continue // what is not finite becomes 0
		}
		v := float64(pixel.FromHalf(h))
		sign := 1.0
		if v < 0 {
			v, sign = -v, -1
		}
		if v <= 1 {
			encode[i], decode[i] = pixel.ToHalf(float32(sign*math.Pow(v, 1/gamma))), pixel.ToHalf(
				float32(sign*math.Pow(v, gamma)),
			)
		} else {
			encode[i], decode[i] = pixel.ToHalf(float32(sign*(math.Log(v)/math.Log(base)+1))),
				pixel.ToHalf(float32(sign*math.Pow(base, v-1)))
		}
	}
	return encode, decode
})
