package pass

import (
	"fmt"
	"slices"
	"strings"
	"sync"
)

// Catalogue returns every pass, in the order in which they are shown and stored.
func Catalogue() []Pass { return slices.Clone(catalogue()) }

// catalogue is made once: a whole film asks for its passes a million times. Time and compression are measured on the
// demo (docs/performance.md), where a test holds them against newly rendered frames; coordinates of textures and
// occlusion are estimated for scenes with more of them than the demo's.
var catalogue = sync.OnceValue(func() []Pass {
	return []Pass{
		{
			Code: Beauty, Name: "Beauty", Channels: []string{"R", "G", "B", "A"},
			Group: GroupLight, Purpose: "The picture itself.",
			Meaning:  "The picture: linear light with coverage as alpha.",
			Filtered: true, Light: true, Shown: AsLight,
			Left: Shares{
				ZIP: 0.37, ZIPS: 0.41, PIZ: 0.42, RLE: 0.52, PXR24: 0.37,
				B44: 0.44, B44A: 0.35, DWAA: 0.18, DWAB: 0.17,
			},
		},
		{
			Code: Denoised, Name: "Denoised", Channels: []string{"R", "G", "B", "A"},
			Group: GroupLight, Purpose: "A quiet picture for review and for quick turnarounds.",
			Meaning: "The picture again, with its noise taken away as far as albedo, normals and depth tell it " +
				"from detail. It never stands in for the picture itself.",
			Filtered: true, Light: true, Shown: AsLight, Adds: 0.8,
			Left: Shares{
				ZIP: 0.34, ZIPS: 0.37, PIZ: 0.4, RLE: 0.48, PXR24: 0.35,
				B44: 0.44, B44A: 0.35, DWAA: 0.15, DWAB: 0.15,
			},
		},
		{
			Code: DiffuseDirect, Name: "Diffuse, direct", Channels: []string{"R", "G", "B"},
			Group: GroupLight, Purpose: "Relighting: brighten or tint what lamps and sun do.",
			Meaning:  "What the bodies of surfaces give back of light that comes straight from its source.",
			Filtered: true, Light: true, Shown: AsLight, Adds: 0.01,
			Left: Shares{
				ZIP: 0.56, ZIPS: 0.61, PIZ: 0.63, RLE: 0.78, PXR24: 0.56,
				B44: 0.44, B44A: 0.35, DWAA: 0.26, DWAB: 0.25,
			},
		},
		{
			Code: DiffuseIndirect, Name: "Diffuse, indirect", Channels: []string{"R", "G", "B"},
			Group: GroupLight, Purpose: "Relighting: lift or tint bounced light.",
			Meaning:  "What they give back of light that other surfaces have sent there.",
			Filtered: true, Light: true, Shown: AsLight, Adds: 0.01,
			Left: Shares{
				ZIP: 0.18, ZIPS: 0.2, PIZ: 0.27, RLE: 0.26, PXR24: 0.19,
				B44: 0.44, B44A: 0.35, DWAA: 0.13, DWAB: 0.13,
			},
		},
		{
			Code: SpecularDirect, Name: "Specular, direct", Channels: []string{"R", "G", "B"},
			Group: GroupLight, Purpose: "Relighting: tame or strengthen highlights.",
			Meaning:  "What highlights give back of light that comes straight from its source.",
			Filtered: true, Light: true, Shown: AsLight, Adds: 0.01,
			Left: Shares{
				ZIP: 0.55, ZIPS: 0.6, PIZ: 0.57, RLE: 0.77, PXR24: 0.5,
				B44: 0.44, B44A: 0.35, DWAA: 0.22, DWAB: 0.21,
			},
		},
		{
			Code: SpecularIndirect, Name: "Specular, indirect", Channels: []string{"R", "G", "B"},
			Group: GroupLight, Purpose: "Relighting: strengthen or remove reflections.",
			Meaning:  "What is mirrored of other surfaces.",
			Filtered: true, Light: true, Shown: AsLight, Adds: 0.01,
			Left: Shares{
				ZIP: 0.29, ZIPS: 0.32, PIZ: 0.42, RLE: 0.41, PXR24: 0.29,
				B44: 0.44, B44A: 0.35, DWAA: 0.19, DWAB: 0.18,
			},
		},
		{
			Code: Transmission, Name: "Transmission", Channels: []string{"R", "G", "B"},
			Group: GroupLight, Purpose: "Relighting: grade what is seen through glass and water.",
			Meaning:  "The light that has come through what is seen first, such as glass.",
			Filtered: true, Light: true, Shown: AsLight, Adds: 0.01,
			Left: Shares{
				ZIP: 0.1, ZIPS: 0.11, PIZ: 0.12, RLE: 0.14, PXR24: 0.1,
				B44: 0.44, B44A: 0.35, DWAA: 0.06, DWAB: 0.095,
			},
		},
		{
			Code: Emission, Name: "Emission", Channels: []string{"R", "G", "B"},
			Group: GroupLight, Purpose: "Glow and flicker of lamps, screens and windows.",
			Meaning:  "The light that surfaces give off themselves, exposed as the picture is.",
			Filtered: true, Light: true, Shown: AsLight, Adds: 0.01,
			Left: Shares{
				ZIP: 0.013, ZIPS: 0.033, PIZ: 0.026, RLE: 0.043, PXR24: 0.013,
				B44: 0.44, B44A: 0.11, DWAA: 0.043, DWAB: 0.037,
			},
		},
		{
			Code: Environment, Name: "Environment", Channels: []string{"R", "G", "B"},
			Group: GroupLight, Purpose: "Replace or grade the sky.",
			Meaning: "What is seen of sky, map or background where there is no surface, and of the haze before " +
				"surfaces, exposed as the picture is.",
			Filtered: true, Light: true, Shown: AsLight, Adds: 0.01,
			Left: Shares{
				ZIP: 0.23, ZIPS: 0.32, PIZ: 0.34, RLE: 0.59, PXR24: 0.27,
				B44: 0.44, B44A: 0.22, DWAA: 0.069, DWAB: 0.06,
			},
		},
		{
			Code: Albedo, Name: "Albedo", Channels: []string{"R", "G", "B"},
			Group: GroupLight, Purpose: "Divide light from surface colour; recolour a surface.",
			Meaning: "The share of white light that a surface gives back, without light and shadow; black where " +
				"there is none.",
			Filtered: true, Either: true, Shown: AsLight, Adds: 0.03,
			Left: Shares{
				ZIP: 0.084, ZIPS: 0.12, PIZ: 0.1, RLE: 0.16, PXR24: 0.085,
				B44: 0.44, B44A: 0.17, DWAA: 0.12, DWAB: 0.11,
			},
		},
		{
			Code: Occlusion, Name: "Occlusion", Channels: []string{"O"},
			Group: GroupLight, Purpose: "Contact shadows; dirt in corners.",
			Meaning: "How open a surface is to all sides, within the radius below: 1 in the open and where there " +
				"is none, 0 in a closed corner.",
			Data: true, Filtered: true, Shown: AsValues, Adds: 0.35,
			Left: Shares{ZIP: 0.1, ZIPS: 0.13, PIZ: 0.12, RLE: 0.6, PXR24: 0.08, DWAA: 0.09, DWAB: 0.09},
		},
		{
			Code: Shadow, Name: "Shadow", Channels: []string{"S"},
			Group: GroupLight, Purpose: "Lighten or tint shadows.",
			Meaning: "The share of the light on a surface that something keeps away from it: 0 in the open, 1 in " +
				"full shadow.",
			Data: true, Filtered: true, Shown: AsValues, Adds: 0.9,
			Left: Shares{ZIP: 0.34, ZIPS: 0.4, PIZ: 0.54, RLE: 0.51, PXR24: 0.25, DWAA: 0.26, DWAB: 0.25},
		},
		{
			Code: Depth, Name: "Depth", Channels: []string{"Z"}, Unit: "m",
			Group: GroupData, Purpose: "Fog, defocus, and putting things before and behind.",
			Meaning: "Distance ahead of the camera along its viewing axis, at the pixel's centre.",
			Data:    true, Shown: AsDistance, Adds: 0.05,
			Left: Shares{ZIP: 0.58, ZIPS: 0.62, PIZ: 0.61, RLE: 1, PXR24: 0.15, DWAA: 0.54, DWAB: 0.53},
		},
		{
			Code: Distance, Name: "Distance", Channels: []string{"D"}, Unit: "m",
			Group: GroupData, Purpose: "Fog and defocus of very wide lenses and panoramas.",
			Meaning: "Distance from the camera itself, at the pixel's centre.",
			Data:    true, Either: true, Shown: AsDistance, Adds: 0.05,
			Left: Shares{ZIP: 0.66, ZIPS: 0.68, PIZ: 0.65, RLE: 1, PXR24: 0.17, DWAA: 0.61, DWAB: 0.6},
		},
		{
			Code: Position, Name: "Position", Channels: []string{"X", "Y", "Z"}, Unit: "m",
			Group: GroupData, Purpose: "Mattes by place; setting lights and cards into the picture.",
			Meaning: "Place of the surface in world axes, at the pixel's centre; 0 where there is none.",
			Data:    true, Either: true, Shown: AsPosition, Adds: 0.05,
			Left: Shares{ZIP: 0.6, ZIPS: 0.61, PIZ: 0.62, RLE: 0.67, PXR24: 0.2, DWAA: 0.43, DWAB: 0.42},
		},
		{
			Code: Normal, Name: "Normal", Channels: []string{"X", "Y", "Z"},
			Group: GroupData, Purpose: "Relighting; mattes by direction.",
			Meaning: "Direction of the surface in world axes, at the pixel's centre; 0 where there is none.",
			Data:    true, Either: true, Shown: AsDirection, Adds: 0.05,
			Left: Shares{ZIP: 0.43, ZIPS: 0.45, PIZ: 0.5, RLE: 0.49, PXR24: 0.2, DWAA: 0.31, DWAB: 0.3},
		},
		{
			Code: CameraNormal, Name: "Camera normal", Channels: []string{"X", "Y", "Z"},
			Group: GroupData, Purpose: "Rim light and edges, as the camera sees them.",
			Meaning: "The same in the camera's axes: to its right, up, and towards it.",
			Data:    true, Either: true, Shown: AsDirection, Adds: 0.05,
			Left: Shares{ZIP: 0.44, ZIPS: 0.46, PIZ: 0.51, RLE: 0.65, PXR24: 0.2, DWAA: 0.32, DWAB: 0.3},
		},
		{
			Code: UV, Name: "UV", Channels: []string{"U", "V"},
			Group: GroupData, Purpose: "Put another texture or label on a surface.",
			Meaning: "Place in the first set of texture coordinates, from the top left corner; 0 where there is " +
				"none.",
			Data: true, Either: true, Shown: AsValues, Adds: 0.05,
			Left: Shares{ZIP: 0.4, ZIPS: 0.4, PIZ: 0.45, RLE: 0.6, PXR24: 0.2, DWAA: 0.3, DWAB: 0.3},
		},
		{
			Code: Facing, Name: "Facing", Channels: []string{"F"},
			Group: GroupData, Purpose: "Rims and glancing reflections.",
			Meaning: "Cosine between the surface's direction and the way to the camera: 1 where it faces it, 0 at " +
				"its rim and where there is none.",
			Data: true, Either: true, Shown: AsValues, Adds: 0.05,
			Left: Shares{ZIP: 0.66, ZIPS: 0.68, PIZ: 0.7, RLE: 0.68, PXR24: 0.23, DWAA: 0.61, DWAB: 0.6},
		},
		{
			Code: Motion, Name: "Motion", Channels: []string{"X", "Y"}, Unit: "px",
			Group: GroupData, Purpose: "Motion blur; following a surface.",
			Meaning: "How far what is seen moves in the picture until the next frame, to the right and down, with " +
				"the camera's own movement.",
			Data: true, Either: true, Shown: AsMotion, Adds: 0.05,
			Left: Shares{ZIP: 0.71, ZIPS: 0.72, PIZ: 0.82, RLE: 0.8, PXR24: 0.21, DWAA: 0.38, DWAB: 0.37},
		},
		{
			Code: MotionBack, Name: "Motion back", Channels: []string{"X", "Y"}, Unit: "px",
			Group: GroupData, Purpose: "Motion blur to both sides; smoothing over time.",
			Meaning: "How far away it was in the picture one frame before, to the right and down.",
			Data:    true, Either: true, Shown: AsMotion, Adds: 0.05,
			Left: Shares{ZIP: 0.7, ZIPS: 0.71, PIZ: 0.82, RLE: 0.79, PXR24: 0.21, DWAA: 0.38, DWAB: 0.37},
		},
		{
			Code: Object, Name: "Object colours", Channels: []string{"R", "G", "B"},
			Group: GroupMattes, Purpose: "A quick matte to pick by eye.",
			Meaning: "One plain colour an object, mixed by coverage at the edges; black where there is none.",
			Data:    true, Filtered: true, Either: true, Shown: AsValues, Adds: 0.03,
			Left: Shares{ZIP: 0.05, ZIPS: 0.08, PIZ: 0.15, RLE: 0.67, PXR24: 0.045, DWAA: 0.058, DWAB: 0.052},
		},
		{
			Code: SampleCount, Name: "Samples", Channels: []string{"N"},
			Group: GroupGuides, Purpose: "Where the renderer has worked most.",
			Meaning: "How many samples the pixel got.",
			Data:    true, Light: true, Shown: AsCount, Adds: 0.005,
			Left: Shares{ZIP: 0.1, ZIPS: 0.11, PIZ: 0.15, RLE: 0.14, PXR24: 0.08, DWAA: 0.1, DWAB: 0.095},
		},
		{
			Code: Variance, Name: "Variance", Channels: []string{"R", "G", "B"},
			Group: GroupGuides, Purpose: "Noise for a denoiser, and where it is left.",
			Meaning: "The square of the beauty's standard error, as the pixel's own samples tell it.",
			Data:    true, Light: true, Shown: AsError, Adds: 0.01,
			Left: Shares{ZIP: 1, ZIPS: 1, PIZ: 1, RLE: 1, PXR24: 0.61, DWAA: 0.12, DWAB: 0.12},
		},
		{
			Code: GuideAlbedo, Name: "Guide albedo", Channels: []string{"R", "G", "B"},
			Group: GroupGuides, Purpose: "Colour guide of a denoiser elsewhere.",
			Meaning: "Albedo as noisy as the picture, for a denoiser.",
			Data:    true, Filtered: true, Shown: AsValues, Adds: 0.03,
			Left: Shares{ZIP: 0.07, ZIPS: 0.076, PIZ: 0.14, RLE: 0.097, PXR24: 0.059, DWAA: 0.06, DWAB: 0.057},
		},
		{
			Code: GuideNormal, Name: "Guide normal", Channels: []string{"X", "Y", "Z"},
			Group: GroupGuides, Purpose: "Direction guide of a denoiser elsewhere.",
			Meaning: "Normals as noisy as the picture, for a denoiser.",
			Data:    true, Filtered: true, Shown: AsDirection, Adds: 0.03,
			Left: Shares{ZIP: 0.45, ZIPS: 0.49, PIZ: 0.52, RLE: 0.63, PXR24: 0.23, DWAA: 0.33, DWAB: 0.31},
		},
		{
			Code: GuideDepth, Name: "Guide depth", Channels: []string{"Z"}, Unit: "m",
			Group: GroupGuides, Purpose: "Depth guide of a denoiser elsewhere.",
			Meaning: "Depth as noisy as the picture, for a denoiser; the background's where there is no surface.",
			Data:    true, Filtered: true, Shown: AsDistance, Adds: 0.02,
			Left: Shares{ZIP: 0.66, ZIPS: 0.73, PIZ: 0.67, RLE: 0.92, PXR24: 0.23, DWAA: 0.63, DWAB: 0.6},
		},
		cryptomatte(CryptoObject, "Cryptomatte, objects", "CryptoObject", "objects",
			Shares{ZIP: 0.014, ZIPS: 0.016, PIZ: 0.029, RLE: 0.11, PXR24: 0.013, DWAA: 0.03, DWAB: 0.027}),
		cryptomatte(CryptoMaterial, "Cryptomatte, materials", "CryptoMaterial", "materials",
			Shares{ZIP: 0.017, ZIPS: 0.021, PIZ: 0.033, RLE: 0.12, PXR24: 0.018, DWAA: 0.04, DWAB: 0.036}),
		cryptomatte(CryptoAsset, "Cryptomatte, assets", "CryptoAsset", "assets, the topmost groups of the scene,",
			Shares{ZIP: 0.013, ZIPS: 0.016, PIZ: 0.028, RLE: 0.11, PXR24: 0.013, DWAA: 0.03, DWAB: 0.027}),
	}
})

// Ranks is how many things of a pixel a Cryptomatte tells apart: two a layer of four channels.
const Ranks = 6

// cryptomatte returns a pass that follows the Cryptomatte specification, version 1.2.0 (Psyop): pairs of an ID and its
// coverage.
func cryptomatte(code Code, name, layer, of string, left Shares) Pass {
	var channels []string
	for i := range Ranks / 2 {
		for _, c := range []string{"R", "G", "B", "A"} {
			channels = append(channels, fmt.Sprintf("%02d.%s", i, c))
		}
	}
	what, _, _ := strings.Cut(of, ",")
	return Pass{
		Code: code, Name: name, Channels: channels, Layer: layer,
		Group: GroupMattes, Purpose: "Mattes by name, exact at edges, of " + what + ".",
		Meaning: "Which " + of + " cover how much of the pixel, most first: pairs of an ID, hashed from its name, " +
			"and its share.",
		Data: true, Shown: AsIDs, Adds: 0.06, Left: left,
	}
}
