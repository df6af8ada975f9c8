// Package pass is the catalogue of passes: the kinds of information that one frame can carry.
//
// A pass is either colour (linear light, 16-bit half in float files, may be encoded for viewing) or data
// (numbers, 32-bit float, never encoded or filtered in a way that invents values).
package pass

import (
	"fmt"
	"slices"
	"sync"
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

// A Pass is one entry of the catalogue.
type Pass struct {
	Code     Code
	Name     string
	Meaning  string // one sentence, units included
	Unit     string // of the values, empty for colour
	Channels []string
	Data     bool
	// Filtered passes are averaged over a pixel; the others hold the value at its centre.
	Filtered bool
	// Layer is what channel names of a file of layers begin with, if it is not the code.
	Layer string
}

// Ranks is how many things of a pixel a Cryptomatte tells apart: two a layer of four channels.
const Ranks = 6

// cryptomatte returns a pass that follows the Cryptomatte specification, version 1.2.0 (Psyop): pairs of an ID and its
// coverage.
func cryptomatte(code Code, name, layer, of string) Pass {
	var channels []string
	for i := range Ranks / 2 {
		for _, c := range []string{"R", "G", "B", "A"} {
			channels = append(channels, fmt.Sprintf("%02d.%s", i, c))
		}
	}
	return Pass{
		code, name,
		"Which " + of + " cover how much of the pixel, most first: pairs of an ID, hashed from its name, and its " +
			"share.",
		"", channels, true, false, layer,
	}
}

// Either reports whether a pass may hold either the mean over a pixel or the value at its centre.
func (p Pass) Either() bool {
	switch p.Code {
	case Albedo, Object, Distance, Position, Normal, CameraNormal, UV, Facing, Motion, MotionBack:
		return true
	}
	return false
}

// IsCryptomatte reports whether a pass holds IDs and coverage.
func (p Pass) IsCryptomatte() bool { return p.Layer != "" }

// Catalogue returns every pass, in the order in which they are shown and stored.
func Catalogue() []Pass { return slices.Clone(catalogue()) }

// catalogue is made once: a whole film asks for its passes a million times.
var catalogue = sync.OnceValue(func() []Pass {
	return []Pass{
		{
			Beauty, "Beauty", "The picture: linear light with coverage as alpha.", "", []string{"R", "G", "B", "A"},
			false, true, "",
		},
		{
			Denoised, "Denoised",
			"The picture again, with its noise taken away as far as albedo, normals and depth tell it from detail. " +
				"It never stands in for the picture itself.",
			"", []string{"R", "G", "B", "A"}, false, true, "",
		},
		{
			DiffuseDirect, "Diffuse, direct",
			"What the bodies of surfaces give back of light that comes straight from its source.", "",
			[]string{"R", "G", "B"}, false, true, "",
		},
		{
			DiffuseIndirect, "Diffuse, indirect", "What they give back of light that other surfaces have sent there.",
			"", []string{"R", "G", "B"}, false, true, "",
		},
		{
			SpecularDirect, "Specular, direct",
			"What highlights give back of light that comes straight from its source.", "", []string{"R", "G", "B"},
			false, true, "",
		},
		{
			SpecularIndirect, "Specular, indirect", "What is mirrored of other surfaces.", "", []string{"R", "G", "B"},
			false, true, "",
		},
		{
			Transmission, "Transmission", "The light that has come through what is seen first, such as glass.", "",
			[]string{"R", "G", "B"}, false, true, "",
		},
		{
			Emission, "Emission", "The light that surfaces give off themselves, exposed as the picture is.", "",
			[]string{"R", "G", "B"}, false, true, "",
		},
		{
			Environment, "Environment",
			"What is seen of sky, map or background where there is no surface, and of the haze before surfaces, " +
				"exposed as the picture is.",
			"", []string{"R", "G", "B"}, false, true, "",
		},
		{
			Albedo, "Albedo",
			"The share of white light that a surface gives back, without light and shadow; black where there is none.",
			"", []string{"R", "G", "B"}, false, true, "",
		},
		{
			Occlusion, "Occlusion",
			"How open a surface is to all sides, within the radius below: 1 in the open and where there is none, 0 " +
				"in a closed corner.",
			"", []string{"O"}, true, true, "",
		},
		{
			Shadow, "Shadow",
			"The share of the light on a surface that something keeps away from it: 0 in the open, 1 in full shadow.",
			"", []string{"S"}, true, true, "",
		},
		{
			Depth, "Depth", "Distance ahead of the camera along its viewing axis, at the pixel's centre.", "m",
			[]string{"Z"}, true, false, "",
		},
		{
			Distance, "Distance", "Distance from the camera itself, at the pixel's centre.", "m", []string{"D"}, true,
			false, "",
		},
		{
			Position, "Position", "Place of the surface in world axes, at the pixel's centre; 0 where there is none.",
			"m", []string{"X", "Y", "Z"}, true, false, "",
		},
		{
			Normal, "Normal", "Direction of the surface in world axes, at the pixel's centre; 0 where there is none.",
			"", []string{"X", "Y", "Z"}, true, false, "",
		},
		{
			CameraNormal, "Camera normal", "The same in the camera's axes: to its right, up, and towards it.", "",
			[]string{"X", "Y", "Z"}, true, false, "",
		},
		{
			UV, "UV", "Place in the first set of texture coordinates, from the top left corner; 0 where there is none.",
			"", []string{"U", "V"}, true, false, "",
		},
		{
			Facing, "Facing",
			"Cosine between the surface's direction and the way to the camera: 1 where it faces it, 0 at its rim and " +
				"where there is none.",
			"", []string{"F"}, true, false, "",
		},
		{
			Motion, "Motion",
			"How far what is seen moves in the picture until the next frame, to the right and down, with the " +
				"camera's own movement.",
			"px", []string{"X", "Y"}, true, false, "",
		},
		{
			MotionBack, "Motion back", "How far away it was in the picture one frame before, to the right and down.",
			"px", []string{"X", "Y"}, true, false, "",
		},
		{
			Object, "Object colours",
			"One plain colour an object, mixed by coverage at the edges; black where there is none.", "",
			[]string{"R", "G", "B"}, true, true, "",
		},
		{SampleCount, "Samples", "How many samples the pixel got.", "", []string{"N"}, true, false, ""},
		{
			Variance, "Variance", "The square of the beauty's standard error, as the pixel's own samples tell it.", "",
			[]string{"R", "G", "B"}, true, false, "",
		},
		{
			GuideAlbedo, "Guide albedo", "Albedo as noisy as the picture, for a denoiser.", "", []string{"R", "G", "B"},
			true, true, "",
		},
		{
			GuideNormal, "Guide normal", "Normals as noisy as the picture, for a denoiser.", "",
			[]string{"X", "Y", "Z"}, true, true, "",
		},
		{
			GuideDepth, "Guide depth",
			"Depth as noisy as the picture, for a denoiser; the background's where there is no surface.", "m",
			[]string{"Z"}, true, true, "",
		},
		cryptomatte(CryptoObject, "Cryptomatte, objects", "CryptoObject", "objects"),
		cryptomatte(CryptoMaterial, "Cryptomatte, materials", "CryptoMaterial", "materials"),
		cryptomatte(CryptoAsset, "Cryptomatte, assets", "CryptoAsset", "assets, the topmost groups of the scene,"),
	}
})

// Find returns the pass of a code.
func Find(code Code) (Pass, error) {
	if group, ok := code.LightGroup(); ok {
		return lightPass(group), nil
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
