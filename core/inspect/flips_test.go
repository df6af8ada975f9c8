package inspect

import (
	"bytes"
	"math/rand/v2"
	"testing"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// flips is how often a bit is turned over in files of each kind.
const flips = 10_000

// A file with noise in it that still gets smaller, so that no part of it is stored as it is.
func noisy(t *testing.T, e output.Encoding) []byte {
	t.Helper()
	random := rand.New(rand.NewPCG(1, 2))
	img := pixel.New(48, 40, "R", "G", "B", "A", "depth.Z")
	for i := range img.Planes[0].Data {
		for k := range 3 {
			img.Planes[k].Data[i] = float32(random.IntN(16)) / 16
		}
		img.Planes[3].Data[i], img.Planes[4].Data[i] = 1, float32(random.IntN(50))
	}
	passes := []pass.Code{pass.Beauty, pass.Depth}
	if e.Format != output.EXR {
		img.Planes, passes = img.Planes[:4], passes[:1]
	}
	var b bytes.Buffer
	if err := picture.Encode(&b, e, img, passes, picture.Header{}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// Whatever single bit of deflated data is turned over, the judge notices: by the sums of the data or, where the samples
// come out the same, by that of the file.
func TestNoFlippedBitOfDeflatedDataIsTakenForGood(t *testing.T) {
	for name, e := range map[string]output.Encoding{
		"zip": exrWith(output.ZIP), "zips": exrWith(output.ZIPS), "pxr24": exrWith(output.PXR24),
		"tiff": output.TIFF.Usual(), "png": output.PNG.Usual(),
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			data := noisy(t, e)
			if r := judge(data, Expected{}); !r.Good() {
				t.Fatal(r.Problems)
			}
			from, behind := deflated(data, e.Format)
			random := rand.New(rand.NewPCG(3, 4))
			for range flips {
				at, bit := from+random.IntN(behind-from), byte(1)<<random.IntN(8)
				data[at] ^= bit
				if r := judge(data, Expected{}); r.Good() {
					t.Errorf("bit %d of byte %d of %d was turned over, and the file is good", bit, at, len(data))
				}
				data[at] ^= bit
			}
		})
	}
}

func exrWith(c output.Compression) output.Encoding {
	e := output.EXR.Usual()
	e.Compression, e.Level = c, output.EXR.Scale(c).Used
	return e
}

// deflated returns where the deflated data of a small file lies.
func deflated(data []byte, f output.Format) (from, behind int) {
	switch f {
	case output.EXR: // behind the table of offsets: its first entry points at the first chunk
		for at := 0; at+8 < len(data); at++ {
			first := int(data[at]) | int(data[at+1])<<8 | int(data[at+2])<<16
			if first > at && first-at < 8*41 && (first-at)%8 == 0 &&
				data[at+3]|data[at+4]|data[at+5]|data[at+6]|data[at+7] == 0 &&
				first < len(data) {
				if int(data[first])|int(data[first+1])|int(data[first+2]) == 0 { // of line 0
					return first, len(data)
				}
			}
		}
	case output.TIFF: // the header is 8 bytes, and the directory stands behind the data
		return 8, int(data[4]) | int(data[5])<<8 | int(data[6])<<16
	case output.PNG:
		return bytes.Index(data, []byte("IDAT")) + 4, bytes.LastIndex(data, []byte("IEND")) - 8
	}
	return 0, len(data)
}
