package output

import (
	"math"

	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// left holds the share of an OpenEXR file's size without compression that is left after it, by pass, from frames of the
// demo production at draft quality; a test holds them against newly rendered frames. A production's own frames correct
// the sum as they are finished. What stands in no list is stored as it is. Coordinates of textures and occlusion are
// estimated for scenes with more of them than the demo's.
var left = map[Compression]map[pass.Code]float64{
	ZIP: {
		pass.Beauty: 0.37, pass.Denoised: 0.34, pass.DiffuseDirect: 0.56, pass.DiffuseIndirect: 0.18,
		pass.SpecularDirect: 0.55, pass.SpecularIndirect: 0.29, pass.Transmission: 0.1,
		pass.Emission: 0.013, pass.Environment: 0.23, pass.Albedo: 0.084, pass.Occlusion: 0.1, pass.Shadow: 0.34,
		pass.Depth: 0.58, pass.Distance: 0.66,
		pass.Position: 0.6, pass.Normal: 0.43, pass.CameraNormal: 0.44, pass.UV: 0.4, pass.Facing: 0.66,
		pass.Motion: 0.71, pass.MotionBack: 0.7,
		pass.Object: 0.05, pass.SampleCount: 0.1, pass.Variance: 1, pass.GuideAlbedo: 0.07, pass.GuideNormal: 0.45,
		pass.GuideDepth: 0.66, pass.CryptoObject: 0.014, pass.CryptoMaterial: 0.017, pass.CryptoAsset: 0.013,
	},
	ZIPS: {
		pass.Beauty: 0.41, pass.Denoised: 0.37, pass.DiffuseDirect: 0.61, pass.DiffuseIndirect: 0.2,
		pass.SpecularDirect: 0.6, pass.SpecularIndirect: 0.32, pass.Transmission: 0.11,
		pass.Emission: 0.033, pass.Environment: 0.32, pass.Albedo: 0.12, pass.Occlusion: 0.13, pass.Shadow: 0.4,
		pass.Depth: 0.62, pass.Distance: 0.68,
		pass.Position: 0.61, pass.Normal: 0.45, pass.CameraNormal: 0.46, pass.UV: 0.4, pass.Facing: 0.68,
		pass.Motion: 0.72, pass.MotionBack: 0.71,
		pass.Object: 0.08, pass.SampleCount: 0.11, pass.Variance: 1, pass.GuideAlbedo: 0.076, pass.GuideNormal: 0.49,
		pass.GuideDepth: 0.73, pass.CryptoObject: 0.016, pass.CryptoMaterial: 0.021, pass.CryptoAsset: 0.016,
	},
	PIZ: {
		pass.Beauty: 0.42, pass.Denoised: 0.4, pass.DiffuseDirect: 0.63, pass.DiffuseIndirect: 0.27,
		pass.SpecularDirect: 0.57, pass.SpecularIndirect: 0.42, pass.Transmission: 0.12,
		pass.Emission: 0.026, pass.Environment: 0.34, pass.Albedo: 0.1, pass.Occlusion: 0.12, pass.Shadow: 0.54,
		pass.Depth: 0.61, pass.Distance: 0.65,
		pass.Position: 0.62, pass.Normal: 0.5, pass.CameraNormal: 0.51, pass.UV: 0.45, pass.Facing: 0.7,
		pass.Motion: 0.82, pass.MotionBack: 0.82,
		pass.Object: 0.15, pass.SampleCount: 0.15, pass.Variance: 1, pass.GuideAlbedo: 0.14, pass.GuideNormal: 0.52,
		pass.GuideDepth: 0.67, pass.CryptoObject: 0.029, pass.CryptoMaterial: 0.033, pass.CryptoAsset: 0.028,
	},
	RLE: {
		pass.Beauty: 0.52, pass.Denoised: 0.48, pass.DiffuseDirect: 0.78, pass.DiffuseIndirect: 0.26,
		pass.SpecularDirect: 0.77, pass.SpecularIndirect: 0.41, pass.Transmission: 0.14,
		pass.Emission: 0.043, pass.Environment: 0.59, pass.Albedo: 0.16, pass.Occlusion: 0.6, pass.Shadow: 0.51,
		pass.Depth: 1, pass.Distance: 1,
		pass.Position: 0.67, pass.Normal: 0.49, pass.CameraNormal: 0.65, pass.UV: 0.6, pass.Facing: 0.68,
		pass.Motion: 0.8, pass.MotionBack: 0.79,
		pass.Object: 0.67, pass.SampleCount: 0.14, pass.Variance: 1, pass.GuideAlbedo: 0.097, pass.GuideNormal: 0.63,
		pass.GuideDepth: 0.92, pass.CryptoObject: 0.11, pass.CryptoMaterial: 0.12, pass.CryptoAsset: 0.11,
	},
	PXR24: {
		pass.Beauty: 0.37, pass.Denoised: 0.35, pass.DiffuseDirect: 0.56, pass.DiffuseIndirect: 0.19,
		pass.SpecularDirect: 0.5, pass.SpecularIndirect: 0.29, pass.Transmission: 0.1,
		pass.Emission: 0.013, pass.Environment: 0.27, pass.Albedo: 0.085, pass.Occlusion: 0.08, pass.Shadow: 0.25,
		pass.Depth: 0.15, pass.Distance: 0.17,
		pass.Position: 0.2, pass.Normal: 0.2, pass.CameraNormal: 0.2, pass.UV: 0.2, pass.Facing: 0.23,
		pass.Motion: 0.21, pass.MotionBack: 0.21,
		pass.Object: 0.045, pass.SampleCount: 0.08, pass.Variance: 0.61, pass.GuideAlbedo: 0.059,
		pass.GuideNormal: 0.23, pass.GuideDepth: 0.23, pass.CryptoObject: 0.013,
		pass.CryptoMaterial: 0.018, pass.CryptoAsset: 0.013,
	},
	B44: {
		pass.Beauty: 0.44, pass.Denoised: 0.44, pass.DiffuseDirect: 0.44, pass.DiffuseIndirect: 0.44,
		pass.SpecularDirect: 0.44, pass.SpecularIndirect: 0.44, pass.Transmission: 0.44,
		pass.Emission: 0.44, pass.Environment: 0.44, pass.Albedo: 0.44,
	},
	B44A: {
		pass.Beauty: 0.35, pass.Denoised: 0.35, pass.DiffuseDirect: 0.35, pass.DiffuseIndirect: 0.35,
		pass.SpecularDirect: 0.35, pass.SpecularIndirect: 0.35, pass.Transmission: 0.35,
		pass.Emission: 0.11, pass.Environment: 0.22, pass.Albedo: 0.17,
	},
	DWAA: {
		pass.Beauty: 0.18, pass.Denoised: 0.15, pass.DiffuseDirect: 0.26, pass.DiffuseIndirect: 0.13,
		pass.SpecularDirect: 0.22, pass.SpecularIndirect: 0.19, pass.Transmission: 0.06,
		pass.Emission: 0.043, pass.Environment: 0.069, pass.Albedo: 0.12, pass.Occlusion: 0.09, pass.Shadow: 0.26,
		pass.Depth: 0.54, pass.Distance: 0.61,
		pass.Position: 0.43, pass.Normal: 0.31, pass.CameraNormal: 0.32, pass.UV: 0.3, pass.Facing: 0.61,
		pass.Motion: 0.38, pass.MotionBack: 0.38,
		pass.Object: 0.058, pass.SampleCount: 0.1, pass.Variance: 0.12, pass.GuideAlbedo: 0.06, pass.GuideNormal: 0.33,
		pass.GuideDepth: 0.63, pass.CryptoObject: 0.03, pass.CryptoMaterial: 0.04, pass.CryptoAsset: 0.03,
	},
	DWAB: {
		pass.Beauty: 0.17, pass.Denoised: 0.15, pass.DiffuseDirect: 0.25, pass.DiffuseIndirect: 0.13,
		pass.SpecularDirect: 0.21, pass.SpecularIndirect: 0.18, pass.Transmission: 0.095,
		pass.Emission: 0.037, pass.Environment: 0.06, pass.Albedo: 0.11, pass.Occlusion: 0.09, pass.Shadow: 0.25,
		pass.Depth: 0.53, pass.Distance: 0.6,
		pass.Position: 0.42, pass.Normal: 0.3, pass.CameraNormal: 0.3, pass.UV: 0.3, pass.Facing: 0.6,
		pass.Motion: 0.37, pass.MotionBack: 0.37,
		pass.Object: 0.052, pass.SampleCount: 0.095, pass.Variance: 0.12, pass.GuideAlbedo: 0.057,
		pass.GuideNormal: 0.31, pass.GuideDepth: 0.6, pass.CryptoObject: 0.027,
		pass.CryptoMaterial: 0.036, pass.CryptoAsset: 0.027,
	},
}

// fullBeauty is the share that is left of colour in 32-bit floats.
var fullBeauty = map[Compression]float64{
	ZIP:   0.72,
	ZIPS:  0.76,
	PIZ:   0.74,
	RLE:   0.89,
	PXR24: 0.32,
	B44:   1,
	B44A:  1,
	DWAA:  0.09,
	DWAB:  0.087,
}

// colourBytes are bytes a pixel of the formats that hold one picture, without alpha and with it, where that is
// 1 nearly everywhere.
var colourBytes = map[Format]map[Compression]map[Depth][2]float64{
	PNG: {Deflate: {Sixteen: {4.0, 4.0}, Eight: {1.1, 1.1}}}, // alpha that is 1 everywhere is left out
	TIFF: {
		Deflate: {Sixteen: {4.0, 4.3}, Eight: {1.12, 1.22}, Float: {7.9, 8.8}},
		LZW:     {Sixteen: {5.1, 5.5}, Eight: {1.17, 1.31}, Float: {10.1, 10.9}},
		None:    {Sixteen: {6, 8}, Eight: {3, 4}, Float: {12, 16}},
	},
	TGA: {RLE: {Eight: {2.04, 2.67}}, None: {Eight: {3, 4}}},
	DPX: {None: {Ten: {4, 4}}},
	HDR: {RLE: {Float: {2.44, 2.44}}},
	BMP: {None: {Eight: {3, 3}}},
}

const headerBytes = 1500

// Bytes returns the expected bytes of one file with the passes, size pixels large.
func (e Encoding) Bytes(passes []pass.Code, size raster.Size) float64 {
	sum := 0.0
	for _, code := range passes {
		p, err := pass.Find(code)
		if err != nil {
			continue
		}
		switch e.Format {
		case EXR:
			sum += e.layerBytes(p)
		case JPEG:
			sum += e.dctBytes()
		default:
			alpha := 0
			if e.Alpha != NoAlpha {
				alpha = 1
			}
			sum += colourBytes[e.Format][e.Compression][e.Depth][alpha]
		}
	}
	return sum*float64(size.Pixels()) + headerBytes
}

// layerBytes returns bytes a pixel of a pass in an OpenEXR file.
func (e Encoding) layerBytes(p pass.Pass) float64 {
	bytes, share := 4.0, 1.0
	code := p.Code
	if _, light := code.LightGroup(); light {
		code = pass.DiffuseIndirect // which is as noisy and as dark
	}
	if known, ok := left[e.Compression][code]; ok {
		share = known
	}
	switch {
	case e.Compression == None:
		share = 1
	case (e.Compression == DWAA || e.Compression == DWAB) && p.Code == pass.Beauty:
		share *= math.Pow(float64(max(1, e.Level))/usualLoss, -0.35) // less is kept where more may be lost
	}
	if e.Half(p) {
		bytes = 2
	} else if all, ok := fullBeauty[e.Compression]; ok && !p.Data {
		share = min(1, share*all/left[e.Compression][pass.Beauty])
	}
	return float64(len(e.Channels(p))) * bytes * share
}

// dctSizes are bytes a pixel of JPEG by quality, from the same frames; below 50 and at 100 estimated.
var dctSizes = []struct{ quality, bytes float64 }{
	{1, 0.03},
	{25, 0.075},
	{50, 0.114},
	{75, 0.168},
	{90, 0.278},
	{98, 0.556},
	{100, 0.8},
}

// dctFull is how many times larger a file with all colour differences is.
const dctFull = 1.26

// dctBytes returns bytes a pixel at the encoding's quality, between the measured ones.
func (e Encoding) dctBytes() float64 {
	q, times := float64(e.Level), 1.0
	if e.Compression == DCTFull {
		times = dctFull
	}
	for i, to := range dctSizes[1:] {
		if from := dctSizes[i]; q <= to.quality {
			return times * (from.bytes + (to.bytes-from.bytes)*(q-from.quality)/(to.quality-from.quality))
		}
	}
	return times * dctSizes[len(dctSizes)-1].bytes
}
