package formats

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/bmp"
	"reelhouse/core/imagefile/dpx"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/imagefile/hdr"
	"reelhouse/core/imagefile/jpeg"
	"reelhouse/core/imagefile/png"
	"reelhouse/core/imagefile/tga"
	"reelhouse/core/imagefile/tiff"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

const limit = 1 << 26

var le = binary.LittleEndian

// A variant is one way of writing a file: a format with its options, a type and channels.
type variant struct {
	format, name, ext string
	kind              imagefile.Type
	channels          string
	alpha             imagefile.Alpha
	lossy             bool
	write             func(out io.Writer, h imagefile.Header) (imagefile.Writer, error)
	// How OpenImageIO is told to write the same.
	outside []string
}

func (v variant) String() string {
	alpha := ""
	if strings.HasSuffix(v.channels, "A") {
		alpha = map[imagefile.Alpha]string{imagefile.Straight: ", straight",
			imagefile.Premultiplied: ", premultiplied"}[v.alpha]
	}
	return strings.TrimSpace(fmt.Sprintf("%s %s%s", v.kind, v.channels, alpha))
}

// seeking lets the writer of OpenEXR write to a plain stream.
type seeking struct {
	imagefile.Writer
	file *os.File
	out  io.Writer
}

func (s *seeking) Close() error {
	defer s.file.Close()
	defer os.Remove(s.file.Name())
	if err := s.Writer.Close(); err != nil {
		return err
	}
	if _, err := s.file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	_, err := io.Copy(s.out, s.file)
	return err
}

func variants() []variant {
	var all []variant
	add := func(v variant) { all = append(all, v) }
	for _, c := range exr.Compressions() {
		for _, tile := range []image.Point{{}, {32, 16}} {
			layout, outside := "lines", []string{"--scanline"}
			if tile.X > 0 {
				layout, outside = "tiles", []string{"--tile", "32", "16"}
			}
			outside = append(outside, "--compression", strings.ToLower(c.String()))
			for _, kind := range []imagefile.Type{imagefile.Half, imagefile.Float, imagefile.Uint32} {
				lossy := !c.Lossless() && kind != imagefile.Uint32 && (c != exr.PXR24 || kind == imagefile.Float) &&
					!(kind == imagefile.Float && (c == exr.B44 || c == exr.B44A))
				add(
					variant{
						"OpenEXR",
						c.String() + ", " + layout,
						"exr",
						kind,
						"RGBA",
						imagefile.Premultiplied,
						lossy,
						func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
							file, err := os.CreateTemp("", "*.exr")
							if err != nil {
								return nil, err
							}
							w, err := exr.NewWriter(file, exr.Part{Header: h, Compression: c, Tile: tile})
							if err != nil {
								file.Close()
								os.Remove(file.Name())
								return nil, err
							}
							return &seeking{w, file, out}, nil
						},
						outside,
					},
				)
			}
		}
	}
	codes := []imagefile.Type{imagefile.Uint8, imagefile.Uint16}
	for _, kind := range codes {
		for _, channels := range []string{"Y", "YA", "RGB", "RGBA"} {
			add(
				variant{
					"PNG",
					"deflate",
					"png",
					kind,
					channels,
					imagefile.Straight,
					false,
					func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
						return png.NewWriter(out, h, png.Options{})
					},
					nil,
				},
			)
		}
	}
	for _, c := range []tiff.Compression{tiff.None, tiff.LZW, tiff.Deflate} {
		outside := map[tiff.Compression]string{tiff.None: "none", tiff.LZW: "lzw", tiff.Deflate: "zip"}[c]
		for _, kind := range append(codes, imagefile.Float) {
			for _, channels := range []string{"Y", "YA", "RGB", "RGBA"} {
				for _, alpha := range []imagefile.Alpha{imagefile.Straight, imagefile.Premultiplied} {
					if alpha == imagefile.Straight && !strings.HasSuffix(channels, "A") {
						continue
					}
					add(
						variant{
							"TIFF",
							c.String(),
							"tif",
							kind,
							channels,
							alpha,
							false,
							func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
								return tiff.NewWriter(out, h, tiff.Options{Compression: c})
							},
							[]string{"--compression", outside},
						},
					)
				}
			}
		}
	}
	for _, runs := range []bool{false, true} {
		name, outside := "plain", []string{"--compression", "none"}
		if runs {
			name, outside = "runs", []string{"--compression", "rle"}
		}
		for _, channels := range []string{"Y", "RGB", "RGBA"} {
			for _, alpha := range []imagefile.Alpha{imagefile.Straight, imagefile.Premultiplied} {
				if alpha == imagefile.Straight && channels != "RGBA" {
					continue
				}
				add(
					variant{
						"TGA",
						name,
						"tga",
						imagefile.Uint8,
						channels,
						alpha,
						false,
						func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
							return tga.NewWriter(out, h, tga.Options{Runs: runs})
						},
						outside,
					},
				)
			}
		}
	}
	for _, full := range []bool{false, true} {
		name := map[bool]string{false: "4:2:0", true: "4:4:4"}[full]
		add(
			variant{
				"JPEG",
				"quality 90, " + name,
				"jpg",
				imagefile.Uint8,
				"RGB",
				imagefile.Unstated,
				true,
				func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
					return jpeg.NewWriter(out, h, jpeg.Options{Full: full})
				},
				[]string{"--attrib", "jpeg:subsampling", name, "--compression", "jpeg:90"},
			},
		)
	}
	add(
		variant{
			"JPEG",
			"quality 90",
			"jpg",
			imagefile.Uint8,
			"Y",
			imagefile.Unstated,
			true,
			func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) {
				return jpeg.NewWriter(out, h, jpeg.Options{})
			},
			[]string{"--compression", "jpeg:90"},
		},
	)
	add(
		variant{
			"DPX",
			"10 bits",
			"dpx",
			imagefile.Uint16,
			"RGB",
			imagefile.Unstated,
			false,
			func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) { return dpx.NewWriter(out, h) },
			[]string{"-d", "uint10"},
		},
	)
	add(
		variant{
			"Radiance HDR",
			"runs",
			"hdr",
			imagefile.Float,
			"RGB",
			imagefile.Unstated,
			true,
			func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) { return hdr.NewWriter(out, h) },
			nil,
		},
	)
	add(
		variant{
			"BMP",
			"plain",
			"bmp",
			imagefile.Uint8,
			"RGB",
			imagefile.Unstated,
			false,
			func(out io.Writer, h imagefile.Header) (imagefile.Writer, error) { return bmp.NewWriter(out, h) },
			nil,
		},
	)
	return all
}

