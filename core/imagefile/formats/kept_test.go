package formats

import (
	"os"
	"path/filepath"
	"testing"

	"reelhouse/core/imagefile"
)

// kept are small files in testdata that OpenImageIO and the TIFF library's tools wrote of one picture, with the largest
// error that their format makes of it. They are seeds of the fuzz tests, too.
var kept = map[string]float64{
	"plain.png": 0, "16.png": 0, "lzw-predictor.tif": 0, "float-tiles.tif": 0, "big-endian.tif": 0, "packbits.tif": 0,
	"separate.tif": 0, "runs.tga": 0,
	"plain.dpx": 1. / 1023, "little.dpx": 1. / 1023, "plain.hdr": 1. / 64, "plain.bmp": 0, "420.jpg": 1,
	"progressive.jpg": 1, "bigtiff.tif": 0, "4bit.tif": 1. / 15, "12bit.tif": 1. / 4095, "packed.dpx": 1. / 1023,
	"method-b.dpx": 1. / 1023, "12-packed.dpx": 1. / 4095, "440.jpg": 1,
}

func keptSource() imagefile.Part {
	return variant{kind: imagefile.Uint8, channels: "RGB"}.picture(24, 18, 3)
}

func TestKeptFilesOfOtherWritersAreRead(t *testing.T) {
	if os.Getenv("REELHOUSE_KEPT") == "write" {
		keep(t)
	}
	for name, most := range kept {
		v := variant{format: name, kind: imagefile.Uint8, channels: "RGB"}
		mean, worst := difference(t, v, load(t, filepath.Join("testdata", name)), keptSource())
		if worst > most+1e-6 || mean > 0.2 {
			t.Errorf("%s: error %v, at most %v", name, mean, worst)
		}
	}
}

// TestDifferencesOfTwoLinesAreSpread compares colour differences that two lines share (1 x 2) with how libjpeg decodes
// them, within the rounding of two transforms.
func TestDifferencesOfTwoLinesAreSpread(t *testing.T) {
	v := variant{format: "JPEG", kind: imagefile.Uint8, channels: "RGB"}
	got, want := load(t, "testdata/440.jpg"), load(t, "testdata/440-decoded.png")
	if mean, worst := difference(t, v, got, want); worst > 3./255 || mean > 0.5/255 {
		t.Errorf("the error is %v, at most %v", mean, worst)
	}
}

func keep(t *testing.T) {
	source, in := filepath.Join(
		t.TempDir(), "source.exr",
	), func(name string) string { return filepath.Join("testdata", name) }
	plain(t, source, keptSource())
	for name, args := range map[string][]string{
		"plain.png": {"-d", "uint8"}, "16.png": {"-d", "uint16"}, "plain.tif": {"-d", "uint8", "--compression", "none"},
		"lzw-predictor.tif": {"-d", "uint16", "--compression", "lzw"},
		"float-tiles.tif":   {"-d", "float", "--tile", "16", "16", "--compression", "zip"},
		"runs.tga":          {"-d", "uint8", "--compression", "rle"}, "plain.dpx": {"-d", "uint10"},
		"little.dpx": {"-d", "uint10", "--attrib", "oiio:Endian", "little"}, "plain.hdr": nil,
		"plain.bmp": {"-d", "uint8"}, "420.jpg": {"-d", "uint8", "--attrib", "jpeg:subsampling", "4:2:0"},
		"progressive.jpg": {"-d", "uint8", "--attrib", "jpeg:progressive", "1"},
		"4bit.tif":        {"-d", "uint4", "--compression", "none"},
		"12bit.tif":       {"-d", "uint12", "--compression", "none"},
		"packed.dpx":      {"-d", "uint10", "--attrib", "dpx:Packing", "Packed"},
		"method-b.dpx":    {"-d", "uint10", "--attrib", "dpx:Packing", "Filled, method B"},
		"12-packed.dpx":   {"-d", "uint12", "--attrib", "dpx:Packing", "Packed"},
		"440.ppm":         {"-d", "uint8"},
	} {
		tool(t, "oiiotool", append(append([]string{source, "--nosoftwareattrib"}, args...), "-o", in(name))...)
	}
	for name, args := range map[string][]string{"big-endian.tif": {"-B"}, "packbits.tif": {"-c", "packbits"},
		"separate.tif": {"-p", "separate"}, "bigtiff.tif": {"-8"}} {
		tool(t, "tiffcp", append(args, in("plain.tif"), in(name))...)
	}
	// Colour differences that two lines share, and the same file as libjpeg's djpeg decodes it.
	tool(t, "cjpeg", "-quality", "95", "-sample", "1x2", "-outfile", in("440.jpg"), in("440.ppm"))
	tool(t, "djpeg", "-pnm", "-outfile", in("440.ppm"), in("440.jpg"))
	tool(t, "oiiotool", in("440.ppm"), "-o", in("440-decoded.png"))
	for _, name := range []string{"plain.tif", "440.ppm"} {
		if err := os.Remove(in(name)); err != nil {
			t.Fatal(err)
		}
	}
}
