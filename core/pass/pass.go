// Package pass is the catalogue of passes: the kinds of information that one frame can carry.
//
// A pass is either colour (linear light, 16-bit half in float files, may be encoded for viewing) or data
// (numbers, 32-bit float, never encoded or filtered in a way that invents values).
package pass

import (
	"fmt"
	"slices"
)

// A Code names a pass in paths, files and jobs.
type Code string

// The passes.
const (
	Beauty Code = "beauty"
	Depth  Code = "depth"
	Normal Code = "normal"
	Object Code = "object"

	Emission     Code = "emission"
	Environment  Code = "environment"
	Albedo       Code = "albedo"
	Occlusion    Code = "occlusion"
	Shadow       Code = "shadow"
	Distance     Code = "distance"
	Position     Code = "position"
	CameraNormal Code = "cameranormal"
	UV           Code = "uv"
	Facing       Code = "facing"
	Motion       Code = "motion"
	MotionBack   Code = "motionback"

	DiffuseDirect    Code = "diffusedirect"
	DiffuseIndirect  Code = "diffuseindirect"
	SpecularDirect   Code = "speculardirect"
	SpecularIndirect Code = "specularindirect"
	Transmission     Code = "transmission"

	SampleCount Code = "samples"
	Variance    Code = "variance"
	GuideAlbedo Code = "guidealbedo"
	GuideNormal Code = "guidenormal"
	GuideDepth  Code = "guidedepth"
	Denoised    Code = "denoised"

	CryptoObject   Code = "cryptoobject"
	CryptoMaterial Code = "cryptomaterial"
	CryptoAsset    Code = "cryptoasset"
)

// A Pass is one entry of the catalogue: everything that is to be known of it, but for how it is rendered.
type Pass struct {
	Code     Code
	Name     string
	Meaning  string // one sentence, units included
	Purpose  string // what it is taken for, in a few words
	Group    Group
	Unit     string // of the values, empty for colour
	Channels []string
	Data     bool
	// Share is set of data that lies in 0 to 1, so that whole numbers can hold it, too.
	Share bool
	// Filtered passes are averaged over a pixel; the others hold the value at its centre.
	Filtered bool
	// Either is set of passes that may hold either, as a pass list asks.
	Either bool
	// Light is set of passes for which light has to be followed.
	Light bool
	// Layer is what channel names of a file of layers begin with, if it is not the code.
	Layer string
	// Shown is how it becomes a picture for the screen.
	Shown Shown
	// Adds is the time that it adds to a frame, in parts of the time of a frame of the picture alone.
	Adds float64
	// Left is the share of its size that OpenEXR's compressions leave.
	Left Shares
}

// A Group is passes of one kind.
type Group string

// The groups.
const (
	GroupLight  Group = "Light"
	GroupData   Group = "Data"
	GroupMattes Group = "Mattes"
	GroupGuides Group = "Guides"
)

// Groups returns the groups in the order in which they are shown.
func Groups() []Group { return []Group{GroupLight, GroupData, GroupMattes, GroupGuides} }

// Shares are parts of a size without compression that are left after it, by OpenEXR's compressions; 0 where a pass is
// stored as it is.
type Shares struct{ ZIP, ZIPS, PIZ, RLE, PXR24, B44, B44A, DWAA, DWAB float64 }

// Shown is how the values of a pass become a picture for the screen.
type Shown int

// The ways of showing. The zero value is none, so that a pass that says nothing is found by a test.
const (
	_           Shown = iota
	AsLight           // linear light, through the sRGB curve
	AsDistance        // from black to white, which is the farthest surface
	AsDirection       // −1 to 1 as 0 to 1
	AsValues          // as they are, 0 to 1
	AsCount           // of samples
	AsError           // of which the values are the square
	AsPosition        // from black to white, over and over
	AsMotion          // pixels to either side
	AsIDs             // a colour for each
)

// IsCryptomatte reports whether a pass holds IDs and coverage.
func (p Pass) IsCryptomatte() bool { return p.Layer != "" }

// OfDepth reports whether what a pass holds depends on settings of depth and occlusion.
func (c Code) OfDepth() bool { return c == Depth || c == Distance || c == GuideDepth || c == Occlusion }

// Find returns the pass of a code.
func Find(code Code) (Pass, error) {
	if group, ok := code.LightGroup(); ok {
		return lightPass(group), nil
	}
	if matte, ok := code.Matte(); ok {
		return mattePass(matte), nil
	}
	all := catalogue()
	if i := slices.IndexFunc(all, func(p Pass) bool { return p.Code == code }); i >= 0 {
		return all[i], nil
	}
	return Pass{}, fmt.Errorf("there is no pass %q", code)
}

// Sorted returns codes in the order of the catalogue, without repeats.
func Sorted(codes []Code) []Code {
	var sorted []Code
	for _, p := range catalogue() {
		if slices.Contains(codes, p.Code) {
			sorted = append(sorted, p.Code)
		}
		if p.Code != Transmission { // light groups follow the parts of the picture
			continue
		}
		lights := 0
		for _, c := range codes {
			if _, ok := c.LightGroup(); ok && !slices.Contains(sorted, c) {
				sorted = append(sorted, c)
				lights++
			}
		}
		slices.Sort(sorted[len(sorted)-lights:])
	}
	behind := len(sorted)
	for _, c := range codes {
		if _, ok := c.Matte(); ok && !slices.Contains(sorted, c) {
			sorted = append(sorted, c)
		}
	}
	slices.Sort(sorted[behind:])
	return sorted
}

// ChannelNames returns the names that the pass's channels have in a file of layers: beauty's stand by
// themselves, every other pass is a layer ("depth.Z").
func (p Pass) ChannelNames() []string {
	if p.Code == Beauty {
		return slices.Clone(p.Channels)
	}
	names := make([]string, len(p.Channels))
	for i, c := range p.Channels {
		if names[i] = string(p.Code) + "." + c; p.Layer != "" {
			names[i] = p.Layer + c
		}
	}
	return names
}

// BytesPerPixel returns what the pass takes uncompressed in a float file.
func (p Pass) BytesPerPixel() int {
	if p.Data {
		return 4 * len(p.Channels)
	}
	return 2 * len(p.Channels)
}