// picture makes a part of smooth and noisy places for a variant. Codes of DPX have 10 bits; colours are no larger than
// alpha.
func (v variant) picture(width, height int, seed uint64) imagefile.Part {
	r := rand.New(rand.NewPCG(seed, 7))
	h := imagefile.Plain(width, height, v.kind, strings.Split(v.channels, "")...)
	if strings.HasSuffix(v.channels, "A") {
		h.Alpha = v.alpha
	}
	p := imagefile.Part{Header: h, Planes: h.Planes(height)}
	for i := range width * height {
		x, y := i%width, i/width
		coverage := 1.0
		for k := len(v.channels) - 1; k >= 0; k-- {
			value := 0.5 + 0.5*math.Sin(float64(x+9*k)/11)*math.Cos(float64(y)/(7+float64(k)))
			if x/16%3 == 1 {
				value = r.Float64()
			}
			if y/8%4 == 2 {
				value = float64(k) / 3
			}
			if v.channels[k] == 'A' {
				coverage = value
			} else {
				value *= coverage
			}
			put(p.Planes[k], i, v.kind, value, v.ext == "dpx")
		}
	}
	return p
}

func put(plane []byte, i int, kind imagefile.Type, value float64, ten bool) {
	switch kind {
	case imagefile.Half:
		le.PutUint16(plane[2*i:], pixel.ToHalf(float32(value)))
	case imagefile.Float:
		le.PutUint32(plane[4*i:], math.Float32bits(float32(value)))
	case imagefile.Uint32: // of as many bits as OpenImageIO, which has floats inside, hands on unchanged
		le.PutUint32(plane[4*i:], uint32(value*(1<<22)))
	case imagefile.Uint8:
		plane[i] = byte(value*255 + 0.5)
	default:
		code := uint16(value*65535 + 0.5)
		if ten {
			code = code>>6<<6 | code>>12 // of ten bits, the upper ones again
			code = code&^0x3f | code>>10
		}
		le.PutUint16(plane[2*i:], code)
	}
}

