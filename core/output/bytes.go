package output

import (
	"math"

	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// Share of a file's size without compression that is left after it, by pass, from frames of the demo
// production at draft quality; a test holds them against newly rendered frames. A production's own frames
// correct the sum as they are finished.
var deflated = map[pass.Code]float64{pass.Beauty: 0.80, pass.Depth: 0.62, pass.Normal: 0.47, pass.Object: 0.10}

const (
	deflatedInteger = 0.60 // PNG, 8 bit
	deflatedSixteen = 0.90 // PNG, 16 bit: the low byte is mostly noise
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
	if e.Compression == None {
		return 1
	}
	return deflated[code]
}

// dctBytes returns bytes a pixel by quality: from measured frames, nearly straight in the logarithm up to 90
// and steeper above.
func (e Encoding) dctBytes() float64 {
	return 0.06 * math.Exp(0.021*float64(e.Level)+0.00000002*math.Pow(float64(e.Level), 4))
}
