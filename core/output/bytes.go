package output

import (
	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// Share of a file's size without compression that is left after it, by pass, from frames of the demo
// production at draft quality; a test holds them against newly rendered frames. A production's own frames
// correct the sum as they are finished.
var (
	deflated = map[pass.Code]float64{pass.Beauty: 0.38, pass.Depth: 0.61, pass.Normal: 0.45, pass.Object: 0.05}
	wavelets = map[pass.Code]float64{pass.Beauty: 0.42, pass.Depth: 0.61, pass.Normal: 0.50, pass.Object: 0.17}
	runs     = map[pass.Code]float64{pass.Beauty: 0.52, pass.Depth: 1, pass.Normal: 0.49, pass.Object: 0.67}
)

const (
	deflatedInteger = 0.37 // PNG, 8 bit
	deflatedSixteen = 0.67 // PNG, 16 bit: the low byte is mostly noise
	headerBytes     = 1500
)

// Bytes returns the expected bytes of one file with the passes, size pixels large.
func (e Encoding) Bytes(passes []pass.Code, size raster.Size) float64 {
	sum := 0.0
	for _, code := range passes {
		p, err := pass.Find(code)
		if err != nil {
			continue
		}
		channels := float64(len(e.Channels(p)))
		switch e.Format {
		case EXR:
			bytes := 4.0
			if e.Half(p) {
				bytes = 2
			}
			sum += channels * bytes * e.left(code)
		case PNG:
			left := deflatedInteger
			if e.Depth == Sixteen {
				left = deflatedSixteen
			}
			sum += 3 * float64(e.Depth.Bits()/8) * left // alpha that is 1 everywhere takes nothing
		case JPEG:
			sum += e.dctBytes()
		}
	}
	return sum*float64(size.Pixels()) + headerBytes
}

func (e Encoding) left(code pass.Code) float64 {
	switch e.Compression {
	case None:
		return 1
	case PIZ:
		return wavelets[code]
	case RLE:
		return runs[code]
	}
	return deflated[code]
}

// dctSizes are bytes a pixel of JPEG by quality, from the same frames; below 50 and at 100 estimated.
var dctSizes = []struct{ quality, bytes float64 }{{1, 0.03}, {25, 0.075}, {50, 0.114}, {75, 0.168}, {90, 0.278}, {98, 0.556}, {100, 0.8}}

// dctBytes returns bytes a pixel at the encoding's quality, between the measured ones.
func (e Encoding) dctBytes() float64 {
	q := float64(e.Level)
	for i, to := range dctSizes[1:] {
		if from := dctSizes[i]; q <= to.quality {
			return from.bytes + (to.bytes-from.bytes)*(q-from.quality)/(to.quality-from.quality)
		}
	}
	return dctSizes[len(dctSizes)-1].bytes
}
