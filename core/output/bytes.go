package output

import (
	"math"

	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// left returns the share of a pass's size that a compression of OpenEXR leaves; a production's own frames correct the
// sum as they are finished.
func left(c Compression, p pass.Pass) float64 {
	shares := map[Compression]float64{
		ZIP: p.Left.ZIP, ZIPS: p.Left.ZIPS, PIZ: p.Left.PIZ, RLE: p.Left.RLE, PXR24: p.Left.PXR24, B44: p.Left.B44,
		B44A: p.Left.B44A, DWAA: p.Left.DWAA, DWAB: p.Left.DWAB,
	}
	if share := shares[c]; share > 0 {
		return share
	}
	return 1
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
			sum += e.Format.Kind().Bytes[e.Compression][e.Depth][alpha]
		}
	}
	return sum*float64(size.Pixels()) + headerBytes
}

// layerBytes returns bytes a pixel of a pass in an OpenEXR file.
func (e Encoding) layerBytes(p pass.Pass) float64 {
	bytes, share := 4.0, left(e.Compression, p)
	if p.Code == pass.Beauty && (e.Compression == DWAA || e.Compression == DWAB) {
		share *= math.Pow(float64(max(1, e.Level))/usualLoss, -0.35) // less is kept where more may be lost
	}
	if e.Half(p) {
		bytes = 2
	} else if all, ok := fullBeauty[e.Compression]; ok && !p.Data {
		beauty, _ := pass.Find(pass.Beauty)
		share = min(1, share*all/left(e.Compression, beauty))
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
