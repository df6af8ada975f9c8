package formats

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/ifd"
	"reelhouse/core/imagefile/jpeg"
	"reelhouse/core/imagefile/png"
)

// The files of this test are made by hand from the published descriptions that their comments name.

var notInNames = regexp.MustCompile(`[^a-z0-9]+`)

// byHand returns a file of testdata that holds what was made by hand here; it is a seed of the fuzz tests, too. With
// REELHOUSE_KEPT=write it is written anew.
func byHand(t *testing.T, name, ext string, made []byte) []byte {
	t.Helper()
	name = strings.Trim(notInNames.ReplaceAllString(strings.ToLower(name), "-"), "-")
	path := filepath.Join("testdata", "hand-"+name[:min(len(name), 40)]+"."+ext)
	if os.Getenv("REELHOUSE_KEPT") == "write" {
		write(t, path, made)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(data, made) {
		t.Errorf("%s is not what is made here", path)
	}
	return data
}

// opened reads a file that is in memory.
func opened(data []byte) (imagefile.Part, error) {
	parts, _, err := read(data, limit)
	if err != nil {
		return imagefile.Part{}, err
	}
	return parts[0], nil
}

// codes writes the samples of the first pixels, channel by channel.
func codes(p imagefile.Part) string {
	var lines []string
	for k, c := range p.Channels {
		var values []string
		for i := range p.Width() * p.Height() {
			if c.Type == imagefile.Uint8 {
				values = append(values, fmt.Sprint(p.Planes[k][i]))
			} else {
				values = append(values, fmt.Sprint(binary.LittleEndian.Uint16(p.Planes[k][2*i:])))
			}
		}
		lines = append(lines, c.Name+" "+strings.Join(values, " "))
	}
	return strings.Join(lines, "; ")
}

// A tag is a field of a TIFF directory.
type tag struct {
	number uint16
	values []int
}

// madeTIFF returns a file of one strip (TIFF 6.0, section 2 and baseline fields of sections 4 to 8 and 16).
func madeTIFF(width, height int, pixels []byte, tags ...tag) []byte {
	all := append([]tag{
		{256, []int{width}}, {257, []int{height}}, {259, []int{1}}, {273, []int{8}}, {278, []int{height}},
		{279, []int{len(pixels)}},
	}, tags...)
	d := ifd.Directory{Order: binary.LittleEndian}
	for _, t := range all {
		d.AddInts(t.number, ifd.Long, t.values...)
	}
	at := 8 + len(pixels) + len(pixels)%2
	data := binary.LittleEndian.AppendUint32([]byte("II\x2a\x00"), uint32(at))
	data = append(append(data, pixels...), make([]byte, len(pixels)%2)...)
	return append(data, d.Append(nil, at, 0)...)
}

func TestTIFFOfFewBitsPalettesAndInksIsRead(t *testing.T) {
	depth, colours, samples := func(bits ...int) tag { return tag{258, bits} },
		func(n int) tag { return tag{262, []int{n}} }, func(n int) tag { return tag{277, []int{n}} }
	palette := tag{320, []int{0, 0x1111, 0x2222, 0x3333, 0, 0x4444, 0x5555, 0x6666, 0, 0x7777, 0x8888, 0x9999}}
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"1 bit": {
			madeTIFF(5, 2, []byte{0b10110_000, 0b01001_000}, depth(1), colours(1)), "Y 255 0 255 255 0 0 255 0 0 255",
		},
		"1 bit, inverse": {madeTIFF(5, 1, []byte{0b10110_000}, depth(1), colours(0)), "Y 0 255 0 0 255"},
		"1 bit, bits in the other order": {
			madeTIFF(5, 1, []byte{0b000_01101}, depth(1), colours(1), tag{266, []int{2}}), "Y 255 0 255 255 0",
		},
		"2 bits": {madeTIFF(3, 1, []byte{0b00_01_11_00}, depth(2), colours(1)), "Y 0 85 255"},
		"4 bits": {madeTIFF(3, 1, []byte{0x0a, 0xf0}, depth(4), colours(1)), "Y 0 170 255"},
		"12 bits": {
			madeTIFF(2, 1, []byte{0x80, 0x0f, 0xff}, depth(12), colours(1)), "Y 32776 65535",
		},
		"4 bits of three channels": {
			madeTIFF(1, 1, []byte{0x0f, 0x30}, depth(4, 4, 4), colours(2), samples(3)), "R 0; G 255; B 51",
		},
		"palette of 4": {
			madeTIFF(3, 1, []byte{0b01_11_00_00}, depth(2), colours(3), palette),
			"R 4369 13107 0; G 17476 26214 0; B 30583 39321 0",
		},
		"inks": { // no ink, all of cyan, half of it over a fifth of black
			madeTIFF(3, 1, []byte{0, 0, 0, 0, 255, 0, 0, 0, 128, 0, 0, 51}, depth(8, 8, 8, 8), colours(5), samples(4)),
			"R 255 0 102; G 255 255 204; B 255 255 204",
		},
		"inks with alpha": {
			madeTIFF(1, 1, []byte{0, 255, 0, 0, 7}, depth(8, 8, 8, 8, 8), colours(5), samples(5), tag{338, []int{2}}),
			"R 255; G 0; B 255; A 7",
		},
	} {
		p, err := opened(byHand(t, name, "tif", c.data))
		if err != nil {
			t.Errorf("%s: %v", name, err)
		} else if got := codes(p); got != c.want {
			t.Errorf("%s is %s, not %s", name, got, c.want)
		}
	}
	for want, data := range map[string][]byte{
		"its colours are YCbCr; grey, RGB, palettes and CMYK are read": madeTIFF(
			1, 1, []byte{0, 0, 0}, depth(8, 8, 8), colours(6), samples(3),
		),
		"its samples are signed, of 8 bits; unsigned ones": madeTIFF(
			1, 1, []byte{0}, depth(8), colours(1), tag{339, []int{2}},
		),
		"its samples are floating, of 64 bits": madeTIFF(
			1, 1, make([]byte, 8), depth(64), colours(1), tag{339, []int{3}},
		),
		"its channels have 5 to 6 bits; channels of one": madeTIFF(
			1, 1, make([]byte, 2), depth(5, 6, 5), colours(2), samples(3),
		),
		"its inks are not those of CMYK": madeTIFF(
			1, 1, make([]byte, 4), depth(8, 8, 8, 8), colours(5), samples(4), tag{332, []int{2}},
		),
		"predictor 2 of samples of 4 bits": madeTIFF(
			1, 1, []byte{0}, depth(4), colours(1), tag{317, []int{2}},
		),
	} {
		if _, err := opened(byHand(t, want, "tif", data)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q is not in %v", want, err)
		}
	}
	jpegInside := madeTIFF(1, 1, []byte{0}, depth(8), colours(1))
	compression := bytes.Index(jpegInside, []byte{3, 1, 4, 0, 1, 0, 0, 0, 1, 0, 0, 0}) + 8
	jpegInside[compression] = 7
	if _, err := opened(jpegInside); err == nil ||
		!strings.Contains(
			err.Error(),
			"it is compressed by JPEG; uncompressed files, LZW, Deflate and PackBits are read",
		) {
		t.Errorf("of JPEG within it says %v", err)
	}
}