// get returns a sample as OpenImageIO has it in floats: codes from 0 to 1.
func get(plane []byte, i int, kind imagefile.Type) float64 {
	switch kind {
	case imagefile.Half:
		return float64(pixel.FromHalf(le.Uint16(plane[2*i:])))
	case imagefile.Float:
		return float64(math.Float32frombits(le.Uint32(plane[4*i:])))
	case imagefile.Uint32:
		return float64(le.Uint32(plane[4*i:]))
	case imagefile.Uint8:
		return float64(plane[i]) / 255
	}
	return float64(le.Uint16(plane[2*i:])) / 65535
}

func (v variant) encode(t testing.TB, p imagefile.Part) []byte {
	t.Helper()
	var b bytes.Buffer
	w, err := v.write(&b, p.Header)
	if err != nil {
		t.Fatalf("%s %s %s: %v", v.format, v.name, v, err)
	}
	if err := imagefile.WriteAll(w, p); err != nil {
		t.Fatalf("%s %s %s: %v", v.format, v.name, v, err)
	}
	return b.Bytes()
}

func read(data []byte, limit int64) ([]imagefile.Part, Format, error) {
	r, f, err := Open(bytes.NewReader(data), int64(len(data)), limit)
	if err != nil {
		return nil, f, err
	}
	parts, err := imagefile.ReadAll(r)
	return parts, f, err
}

// Every variant, random sizes, handed over in random pieces: the file is known by its contents, and the same samples,
// alpha and shape of pixels come back.
func TestWhatIsWrittenIsReadBack(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for _, v := range variants() {
		for seed := range uint64(4) {
			p := v.picture(1+r.IntN(90), 1+r.IntN(70), seed)
			p.PixelAspect = []float64{1, 2}[seed%2]
			var b bytes.Buffer
			w, err := v.write(&b, p.Header)
			if err != nil {
				t.Fatal(err)
			}
			for y := 0; y < p.Height(); {
				n := min(p.Height()-y, 1+r.IntN(30))
				var lines [][]byte
				for i, plane := range p.Planes {
					lines = append(lines, plane[y*p.Width()*p.Channels[i].Type.Size():])
				}
				if err := w.WriteLines(0, n, lines); err != nil {
					t.Fatal(err)
				}
				y += n
			}
			if err := w.Close(); err != nil {
				t.Fatal(err)
			}
			parts, format, err := read(b.Bytes(), limit)
			if err != nil {
				t.Fatalf("%s %s %s: %v", v.format, v.name, v, err)
			}
			got := parts[0]
			if len(parts) != 1 || format.Name != v.format || got.DataWindow != p.DataWindow ||
				math.Abs(got.Aspect()-p.Aspect()) > 0.001 {
				t.Errorf(
					"%s %s %s came back as %s, %v, pixel aspect %v", v.format, v.name, v, format.Name, got.DataWindow,
					got.Aspect(),
				)
			}
			if strings.HasSuffix(v.channels, "A") && got.Alpha != v.alpha {
				t.Errorf("%s %s %s: alpha came back as %v", v.format, v.name, v, got.Alpha)
			}
			if mean, worst := difference(t, v, got, p); !v.lossy && worst > 0 || mean > 0.15 {
				t.Errorf("%s %s %s: error %v, at most %v", v.format, v.name, v, mean, worst)
			}
		}
	}
}

// difference returns the root mean square and the largest difference of two parts. PNG has no grey with alpha when it
// comes back: the standard library makes colours of it.
func difference(t testing.TB, v variant, got, want imagefile.Part) (mean, worst float64) {
	t.Helper()
	sum, n := 0.0, 0
	for k, c := range want.Channels {
		j := got.Channel(c.Name)
		if j < 0 && c.Name == "Y" {
			j = got.Channel("R")
		}
		if j < 0 && c.Name == "A" && v.channels != "RGBA" {
			continue
		}
		if j < 0 {
			t.Fatalf("%s %s %s: channel %s is missing", v.format, v.name, v, c.Name)
		}
		for i := range want.Width() * want.Height() {
			d := math.Abs(get(got.Planes[j], i, got.Channels[j].Type) - get(want.Planes[k], i, c.Type))
			sum, worst, n = sum+d*d, max(worst, d), n+1
		}
	}
	return math.Sqrt(sum / float64(n)), worst
}

