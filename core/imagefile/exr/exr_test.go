package exr

import (
	"bytes"
	"errors"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/pixel"
)

// picture returns an image with half colour and float data, smooth in places and noisy in others.
func picture(width, height int) *pixel.Image {
	img := pixel.New(width, height, "R", "G", "B", "A", "depth.Z")
	random := rand.New(rand.NewPCG(1, 2))
	for i := range img.Planes {
		p := &img.Planes[i]
		p.Half = p.Name != "depth.Z"
		for j := range p.Data {
			v := float32(j%width)/float32(width) + float32(i)
			if j/width%5 == 0 {
				v = random.Float32()
			}
			if p.Half {
				v = pixel.FromHalf(pixel.ToHalf(v))
			}
			p.Data[j] = v
		}
	}
	return img
}

func encode(t testing.TB, f *File) []byte {
	var b bytes.Buffer
	if err := Encode(&b, f); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func samePixels(t testing.TB, got, want *pixel.Image) {
	t.Helper()
	if got.Width != want.Width || got.Height != want.Height || len(got.Planes) != len(want.Planes) {
		t.Fatalf("%d x %d, %d channels", got.Width, got.Height, len(got.Planes))
	}
	for _, w := range want.Planes {
		if g := got.Plane(w.Name); g == nil || !slices.Equal(g.Data, w.Data) {
			t.Errorf("channel %s differs", w.Name)
		}
	}
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	for _, c := range []Compression{None, RLE, ZIPS, ZIP, PIZ} {
		for _, size := range [][2]int{{1, 1}, {7, 3}, {64, 16}, {33, 50}} {
			attributes := []Attribute{Text("owner", "nobody"), Int("reelhouse:frame", -7), Float("exposure", 0.5), Rational("framesPerSecond", 24, 1)}
			want := picture(size[0], size[1])
			f, err := Decode(bytes.NewReader(encode(t, &File{Image: want, Compression: c, Level: 9, PixelAspect: 1.5, Attributes: attributes})))
			if err != nil {
				t.Fatalf("%s %v: %v", c, size, err)
			}
			samePixels(t, f.Image, want)
			if !f.Image.Plane("R").Half || f.Image.Plane("depth.Z").Half {
				t.Errorf("%s: halves and floats are mixed up", c)
			}
			if f.Compression != c || f.PixelAspect != 1.5 || len(f.Attributes) != 4 || f.Attributes[1].String() != "-7" || f.Attributes[3].String() != "24/1" {
				t.Errorf("%s: header came back as %v %v", c, f.Compression, f.Attributes)
			}
		}
	}
}

func TestBytesDoNotDependOnTheNumberOfCores(t *testing.T) {
	f := &File{Image: picture(100, 70), Compression: ZIP}
	want := encode(t, f)
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	if !bytes.Equal(encode(t, f), want) {
		t.Error("one core writes other bytes than all")
	}
}

func TestDamagedFilesAreRefused(t *testing.T) {
	whole := encode(t, &File{Image: picture(33, 50), Compression: ZIP})
	for n := 0; n < len(whole); n += 1 + n/10 {
		if _, err := Decode(bytes.NewReader(whole[:n])); !errors.Is(err, ErrFormat) {
			t.Errorf("cut at %d of %d bytes: %v", n, len(whole), err)
		}
	}
	tiled := bytes.Clone(whole)
	tiled[5] |= flagTiled >> 8
	if _, err := Decode(bytes.NewReader(tiled)); err == nil || !strings.Contains(err.Error(), "tiled") {
		t.Errorf("a tiled file: %v", err)
	}
}

func TestWhatCannotBeWrittenIsRefused(t *testing.T) {
	img := picture(4, 4)
	twice := &pixel.Image{Width: 4, Height: 4, Planes: []pixel.Plane{img.Planes[0], img.Planes[0]}}
	for name, f := range map[string]*File{
		"nothing":      {},
		"no channels":  {Image: &pixel.Image{Width: 4, Height: 4}},
		"two the same": {Image: twice},
		"B44":          {Image: img, Compression: B44},
		"bad name":     {Image: img, Attributes: []Attribute{Text("a\x00b", "")}},
	} {
		if err := Encode(&bytes.Buffer{}, f); err == nil {
			t.Errorf("%s was written", name)
		}
	}
}

// The OpenEXR project's exrheader and OpenImageIO's oiiotool read what we write, and we read what
// oiiotool writes, with the same values.
func TestOutsideToolsAgree(t *testing.T) {
	for _, tool := range []string{"exrheader", "oiiotool"} {
		if _, err := exec.LookPath(tool); err != nil {
			t.Skipf("%s is not installed; `make test` installs it", tool)
		}
	}
	dir := t.TempDir()
	want := picture(61, 47)
	ours := filepath.Join(dir, "ours.exr")
	for _, c := range []Compression{None, RLE, ZIPS, ZIP, PIZ} {
		file := encode(t, &File{Image: want, Compression: c, Attributes: []Attribute{Rational("framesPerSecond", 24, 1), Text("reelhouse:shot", "010")}})
		if err := os.WriteFile(ours, file, 0o644); err != nil {
			t.Fatal(err)
		}
		out, err := exec.Command("exrheader", ours).CombinedOutput()
		if err != nil {
			t.Fatalf("exrheader: %v\n%s", err, out)
		}
		for _, line := range []string{"depth.Z, 32-bit floating-point", "R, 16-bit floating-point", "framesPerSecond (type rational): 24/1", `reelhouse:shot (type string): "010"`} {
			if !strings.Contains(string(out), line) {
				t.Errorf("%s: exrheader does not say %q:\n%s", c, line, out)
			}
		}
		for _, back := range []string{"none"} {
			theirs := filepath.Join(dir, back+".exr")
			if out, err := exec.Command("oiiotool", ours, "--compression", back, "-o", theirs).CombinedOutput(); err != nil {
				t.Fatalf("oiiotool: %v\n%s", err, out)
			}
			r, err := os.Open(theirs)
			if err != nil {
				t.Fatal(err)
			}
			f, err := Decode(r)
			r.Close()
			if err != nil {
				t.Fatalf("reading oiiotool's %s: %v", back, err)
			}
			samePixels(t, f.Image, want)
		}
	}
}

func FuzzDecode(f *testing.F) {
	for _, c := range []Compression{None, RLE, ZIPS, ZIP, PIZ} {
		f.Add(encode(f, &File{Image: picture(9, 20), Compression: c, Attributes: []Attribute{Text("owner", "x")}}))
	}
	others, err := filepath.Glob("testdata/*.exr")
	if err != nil || len(others) == 0 {
		f.Fatalf("no files of other writers: %v", err)
	}
	for _, path := range others {
		data, err := os.ReadFile(path)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if parts, err := DecodeParts(bytes.NewReader(data)); err == nil && len(parts) == 0 {
			t.Fatal("a file without parts was read")
		}
		file, err := Decode(bytes.NewReader(data))
		if err != nil {
			return
		}
		if !file.Compression.writable() || file.Compression == PXR24 {
			file.Compression = PIZ // without loss, where PXR24 would round once more
		}
		again, err := Decode(bytes.NewReader(encode(t, file)))
		if err != nil {
			t.Fatalf("read once, but not after writing: %v", err)
		}
		for _, p := range file.Image.Planes {
			q := again.Image.Plane(p.Name)
			for j := range p.Data {
				if p.Data[j] != q.Data[j] && !math.IsNaN(float64(p.Data[j])) {
					t.Fatalf("channel %s, value %d: %v became %v", p.Name, j, p.Data[j], q.Data[j])
				}
			}
		}
	})
}

func benchmark(b *testing.B, work func(f *File, data []byte)) {
	for _, c := range []Compression{None, RLE, ZIPS, ZIP, PIZ, PXR24} {
		b.Run(c.String(), func(b *testing.B) {
			f := &File{Image: picture(2048, 858), Compression: c}
			data := encode(b, f)
			b.SetBytes(2048 * 858 * (4*2 + 4))
			b.ReportAllocs()
			for b.Loop() {
				work(f, data)
			}
		})
	}
}

func BenchmarkEncode(b *testing.B) {
	benchmark(b, func(f *File, _ []byte) {
		if err := Encode(&bytes.Buffer{}, f); err != nil {
			b.Fatal(err)
		}
	})
}

func BenchmarkDecode(b *testing.B) {
	benchmark(b, func(_ *File, data []byte) {
		if _, err := Decode(bytes.NewReader(data)); err != nil {
			b.Fatal(err)
		}
	})
}