// upright is a picture of 3 x 2 pixels; stored are the lines and columns as each orientation has them, by the words of
// TIFF 6.0's field Orientation: where the first line lies, and where the first column.
var stored = map[int][][]byte{
	1: {{1, 2, 3}, {4, 5, 6}},   // top, left
	2: {{3, 2, 1}, {6, 5, 4}},   // top, right
	3: {{6, 5, 4}, {3, 2, 1}},   // bottom, right
	4: {{4, 5, 6}, {1, 2, 3}},   // bottom, left
	5: {{1, 4}, {2, 5}, {3, 6}}, // left, top
	6: {{3, 6}, {2, 5}, {1, 4}}, // right, top
	7: {{6, 3}, {5, 2}, {4, 1}}, // right, bottom
	8: {{4, 1}, {5, 2}, {6, 3}}, // left, bottom
}

func TestPicturesStandUpright(t *testing.T) {
	const upright = "Y 1 2 3 4 5 6"
	for orientation, lines := range stored {
		data := madeTIFF(
			len(lines[0]), len(lines), slices.Concat(lines...), tag{258, []int{8}}, tag{262, []int{1}},
			tag{274, []int{orientation}},
		)
		p, err := opened(byHand(t, fmt.Sprint("orientation ", orientation), "tif", data))
		if err != nil || codes(p) != upright || p.DataWindow != image.Rect(0, 0, 3, 2) {
			t.Errorf("TIFF of orientation %d is %v, %v", orientation, codes(p), err)
		}
		// Exif (CIPA DC-008) in the segment APP1 of JPEG, and in the chunk eXIf of PNG.
		d := ifd.Directory{Order: binary.LittleEndian}
		d.AddInts(ifd.TagOrientation, ifd.Short, orientation)
		exif := d.Append([]byte("II\x2a\x00\x08\x00\x00\x00"), 0, 0)
		h := imagefile.Plain(len(lines[0]), len(lines), imagefile.Uint8, "Y")
		var b bytes.Buffer
		w, err := png.NewWriter(&b, h, png.Options{})
		if err == nil {
			err = imagefile.WriteAll(w, imagefile.Part{Header: h, Planes: [][]byte{slices.Concat(lines...)}})
		}
		if err != nil {
			t.Fatal(err)
		}
		p, err = opened(withChunk(b.Bytes(), "eXIf", exif))
		if err != nil || codes(p) != upright {
			t.Errorf("PNG of orientation %d is %v, %v", orientation, codes(p), err)
		}
		// Of JPEG the blocks are of 8 x 8 equal pixels, which its transform leaves as they are.
		h = imagefile.Plain(8*len(lines[0]), 8*len(lines), imagefile.Uint8, "Y")
		plane := make([]byte, h.Width()*h.Height())
		for i := range plane {
			plane[i] = 40 * lines[i/h.Width()/8][i%h.Width()/8]
		}
		b.Reset()
		if w, err = jpeg.NewWriter(&b, h, jpeg.Options{Quality: 100}); err == nil {
			err = imagefile.WriteAll(w, imagefile.Part{Header: h, Planes: [][]byte{plane}})
		}
		if err != nil {
			t.Fatal(err)
		}
		segment := append([]byte("Exif\x00\x00"), exif...)
		app1 := binary.BigEndian.AppendUint16([]byte{0xff, 0xe1}, uint16(len(segment)+2))
		p, err = opened(slices.Concat(b.Bytes()[:2], app1, segment, withoutExif(b.Bytes()[2:])))
		if err != nil || p.Width() != 24 || p.Height() != 16 {
			t.Errorf("JPEG of orientation %d is %v, %v", orientation, p.DataWindow, err)
			continue
		}
		for i, v := range p.Planes[0] {
			if want := 40 * (i/24/8*3 + i%24/8 + 1); int(v) < want-2 || int(v) > want+2 {
				t.Errorf("JPEG of orientation %d has %d at %d, not %d", orientation, v, i, want)
				break
			}
		}
	}
}