// Damage of every kind to a small file of each variant: an error or a picture, in bounded memory, and never a panic.
func TestHostileFiles(t *testing.T) {
	for _, v := range variants() {
		if v.format == "OpenEXR" {
			continue // has a test of its own
		}
		whole := v.encode(t, v.picture(40, 30, 1))
		for i := range 64 {
			if _, _, err := read(whole[:len(whole)*i/64], limit); err == nil && v.format != "TGA" &&
				v.format != "JPEG" {
				t.Errorf("%s %s %s cut at %d/64 was read", v.format, v.name, v, i)
			}
		}
		for i := 0; i < len(whole); i += 1 + len(whole)/150 {
			for _, with := range []byte{0x41, 0xff, 0x80} {
				spoilt := bytes.Clone(whole)
				spoilt[i] ^= with
				read(spoilt, limit) // what it makes of it is not promised; that it returns is
			}
		}
		// Sizes of 2^31 wherever a number may stand.
		for i := range min(len(whole)-4, 100) {
			for _, n := range []uint32{1 << 31, math.MaxInt32, math.MaxUint32} {
				for _, order := range []binary.ByteOrder{binary.LittleEndian, binary.BigEndian} {
					spoilt := bytes.Clone(whole)
					order.PutUint32(spoilt[i:], n)
					read(spoilt, limit)
				}
			}
		}
	}
}

// A picture that is all the same is small as a file: readers must look at the limit before they take memory.
func TestPromisesAreBounded(t *testing.T) {
	seen := map[string]bool{}
	for _, v := range variants() {
		if seen[v.format] {
			continue
		}
		seen[v.format] = true
		h := imagefile.Plain(3000, 2000, v.kind, strings.Split(v.channels, "")...)
		if strings.HasSuffix(v.channels, "A") {
			h.Alpha = v.alpha
		}
		data := v.encode(t, imagefile.Part{Header: h, Planes: h.Planes(2000)})
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		if _, _, err := read(data, 1<<20); err == nil || !strings.Contains(err.Error(), "1048576") {
			t.Errorf("%s %s %s: over the limit: %v", v.format, v.name, v, err)
		}
		runtime.ReadMemStats(&after)
		if took := after.TotalAlloc - before.TotalAlloc; took > 4<<20 {
			t.Errorf("%s %s %s: %d bytes were taken before it was refused", v.format, v.name, v, took)
		}
	}
}

func TestWhatAFormatCannotHoldIsRefused(t *testing.T) {
	for _, v := range variants() {
		p := v.picture(4, 4, 1)
		p.Channels[0].Name = "strange\x00"
		if _, err := v.write(io.Discard, p.Header); err == nil {
			t.Errorf("%s %s: a channel of a strange name was taken", v.format, v.name)
		}
		p = v.picture(4, 4, 1)
		p.DataWindow = image.Rectangle{}
		if _, err := v.write(io.Discard, p.Header); err == nil {
			t.Errorf("%s %s: a picture without pixels was taken", v.format, v.name)
		}
		p = v.picture(4, 4, 1)
		w, err := v.write(io.Discard, p.Header)
		if err != nil {
			t.Fatal(err)
		}
		if err := w.WriteLines(0, 5, p.Planes); err == nil {
			t.Errorf("%s %s: five lines of four were taken", v.format, v.name)
		}
		if err := w.Close(); err == nil || !strings.Contains(err.Error(), "0 of 4 lines") {
			t.Errorf("%s %s: closing without lines: %v", v.format, v.name, err)
		}
	}
	if _, _, err := read([]byte("no picture at all, but some text"), limit); err == nil ||
		!strings.Contains(err.Error(), "none of OpenEXR") {
		t.Errorf("a text: %v", err)
	}
	if _, _, err := read(nil, limit); err == nil || !strings.Contains(err.Error(), "empty") {
		t.Errorf("nothing: %v", err)
	}
}

