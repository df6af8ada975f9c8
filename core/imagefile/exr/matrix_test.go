package exr

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/pixel"
)

// tools skips the test unless the OpenEXR project's and OpenImageIO's tools are there.
func tools(t *testing.T) {
	t.Helper()
	for _, tool := range []string{"oiiotool", "exrheader", "exrmaketiled", "exrmultipart"} {
		if _, err := exec.LookPath(tool); err != nil {
			t.Fatalf("%s is not installed; `make test` installs it", tool)
		}
	}
}

func tool(t *testing.T, name string, args ...string) string {
	t.Helper()
	out, err := exec.Command(name, args...).CombinedOutput()
	if err != nil || strings.Contains(string(out), "ERROR") {
		t.Fatalf("%s %v: %v\n%s", name, args, err, out)
	}
	return string(out)
}

func readFile(t *testing.T, path string) []byte {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

func writeFile(t *testing.T, path string, pictures ...Picture) {
	t.Helper()
	if err := os.WriteFile(path, encode(t, pictures...), 0o644); err != nil {
		t.Fatal(err)
	}
}

func asPart(p Picture) imagefile.Part { return imagefile.Part{Header: p.Header, Planes: p.Planes} }

// mixed makes OpenImageIO write the colours of scenery as halves, beside its float depth.
var mixed = []string{"-d", "R=half", "-d", "G=half", "-d", "B=half"}

// sameButForRounding allows values to be one half apart as DWA encodes them: cosines are added up in another order.
// It returns how many are.
func sameButForRounding(t *testing.T, got, want imagefile.Part) (steps int) {
	t.Helper()
	encode, _ := dwaCurves()
	for i, c := range want.Channels {
		a, b := got.Planes[got.Channel(c.Name)], want.Planes[i]
		for j := 0; j < len(b); j += c.Type.Size() {
			if bytes.Equal(a[j:j+c.Type.Size()], b[j:j+c.Type.Size()]) {
				continue
			}
			var v, w uint16
			if c.Type == imagefile.Float {
				v, w = pixel.ToHalf(math.Float32frombits(le.Uint32(a[j:]))), pixel.ToHalf(
					math.Float32frombits(le.Uint32(b[j:])),
				)
			} else {
				v, w = le.Uint16(a[j:]), le.Uint16(b[j:])
			}
			d := int(order(encode[v])) - int(order(encode[w]))
			tiny := math.Abs(float64(pixel.FromHalf(v)-pixel.FromHalf(w))) <= 0x1p-24 // one step of the smallest halves
			if abs(d) > 1 && !tiny || c.Type == imagefile.Uint32 {
				t.Fatalf(
					"channel %s, pixel %d: %v, not %v", c.Name, j/c.Type.Size(), pixel.FromHalf(v), pixel.FromHalf(w),
				)
			}
			steps++
		}
	}
	return steps
}

// Every compression, as scan lines and in tiles, half, float and unsigned, even and odd sizes: OpenImageIO writes the
// file, and reads it back into one without compression; we read both, and every bit is the same. So ours agrees with
// the reference decoder also where a compression is lossy; only the cosines of DWA may be rounded otherwise.
func TestFilesOfOtherWritersAreReadToTheLastBit(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	for _, c := range []struct {
		width, height int
		types         []string
	}{{97, 75, mixed}, {64, 64, mixed}, {5, 3, mixed}, {97, 75, nil}, {33, 300, []string{"-d", "half"}},
		{33, 40, []string{"-d", "uint32"}}} {
		source := filepath.Join(dir, "source.exr")
		writeFile(t, source, scenery(c.width, c.height))
		// One call writes all files, and one reads them all: the tool takes half a second to start.
		write, read := append([]string{source}, c.types...), c.types[:len(c.types):len(c.types)]
		var names []string
		for _, compression := range Compressions() {
			for _, layout := range [][]string{{"--scanline"}, {"--tile", "32", "16"}} {
				name := filepath.Join(dir, fmt.Sprintf("%d %s %s", c.width, compression, layout[0][2:]))
				names = append(names, name)
				write = append(
					append(append(write, "--compression", strings.ToLower(compression.String())), layout...), "-o",
					name+".exr",
				)
				read = append(read, name+".exr", "--compression", "none", "--scanline", "-o", name+".plain.exr")
			}
		}
		tool(t, "oiiotool", write...)
		tool(t, "oiiotool", read...)
		for i, name := range names {
			data := readFile(t, name+".exr")
			r, err := NewReader(bytes.NewReader(data), int64(len(data)), limit)
			if err != nil {
				t.Errorf("%s: %v", name, err)
				continue
			}
			if want := Compression(i / 2); r.Part(0).Compression != want || r.Part(0).Tile.X != i%2*32 {
				t.Fatalf("%s was written with %s", name, r.Part(0).Compression)
			}
			got, err := imagefile.ReadAll(r)
			if err != nil {
				t.Errorf("%s: %v", name, err)
				continue
			}
			want := decode(t, readFile(t, name+".plain.exr"))[0]
			if r.Part(0).Compression >= DWAA {
				if steps := sameButForRounding(t, got[0], want); steps > 0 {
					t.Logf("%s: %d values rounded otherwise", name, steps)
				}
				continue
			}
			samePixels(t, got[0], want)
			if t.Failed() {
				t.Fatalf("%s %v: pixels differ", name, c.types)
			}
		}
	}
}

// What we write in each compression, as lines and tiles, is read by OpenImageIO: where nothing is lost, as the same
// bits; where something is, no farther from the source than a file of the reference encoder. exrheader reads its
// header.
func TestOurFilesAreReadByOthers(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	for _, size := range [][2]int{{97, 75}, {5, 3}, {1, 40}, {130, 300}} {
		source := scenery(size[0], size[1])
		numbers := source.Planes[3]
		for i := range min(len(numbers)/4, 40) { // of every kind, in a channel whose bits must stay
			le.PutUint32(numbers[4*i:], uint32(i)*0x06543217)
		}
		plain := filepath.Join(dir, "source.exr")
		writeFile(t, plain, source)
		write, read := append([]string{plain}, mixed...), mixed[:len(mixed):len(mixed)]
		type file struct {
			compression Compression
			tile        image.Point
			name        string
		}
		var files []file
		for _, c := range Compressions() {
			for _, tile := range []image.Point{{}, {32, 16}} {
				f := file{c, tile, filepath.Join(dir, fmt.Sprint(c, tile.X))}
				files = append(files, f)
				p := source
				p.Compression, p.Tile = c, tile
				writeFile(t, f.name+".ours.exr", p)
				layout := []string{"--scanline"}
				if tile.X > 0 {
					layout = []string{"--tile", fmt.Sprint(tile.X), fmt.Sprint(tile.Y)}
				}
				write = append(
					append(append(write, "--compression", strings.ToLower(c.String())), layout...), "-o",
					f.name+".theirs.exr",
				)
				for _, of := range []string{".ours", ".theirs"} {
					read = append(
						read, f.name+of+".exr", "--compression", "none", "--scanline", "-o", f.name+of+".plain.exr",
					)
				}
			}
		}
		tool(t, "oiiotool", write...)
		tool(t, "oiiotool", read...)
		for _, f := range files {
			ours, theirs := decode(t, readFile(t, f.name+".ours.plain.exr"))[0],
				decode(t, readFile(t, f.name+".theirs.plain.exr"))[0]
			switch {
			case f.compression.Lossless():
				samePixels(t, ours, asPart(source))
			case f.compression < DWAA:
				// rounded as the reference rounds, unless it did not shrink and was stored as it is
				if f.tile.X == 0 {
					samePixels(t, ours, theirs)
				}
			default:
				mean, worst := errorOf(ours, asPart(source))
				theirMean, theirWorst := errorOf(theirs, asPart(source))
				if mean > theirMean || worst > theirWorst {
					t.Errorf(
						"%v %s: error %.6f, at most %.5f; the reference's %.6f and %.5f", size, f.compression, mean,
						worst, theirMean, theirWorst,
					)
				}
				ourFile, theirFile := len(readFile(t, f.name+".ours.exr")), len(readFile(t, f.name+".theirs.exr"))
				t.Logf(
					"%v %s: error %.6f and %.6f, at most %.5f and %.5f, %d and %d bytes", size, f.compression, mean,
					theirMean, worst, theirWorst, ourFile, theirFile,
				)
			}
			if t.Failed() {
				t.Fatalf("%v in %s, tiles %v: others read other pixels", size, f.compression, f.tile)
			}
		}
	}
}

// errorOf returns the root mean square and the largest error of the half channels.
func errorOf(got, want imagefile.Part) (mean, worst float64) {
	sum, n := 0.0, 0
	for i, c := range want.Channels {
		if c.Type != imagefile.Half {
			continue
		}
		a, b := got.Planes[got.Channel(c.Name)], want.Planes[i]
		for j := 0; j < len(b); j += 2 {
			d := math.Abs(float64(pixel.FromHalf(le.Uint16(a[j:])) - pixel.FromHalf(le.Uint16(b[j:]))))
			sum, worst, n = sum+d*d, max(worst, d), n+1
		}
	}
	return math.Sqrt(sum / float64(n)), worst
}

// Parts of one file, lines beside tiles, with names, windows and attributes: the OpenEXR project's exrheader tells
// them as they were set, and OpenImageIO reads the pixels of each.
func TestOurPartsAreReadByOthers(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	both := filepath.Join(dir, "both.exr")
	first, second := scenery(40, 30), scenery(97, 75)
	first.Name, first.Compression = "beauty", PIZ
	second.Name, second.Compression, second.Tile = "data.of a part whose name is longer than thirty-one bytes", ZIP,
		image.Pt(16, 24)
	second.DataWindow = second.DataWindow.Add(image.Pt(-3, 11))
	first.DisplayWindow, second.DisplayWindow = image.Rect(-10, 0, 200, 100), image.Rect(-10, 0, 200, 100)
	timeCode, err := imagefile.NewTimeCode(1, 2, 3, 4, false)
	if err != nil {
		t.Fatal(err)
	}
	first.Attributes = imagefile.Attributes{
		{
			Name:  "timeCode",
			Value: timeCode,
		}, {Name: "framesPerSecond", Value: imagefile.Rational{Numerator: 24, Denominator: 1}},
		{Name: "chromaticities", Value: imagefile.ChromaticitiesOf(pixel.BT709)},
		{
			Name:  "whiteLuminance",
			Value: float32(100),
		}, {Name: "aperture", Value: float32(5.6)}, {Name: "reelhouse:an attribute with a long name", Value: "x"},
	}
	writeFile(t, both, first, second)
	out := tool(t, "exrheader", both)
	for _, says := range []string{
		`name (type string): "beauty"`, "time 01:02:03:04", "framesPerSecond (type rational): 24/1",
		"red   (0.64 0.33)", "whiteLuminance (type float): 100", "aperture (type float): 5.6",
		"dataWindow (type box2i): (-3 11) - (93 85)", "displayWindow (type box2i): (-10 0) - (199 99)",
		"size 16 by 24 pixels", `type (type string): "tiledimage"`, "depth.Z, 32-bit floating-point",
		"reelhouse:an attribute with a long name",
	} {
		if !strings.Contains(out, says) {
			t.Errorf("exrheader does not say %q:\n%s", says, out)
		}
	}
	a, b := filepath.Join(dir, "a.exr"), filepath.Join(dir, "b.exr")
	args := append(
		mixed[:len(mixed):len(mixed)], both, "--subimage", "0", "--compression", "none", "-o", a, both, "--subimage",
		"1", "--compression", "none", "-o", b,
	)
	tool(t, "oiiotool", args...)
	samePixels(t, decode(t, readFile(t, a))[0], asPart(first))
	samePixels(t, decode(t, readFile(t, b))[0], asPart(second))
}

// Small files that OpenImageIO and the OpenEXR project's tools wrote, kept beside the tests: what is lossless
// holds the same bits as it was made of.
func TestKeptFilesOfOtherWritersAreRead(t *testing.T) {
	want := scenery(48, 40)
	for name, most := range map[string]float64{"rle": 0, "piz": 0, "mipmap-zip": 0, "two-parts": 0, "pxr24": 0,
		"b44": 30, "b44a": 30, "dwaa": 1, "dwab-tiled": 1} {
		got := decode(t, readFile(t, filepath.Join("testdata", name+".exr")))[0]
		if _, worst := errorOf(got, asPart(want)); worst > most {
			t.Errorf("%s: a colour is wrong by %v", name, worst)
		}
		if depth := got.Planes[got.Channel("depth.Z")]; name != "pxr24" && !bytes.Equal(depth, want.Planes[3]) {
			t.Errorf("%s: depth differs", name)
		}
	}
}

// Files with levels, made by the OpenEXR project's own tool: the full size is read.
func TestLevelsAreLeftAside(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	source, tiled := filepath.Join(dir, "source.exr"), filepath.Join(dir, "tiled.exr")
	want := scenery(97, 75)
	want.Compression = ZIP
	writeFile(t, source, want)
	for _, mode := range []string{"-o", "-m", "-r"} {
		for _, round := range []string{"-d", "-u"} {
			tool(t, "exrmaketiled", mode, round, "-t", "20", "30", "-z", "piz", source, tiled)
			samePixels(t, decode(t, readFile(t, tiled))[0], asPart(want))
		}
	}
}

// Unsigned integers of all 32 bits, which OpenImageIO would take through floats: the OpenEXR project's own tool
// reads ours and writes them in every compression.
func TestUnsignedIntegersKeepAllBits(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	p := Picture{Part: Part{Header: imagefile.Plain(97, 75, imagefile.Uint32, "id", "layer.id")}}
	p.Planes = p.Header.Planes(75)
	for i := range 97 * 75 {
		le.PutUint32(p.Planes[0][4*i:], uint32(i)*2654435761)
		le.PutUint32(p.Planes[1][4*i:], uint32(i/40)<<24)
	}
	ours, tiled := filepath.Join(dir, "ours.exr"), filepath.Join(dir, "tiled.exr")
	for _, c := range Compressions() {
		p.Compression = c
		writeFile(t, ours, p)
		for _, to := range []string{"none", strings.ToLower(c.String())} {
			if to == "zips" {
				continue // which the tool does not write
			}
			tool(t, "exrmaketiled", "-o", "-t", "32", "16", "-z", to, ours, tiled)
			samePixels(t, decode(t, readFile(t, tiled))[0], asPart(p))
		}
	}
}

func TestPartsAreReadInTheirOrder(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	var args []string
	for i, size := range [][2]int{{40, 30}, {17, 5}} {
		path := filepath.Join(dir, fmt.Sprint(i, ".exr"))
		p := scenery(size[0], size[1])
		p.Compression = ZIPS
		writeFile(t, path, p)
		if i == 1 { // a part of tiles beside one of lines
			tiled := filepath.Join(dir, "tiled.exr")
			tool(t, "exrmaketiled", "-m", "-t", "8", "4", "-z", "rle", path, tiled)
			path = tiled
		}
		args = append(args, path)
	}
	both := filepath.Join(dir, "both.exr")
	tool(t, "exrmultipart", "-combine", "-i", args[0]+"::first", args[1]+"::second", "-o", both, "-override", "1")
	parts := decode(t, readFile(t, both))
	if len(parts) != 2 || parts[0].Name != "first" || parts[1].Name != "second" {
		t.Fatalf("%d parts", len(parts))
	}
	samePixels(t, parts[0], asPart(scenery(40, 30)))
	samePixels(t, parts[1], asPart(scenery(17, 5)))
}

// Windows that do not begin at 0, written by OpenImageIO.
func TestWindowsAreTold(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	source, cropped := filepath.Join(dir, "source.exr"), filepath.Join(dir, "cropped.exr")
	want := scenery(97, 75)
	writeFile(t, source, want)
	for _, compression := range []string{"zip", "piz", "b44", "dwaa"} {
		tool(
			t, "oiiotool", source, "--crop", "20x10+30+40", "--compression", compression, mixed[0], mixed[1], "-o",
			cropped,
		)
		p := decode(t, readFile(t, cropped))[0]
		if p.DataWindow != image.Rect(30, 40, 50, 50) || p.DisplayWindow != image.Rect(0, 0, 97, 75) {
			t.Errorf("%s: windows %v and %v", compression, p.DataWindow, p.DisplayWindow)
		}
		if got, w := le.Uint32(p.Planes[p.Channel("depth.Z")][4*(3*20+7):]),
			le.Uint32(want.Planes[3][4*(43*97+37):]); got != w {
			t.Errorf("%s: pixel 37, 43 is %x, want %x", compression, got, w)
		}
	}
}

// subsampled is a file by hand ("OpenEXR File Layout") of 6 pixels a line whose channel C has a value at every second
// pixel of every second line, from a data window that begins at 2, 2.
func subsampled(lines int) []byte {
	var b []byte
	attribute := func(name, kind string, value []byte) {
		b = append(append(append(append(b, name...), 0), kind...), 0)
		b = append(le.AppendUint32(b, uint32(len(value))), value...)
	}
	b = le.AppendUint32(le.AppendUint32(b, magic), version)
	channels := []byte("C\x00")
	for _, v := range []uint32{typeFloat, 0, 2, 2} {
		channels = le.AppendUint32(channels, v)
	}
	channels = append(channels, "Y\x00"...)
	for _, v := range []uint32{typeHalf, 0, 1, 1} {
		channels = le.AppendUint32(channels, v)
	}
	attribute("channels", "chlist", append(channels, 0))
	attribute("compression", "compression", []byte{0})
	attribute("dataWindow", "box2i", appendBox(nil, image.Rect(2, 2, 8, 2+lines)))
	b = append(b, 0)
	table := len(b)
	b = append(b, make([]byte, lines*8)...)
	for y := range lines {
		binary.LittleEndian.PutUint64(b[table+8*y:], uint64(len(b)))
		var line []byte
		if y%2 == 0 {
			for x := range 3 {
				line = le.AppendUint32(line, math.Float32bits(float32(10*y+x)))
			}
		}
		for x := range 6 {
			line = le.AppendUint16(line, pixel.ToHalf(float32(y*6+x)))
		}
		b = le.AppendUint32(b, uint32(y+2))
		b = append(le.AppendUint32(b, uint32(len(line))), line...)
	}
	return b
}

func TestSubsampledChannelsAreSpread(t *testing.T) {
	b := subsampled(4)
	r, err := NewReader(bytes.NewReader(b), int64(len(b)), limit)
	if err != nil {
		t.Fatal(err)
	}
	for from := range 4 { // also bands that begin between the lines that have samples
		planes := r.parts[0].Planes(4 - from)
		if err := r.ReadLines(0, from, 4, planes); err != nil {
			t.Fatal(err)
		}
		for y := from; y < 4; y++ {
			for x := range 6 {
				at := (y-from)*6 + x
				c, v := math.Float32frombits(le.Uint32(planes[0][4*at:])), pixel.FromHalf(le.Uint16(planes[1][2*at:]))
				if c != float32(10*(y/2*2)+x/2) || v != float32(y*6+x) {
					t.Errorf("from line %d, pixel %d, %d is %v and %v", from, x, y, c, v)
				}
			}
		}
	}
}

// A counted file tells how many bytes are read of it.
type counted struct {
	io.ReaderAt
	bytes atomic.Int64
}

func (c *counted) ReadAt(p []byte, at int64) (int, error) {
	c.bytes.Add(int64(len(p)))
	return c.ReaderAt.ReadAt(p, at)
}

// A band reads the lines that it has samples of, and not all that stand above it.
func TestBandsOfSubsampledFilesReadNothingTwice(t *testing.T) {
	const lines, band = 1000, 3
	b := subsampled(lines)
	in := &counted{ReaderAt: bytes.NewReader(b)}
	r, err := NewReader(in, int64(len(b)), limit)
	if err != nil {
		t.Fatal(err)
	}
	in.bytes.Store(0)
	for y := 0; y < lines; y += band {
		planes := r.parts[0].Planes(min(band, lines-y))
		if err := r.ReadLines(0, y, min(y+band, lines), planes); err != nil {
			t.Fatal(err)
		}
		if c := math.Float32frombits(le.Uint32(planes[0])); c != float32(10*(y/2*2)) {
			t.Fatalf("line %d begins with %v", y, c)
		}
	}
	// Every second band begins with a line whose samples stand in the one above.
	if n := in.bytes.Load(); n > int64(len(b))*3/2 {
		t.Errorf("%d bytes were read of a file of %d", n, len(b))
	}
}