// withChunk puts a chunk behind the first one.
func withChunk(file []byte, kind string, value []byte) []byte {
	const behindHeader = 8 + 25
	var c bytes.Buffer
	binary.Write(&c, binary.BigEndian, uint32(len(value)))
	c.WriteString(kind)
	c.Write(value)
	binary.Write(&c, binary.BigEndian, crc32.ChecksumIEEE(append([]byte(kind), value...)))
	return slices.Concat(file[:behindHeader], c.Bytes(), file[behindHeader:])
}

// withoutExif takes the writer's own segment of Exif away.
func withoutExif(file []byte) []byte {
	at := bytes.Index(file, []byte("Exif\x00\x00")) - 4
	size := int(binary.BigEndian.Uint16(file[at+2:]))
	return slices.Concat(file[:at], file[at+2+size:])
}

// Truevision TGA File Format Specification, version 2.0: fields of the header, colour map data, and packets.
func TestTGAOfPalettesAndFewBitsIsRead(t *testing.T) {
	header := func(kind byte, mapped byte, first, count, entry, width, height, bits, descriptor int) []byte {
		h := []byte{0, mapped, kind}
		h = binary.LittleEndian.AppendUint16(h, uint16(first))
		h = binary.LittleEndian.AppendUint16(h, uint16(count))
		h = append(h, byte(entry), 0, 0, 0, 0)
		h = binary.LittleEndian.AppendUint16(h, uint16(width))
		h = binary.LittleEndian.AppendUint16(h, uint16(height))
		return append(h, byte(bits), byte(descriptor))
	}
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"a palette of 24 bits that begins at 10": {
			append(header(1, 1, 10, 2, 24, 3, 1, 8, 0x20), 1, 2, 3, 4, 5, 6, 11, 10, 11), "R 6 3 6; G 5 2 5; B 4 1 4",
		},
		"a palette of 32 bits, in runs": {
			append(header(9, 1, 0, 2, 32, 3, 1, 8, 0x28), 1, 2, 3, 9, 4, 5, 6, 8, 0x82, 1),
			"R 6 6 6; G 5 5 5; B 4 4 4; A 8 8 8",
		},
		"a palette of 15 bits, upwards": {
			append(header(1, 1, 0, 2, 15, 1, 2, 8, 0), 0x1f, 0, 0, 0x7c, 0, 1), "R 255 0; G 0 0; B 0 255",
		},
		"16 bits": {
			append(header(2, 0, 0, 0, 0, 2, 1, 16, 0x20), 0x10, 0x42, 0xe0, 0x03), "R 132 0; G 132 255; B 132 0",
		},
		"16 bits with alpha": {
			append(header(2, 0, 0, 0, 0, 2, 1, 16, 0x21), 0x1f, 0x80, 0xe0, 0x03), "R 0 0; G 0 255; B 255 0; A 255 0",
		},
		"grey with alpha": {append(header(3, 0, 0, 0, 0, 2, 1, 16, 0x28), 7, 8, 9, 10), "Y 7 9; A 8 10"},
		"true colour beside a palette": {
			append(header(2, 1, 0, 1, 24, 1, 1, 24, 0x20), 9, 9, 9, 1, 2, 3), "R 3; G 2; B 1",
		},
	} {
		p, err := opened(byHand(t, name, "tga", c.data))
		if err != nil {
			t.Errorf("%s: %v", name, err)
		} else if got := codes(p); got != c.want {
			t.Errorf("%s is %s, not %s", name, got, c.want)
		}
	}
	if _, err := opened(append(header(1, 1, 0, 2, 24, 1, 1, 8, 0x20), 1, 2, 3, 4, 5, 6, 2)); err == nil ||
		!strings.Contains(err.Error(), "the colour 2 of 2") {
		t.Errorf("outside the palette: %v", err)
	}
}