// Attributes that a format has a place for come back; the encode of codes, too.
func TestFactsComeBack(t *testing.T) {
	facts := imagefile.Attributes{
		{Name: "owner", Value: "nobody"},
		{Name: "capDate", Value: "2026:11:25 09:30:00"},
		{Name: "comments", Value: "two words"},
		{Name: "reelhouse:shot", Value: "010"},
	}
	for ext, places := range map[string][]string{
		"exr": {"owner", "capDate", "comments", "reelhouse:shot"},
		"png": {"owner", "capDate", "comments", "reelhouse:shot"},
		"tif": {"owner", "capDate", "comments", "reelhouse:shot"},
		"jpg": {"owner", "capDate", "comments", "reelhouse:shot"}, "hdr": {"owner", "reelhouse:shot"},
		"tga": {"owner", "capDate", "comments"}, "dpx": {"owner"},
	} {
		for _, v := range variants() {
			if v.ext != ext {
				continue
			}
			p := v.picture(8, 8, 1)
			p.Attributes = facts
			if ext == "png" || ext == "tif" {
				p.Curve = pixel.BT1886
			}
			parts, _, err := read(v.encode(t, p), limit)
			if err != nil {
				t.Fatal(err)
			}
			for _, name := range places {
				if got, want := parts[0].Attributes.Text(name), facts.Text(name); got != want {
					t.Errorf("%s: %s came back as %q, not %q", ext, name, got, want)
				}
			}
			if p.Curve != "" && parts[0].Curve != p.Curve {
				t.Errorf("%s: encode came back as %q", ext, parts[0].Curve)
			}
			break
		}
	}
}

// seeds gives a fuzz test small files of one format, ours and those of other writers.
func seeds(f *testing.F, format, ext string) {
	for _, v := range variants() {
		if v.format == format {
			f.Add(v.encode(f, v.picture(9, 5, 1)))
		}
	}
	others, err := filepath.Glob("testdata/*." + ext)
	if err != nil {
		f.Fatal(err)
	}
	for _, path := range others {
		data, err := os.ReadFile(path)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(data)
	}
}

// fuzz reads whatever comes: a picture has channels and pixels, and its planes keep within the limit.
func fuzz(f *testing.F, format, ext string) {
	seeds(f, format, ext)
	f.Fuzz(func(t *testing.T, data []byte) {
		const limit = 1 << 22
		parts, _, err := read(data, limit)
		if err != nil {
			return
		}
		sum := int64(0)
		for _, p := range parts {
			if len(p.Channels) == 0 || p.Width() < 1 || p.Height() < 1 {
				t.Fatalf("a picture of nothing: %+v", p.Header)
			}
			sum += p.Bytes()
		}
		if len(parts) == 0 || sum > limit {
			t.Fatalf("%d parts of %d bytes", len(parts), sum)
		}
	})
}

func FuzzPNG(f *testing.F)  { fuzz(f, "PNG", "png") }
func FuzzJPEG(f *testing.F) { fuzz(f, "JPEG", "jpg") }
func FuzzTIFF(f *testing.F) { fuzz(f, "TIFF", "tif") }
func FuzzTGA(f *testing.F)  { fuzz(f, "TGA", "tga") }
func FuzzDPX(f *testing.F)  { fuzz(f, "DPX", "dpx") }
func FuzzHDR(f *testing.F)  { fuzz(f, "Radiance HDR", "hdr") }
func FuzzBMP(f *testing.F)  { fuzz(f, "BMP", "bmp") }

// Every format that can be chosen has a codec, says what its files take, and is known by its extension; and there is no
// codec without a format.
func TestEveryFormatHasACodec(t *testing.T) {
	coded := map[output.Format]bool{}
	for _, f := range All() {
		if f.Name == "" || f.is == nil || f.open == nil || f.begin == nil || coded[f.Format] {
			t.Errorf("%q is not whole, or there twice", f.Format)
		}
		coded[f.Format] = true
	}
	for _, k := range output.Kinds() {
		if !coded[k.Format] {
			t.Errorf("%s has no codec", k.Name)
		}
		for _, c := range k.Compressions {
			for _, d := range k.Depths {
				e := k.Format.Usual()
				e.Compression, e.Depth, e.Level = c, d, k.Format.Scale(c).Used
				if k.Float && !k.Data && d == output.Float {
					e.Curve = pixel.Linear
				}
				if bytes := e.Bytes([]pass.Code{pass.Beauty}, raster.Size{Width: 1000, Height: 1000}); bytes < 50_000 {
					t.Errorf("%s, %s, %s does not say what it takes: %.0f bytes", k.Name, c, d, bytes)
				}
			}
		}
	}
}