// The runs of 8 and 4 bits are the worked examples of "Bitmap Compression" (Windows GDI), from memory.
func TestBMPInRunsWithPalettesAndMasksIsRead(t *testing.T) {
	header := func(width, height, depth, packing, colours int, rest ...byte) []byte {
		h := []byte("BM\x00\x00\x00\x00\x00\x00\x00\x00")
		h = binary.LittleEndian.AppendUint32(h, uint32(14+40+len(rest)))
		size := 40
		if len(rest) == 68 { // of the fourth version
			size = 108
		}
		for _, v := range []int{size, width, height} {
			h = binary.LittleEndian.AppendUint32(h, uint32(v))
		}
		h = append(h, 1, 0, byte(depth), 0)
		for _, v := range []int{packing, 0, 0, 0, colours, 0} {
			h = binary.LittleEndian.AppendUint32(h, uint32(v))
		}
		return append(h, rest...)
	}
	grey := func(n int) (palette []byte) {
		for i := range n {
			palette = append(palette, byte(i), byte(i), byte(i), 0)
		}
		return palette
	}
	red := func(p imagefile.Part) string {
		return codes(imagefile.Part{Header: imagefile.Header{
			DataWindow: p.DataWindow, Channels: p.Channels[:1],
		}, Planes: p.Planes[:1]})
	}
	runs := []byte{3, 4, 5, 6, 0, 3, 0x45, 0x56, 0x67, 0, 2, 0x78, 0, 2, 5, 1, 2, 0x78, 0, 0, 9, 0x1e, 0, 1}
	p, err := opened(byHand(t, "runs of 8 bits", "bmp", append(header(20, 3, 8, 1, 256, grey(256)...), runs...)))
	want := "R 30 30 30 30 30 30 30 30 30" + strings.Repeat(" 0", 11+18) + " 120 120" +
		" 4 4 4 6 6 6 6 6 69 86 103 120 120" + strings.Repeat(" 0", 7)
	if err != nil || red(p) != want {
		t.Errorf("runs of 8 bits are %v, not %s, %v", red(p), want, err)
	}
	fours := []byte{3, 4, 5, 6, 0, 6, 0x45, 0x56, 0x67, 0, 4, 0x78, 0, 2, 5, 1, 4, 0x78, 0, 0, 9, 0x1e, 0, 1}
	p, err = opened(byHand(t, "runs of 4 bits", "bmp", append(header(27, 3, 4, 2, 16, grey(16)...), fours...)))
	want = "R 1 14 1 14 1 14 1 14 1" + strings.Repeat(" 0", 18+23) + " 7 8 7 8" +
		" 0 4 0 0 6 0 6 0 4 5 5 6 6 7 7 8 7 8" + strings.Repeat(" 0", 9)
	if err != nil || red(p) != want {
		t.Errorf("runs of 4 bits are %v, not %s, %v", red(p), want, err)
	}
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"1 bit": {
			append(header(3, 2, 1, 0, 2, 0, 0, 0, 0, 3, 2, 1, 0), 0b10100000, 0, 0, 0, 0b01000000, 0, 0, 0),
			"R 0 1 0 1 0 1; G 0 2 0 2 0 2; B 0 3 0 3 0 3",
		},
		"a header of 12 bytes": { // whose palette has three bytes a colour
			append([]byte("BM\x00\x00\x00\x00\x00\x00\x00\x00\x20\x00\x00\x00\x0c\x00\x00\x00\x02\x00\x01\x00\x01\x00"+
				"\x01\x00\x03\x02\x01\x06\x05\x04"), 0b01000000, 0, 0, 0),
			"R 1 4; G 2 5; B 3 6",
		},
		"alpha by a mask": { // of a header of 56 bytes and more
			append(header(1, 1, 32, 3, 0, slices.Concat([]byte{0xff, 0, 0, 0, 0, 0xff, 0, 0, 0, 0, 0xff, 0, 0, 0, 0,
				0xff},
				make([]byte, 52))...), 7, 8, 9, 10),
			"R 7; G 8; B 9; A 10",
		},
		"5 bits a colour": {append(header(1, 1, 16, 0, 0), 0x1f, 0x7c, 0, 0), "R 255; G 0; B 255"},
		"masks of 5, 6, 5": {
			append(header(1, 1, 16, 3, 0, 0, 0xf8, 0, 0, 0xe0, 7, 0, 0, 0x1f, 0, 0, 0), 0xe0, 0x87, 0, 0),
			"R 132; G 255; B 0",
		},
		"from the top": {append(header(1, -2&0xffffffff, 24, 0, 0), 1, 2, 3, 0, 4, 5, 6, 0), "R 3 6; G 2 5; B 1 4"},
	} {
		p, err := opened(byHand(t, name, "bmp", c.data))
		if err != nil {
			t.Errorf("%s: %v", name, err)
		} else if got := codes(p); got != c.want {
			t.Errorf("%s is %s, not %s", name, got, c.want)
		}
	}
	for want, data := range map[string][]byte{
		"its pixels are packed as PNG; plain ones, masks and runs": header(1, 1, 0, 5, 0),
		"pixels of 24 bits in packing 1":                           header(1, 1, 24, 1, 0),
		"cut short in its runs":                                    append(header(4, 4, 8, 1, 256, grey(256)...), 0, 9),
		"the colour 3 of 2": append(
			header(1, 1, 8, 0, 2, grey(2)...), 3, 0, 0, 0,
		),
	} {
		if _, err := opened(byHand(t, want, "bmp", data)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q is not in %v", want, err)
		}
	}
}

// SMPTE ST 268-1: values in words of 32 bits. Of 10 bits, 1, 2 and 1023; of 12 bits, 1, 2 and 4095.
func TestDPXIsReadInEveryPacking(t *testing.T) {
	made := func(descriptor, bits, packing, orientation, width, height int, words ...uint32) []byte {
		data := make([]byte, 2048)
		copy(data, "SDPX")
		be := binary.BigEndian
		be.PutUint32(data[4:], 2048)
		be.PutUint16(data[768:], uint16(orientation))
		be.PutUint16(data[770:], 1)
		be.PutUint32(data[772:], uint32(width))
		be.PutUint32(data[776:], uint32(height))
		data[780+20], data[780+23] = byte(descriptor), byte(bits)
		be.PutUint16(data[780+24:], uint16(packing))
		be.PutUint32(data[780+28:], 2048)
		for _, w := range words {
			data = be.AppendUint32(data, w)
		}
		return data
	}
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"10 bits, method A": {made(50, 10, 1, 0, 1, 1, 1<<22|2<<12|1023<<2), "R 64; G 128; B 65535"},
		"10 bits, method B": {made(50, 10, 2, 0, 1, 1, 1<<20|2<<10|1023), "R 64; G 128; B 65535"},
		"10 bits, packed":   {made(50, 10, 0, 0, 1, 1, 1023<<20|2<<10|1), "R 64; G 128; B 65535"},
		"10 bits, packed over words": {
			made(51, 10, 0, 0, 1, 1, 3<<30|1023<<20|2<<10|1, 2), "R 64; G 128; B 65535; A 704",
		},
		"12 bits, method A":   {made(50, 12, 1, 0, 1, 1, 1<<20|2<<4, 4095<<20), "R 16; G 32; B 65535"},
		"12 bits, method B":   {made(50, 12, 2, 0, 1, 1, 1<<16|2, 4095<<16), "R 16; G 32; B 65535"},
		"12 bits, packed":     {made(50, 12, 0, 0, 1, 1, 0xff<<24|2<<12|1, 0xf), "R 16; G 32; B 65535"},
		"luma of 8 bits":      {made(6, 8, 0, 0, 3, 1, 0x01020300), "Y 1 2 3"},
		"alpha first":         {made(52, 8, 0, 0, 1, 1, 0x09030201), "R 1; G 2; B 3; A 9"},
		"upwards":             {made(6, 8, 0, 2, 1, 2, 0x05000000, 0x07000000), "Y 7 5"},
		"columns for lines":   {made(6, 8, 0, 4, 2, 2, 0x01020000, 0x03040000), "Y 1 3 2 4"},
		"from the right edge": {made(6, 8, 0, 1, 2, 1, 0x01020000), "Y 2 1"},
	} {
		p, err := opened(byHand(t, name, "dpx", c.data))
		if err != nil {
			t.Errorf("%s: %v", name, err)
		} else if got := codes(p); got != c.want {
			t.Errorf("%s is %s, not %s", name, got, c.want)
		}
	}
	for want, data := range map[string][]byte{
		"its image element is YCbCr 4:2:2; luma, RGB, RGBA and ABGR are read": made(100, 8, 0, 0, 1, 1, 0),
		"its values have 32 bits; 8, 10, 12 and 16 are read":                  made(50, 32, 0, 0, 1, 1, 0, 0, 0),
		"its packing is 5; packed values and methods A and B are read":        made(50, 10, 5, 0, 1, 1, 0),
	} {
		if _, err := opened(byHand(t, want, "dpx", data)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q is not in %v", want, err)
		}
	}
}

// The channels of a file follow what was asked for, whatever its pixels are.
func TestAlphaStaysWhereEverythingIsCovered(t *testing.T) {
	for _, kind := range []imagefile.Type{imagefile.Uint8, imagefile.Uint16} {
		h := imagefile.Plain(4, 3, kind, "R", "G", "B", "A")
		h.Alpha = imagefile.Straight
		planes := h.Planes(3)
		for i := range planes[3] {
			planes[3][i] = 0xff
		}
		var b bytes.Buffer
		w, err := png.NewWriter(&b, h, png.Options{})
		if err == nil {
			err = imagefile.WriteAll(w, imagefile.Part{Header: h, Planes: planes})
		}
		if err != nil {
			t.Fatal(err)
		}
		const colourType = 8 + 8 + 9 // of IHDR: 6 is true colour with alpha
		p, err := opened(b.Bytes())
		if err != nil || b.Bytes()[colourType] != 6 || p.Channel("A") < 0 {
			t.Errorf("%s: colour type %d, %v, %v", kind, b.Bytes()[colourType], p.Channels, err)
		}
	}
}

func TestARefusalSaysWhatTheFileIs(t *testing.T) {
	for begin, want := range map[string]string{
		"GIF89a":                        "it is a GIF picture; what is read is OpenEXR, PNG, JPEG, TIFF",
		"RIFF\x00\x00\x00\x00WEBPVP8 ":  "it is a WebP picture",
		"\x00\x00\x00\x1cftypavif":      "it is an AVIF picture",
		"8BPS\x00\x01":                  "it is a layered picture (PSD)",
		"%PDF-1.7":                      "it is a PDF document",
		"\xff\xd8\xff\xc3\x00\x0b\x08":  "jpeg: ",
		"solid cube\n facet normal 0 0": "it is none of OpenEXR, PNG",
	} {
		if _, err := opened([]byte(begin)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", begin, err)
		}
	}
}
