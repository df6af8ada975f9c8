package exr

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/pixel"
)

// tools skips the test unless the OpenEXR project's and OpenImageIO's tools are there.
func tools(t *testing.T) {
	t.Helper()
	for _, tool := range []string{"oiiotool", "exrmaketiled", "exrmultipart"} {
		if _, err := exec.LookPath(tool); err != nil {
			t.Skipf("%s is not installed; `make test` installs it", tool)
		}
	}
}

func tool(t *testing.T, name string, args ...string) {
	t.Helper()
	if out, err := exec.Command(name, args...).CombinedOutput(); err != nil || strings.Contains(string(out), "ERROR") {
		t.Fatalf("%s %v: %v\n%s", name, args, err, out)
	}
}

func readFile(t *testing.T, path string) []byte {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// scenery is a picture with smooth parts, edges, noise, flat parts, and values that are no colours.
func scenery(width, height int) *pixel.Image {
	img := pixel.New(width, height, "R", "G", "B", "depth.Z")
	for i := range 3 {
		img.Planes[i].Half = true
	}
	for i := range width * height {
		x, y := float64(i%width), float64(i/width)
		noise := float64(i*2654435761%4096) / 4096
		img.Planes[0].Data[i] = pixel.FromHalf(pixel.ToHalf(float32(math.Sin(x/9)*math.Cos(y/7) + 0.02*noise)))
		img.Planes[1].Data[i] = pixel.FromHalf(pixel.ToHalf(float32(noise * 100)))
		if x > y {
			img.Planes[2].Data[i] = 0.25
		}
		img.Planes[3].Data[i] = float32(1 + x*y/10 + noise)
	}
	return img
}

// mixed makes OpenImageIO write the colours of scenery as halves, beside its float depth.
var mixed = []string{"-d", "R=half", "-d", "G=half", "-d", "B=half"}

// Every compression, as scan lines and in tiles, half, float and unsigned, even and odd sizes: OpenImageIO writes the
// file, and reads it back into one without compression; we read both, and every bit is the same. So ours
// agrees with the reference decoder also where a compression is lossy.
func TestFilesOfOtherWritersAreReadToTheLastBit(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	for _, c := range []struct {
		width, height int
		types         []string
	}{{97, 75, mixed}, {64, 64, mixed}, {5, 3, mixed}, {97, 75, nil}, {33, 40, []string{"-d", "half"}}, {33, 40, []string{"-d", "uint32"}}} {
		size := [2]int{c.width, c.height}
		source := filepath.Join(dir, "source.exr")
		if err := os.WriteFile(source, encode(t, &File{Image: scenery(size[0], size[1])}), 0o644); err != nil {
			t.Fatal(err)
		}
		// One call writes all files, and one reads them all: the tool takes half a second to start.
		write, read := append([]string{source}, c.types...), c.types[:len(c.types):len(c.types)]
		var names []string
		for c := None; c <= B44A; c++ {
			for _, layout := range [][]string{{"--scanline"}, {"--tile", "32", "16"}} {
				name := filepath.Join(dir, fmt.Sprintf("%d %s %s", size[0], c, layout[0][2:]))
				names = append(names, name)
				write = append(append(append(write, "--compression", strings.ToLower(c.String())), layout...), "-o", name+".exr")
				read = append(read, name+".exr", "--compression", "none", "--scanline", "-o", name+".plain.exr")
			}
		}
		tool(t, "oiiotool", write...)
		tool(t, "oiiotool", read...)
		for i, name := range names {
			got, err := Decode(bytes.NewReader(readFile(t, name+".exr")))
			if err != nil {
				t.Errorf("%s: %v", name, err)
				continue
			}
			want, err := Decode(bytes.NewReader(readFile(t, name+".plain.exr")))
			if err != nil {
				t.Fatal(err)
			}
			if c := Compression(i / 2); got.Compression != c || want.Compression != None {
				t.Fatalf("%s was written with %s", name, got.Compression)
			}
			samePixels(t, got.Image, want.Image)
			if t.Failed() {
				t.Fatalf("%s %v: pixels differ", name, c.types)
			}
		}
	}
}

// What we write in each compression is read by OpenImageIO as the same pixels. PXR24 rounds floats, and rounds
// them as the reference encoder does.
func TestOurFilesAreReadByOthersToTheLastBit(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	for _, size := range [][2]int{{97, 75}, {5, 3}, {1, 40}} {
		want := scenery(size[0], size[1])
		noise := want.Plane("depth.Z").Data
		for i := range min(len(noise), 40) { // numbers of every kind
			noise[i] = math.Float32frombits(uint32(i)*0x06543217 + uint32(i%3)*0x7f7fff80)
		}
		source := filepath.Join(dir, "source.exr")
		if err := os.WriteFile(source, encode(t, &File{Image: want}), 0o644); err != nil {
			t.Fatal(err)
		}
		reference := filepath.Join(dir, "reference.exr")
		tool(t, "oiiotool", append(append([]string{source}, mixed...), "--compression", "pxr24", "-o", reference)...)
		read := mixed[:len(mixed):len(mixed)]
		for c := None; c <= PXR24; c++ {
			path := filepath.Join(dir, c.String())
			if err := os.WriteFile(path+".exr", encode(t, &File{Image: want, Compression: c}), 0o644); err != nil {
				t.Fatal(err)
			}
			read = append(read, path+".exr", "--compression", "none", "-o", path+".plain.exr")
		}
		tool(t, "oiiotool", read...)
		for c := None; c <= PXR24; c++ {
			got, err := Decode(bytes.NewReader(readFile(t, filepath.Join(dir, c.String()+".plain.exr"))))
			if err != nil {
				t.Fatal(err)
			}
			expected := want
			if c == PXR24 {
				f, err := Decode(bytes.NewReader(readFile(t, reference)))
				if err != nil {
					t.Fatal(err)
				}
				expected = f.Image
			}
			samePixels(t, got.Image, expected)
			if t.Failed() {
				t.Fatalf("%v in %s: others read other pixels", size, c)
			}
		}
	}
}

// Small files that OpenImageIO and the OpenEXR project's tools wrote, kept beside the tests: what is lossless
// holds the same bits as it was made of.
func TestKeptFilesOfOtherWritersAreRead(t *testing.T) {
	want := scenery(48, 40)
	for name, lossless := range map[string]bool{"rle": true, "piz": true, "pxr24": false, "b44": false, "b44a": false, "mipmap-zip": true, "two-parts": true} {
		f, err := Decode(bytes.NewReader(readFile(t, filepath.Join("testdata", name+".exr"))))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if lossless {
			samePixels(t, f.Image, want)
			continue
		}
		// PXR24 keeps halves and 24 bits of a float; B44 keeps floats and 6 bits of a difference.
		for i, v := range f.Image.Plane("depth.Z").Data {
			if w := want.Plane("depth.Z").Data[i]; math.Abs(float64(v-w)) > 1e-4*float64(w) {
				t.Fatalf("%s: depth %d is %v, want %v", name, i, v, w)
			}
		}
		for i, v := range f.Image.Plane("R").Data {
			if w := want.Plane("R").Data[i]; math.Abs(float64(v-w)) > 0.3 {
				t.Fatalf("%s: red %d is %v, want %v", name, i, v, w)
			}
		}
	}
}

// Files with levels, made by the OpenEXR project's own tool: the full size is read.
func TestLevelsAreLeftAside(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	source, tiled := filepath.Join(dir, "source.exr"), filepath.Join(dir, "tiled.exr")
	want := scenery(97, 75)
	if err := os.WriteFile(source, encode(t, &File{Image: want, Compression: ZIP}), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, mode := range []string{"-o", "-m", "-r"} {
		for _, round := range []string{"-d", "-u"} {
			tool(t, "exrmaketiled", mode, round, "-t", "20", "30", "-z", "piz", source, tiled)
			f, err := Decode(bytes.NewReader(readFile(t, tiled)))
			if err != nil {
				t.Fatalf("%s %s: %v", mode, round, err)
			}
			samePixels(t, f.Image, want)
		}
	}
}

func TestPartsAreReadInTheirOrder(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	var args []string
	for i, size := range [][2]int{{40, 30}, {17, 5}} {
		path := filepath.Join(dir, fmt.Sprint(i, ".exr"))
		if err := os.WriteFile(path, encode(t, &File{Image: scenery(size[0], size[1]), Compression: ZIPS}), 0o644); err != nil {
			t.Fatal(err)
		}
		if i == 1 { // a part of tiles beside one of lines
			tiled := filepath.Join(dir, "tiled.exr")
			tool(t, "exrmaketiled", "-m", "-t", "8", "4", "-z", "rle", path, tiled)
			path = tiled
		}
		args = append(args, path)
	}
	both := filepath.Join(dir, "both.exr")
	tool(t, "exrmultipart", "-combine", "-i", args[0]+"::first", args[1]+"::second", "-o", both, "-override", "1")
	parts, err := DecodeParts(bytes.NewReader(readFile(t, both)))
	if err != nil || len(parts) != 2 {
		t.Fatalf("%d parts, %v", len(parts), err)
	}
	samePixels(t, parts[0].Image, scenery(40, 30))
	samePixels(t, parts[1].Image, scenery(17, 5))
	for i, name := range []string{"first", "second"} {
		found := false
		for _, a := range parts[i].Attributes {
			found = found || a.Name == "name" && a.String() == name
		}
		if !found {
			t.Errorf("part %d is not called %s", i, name)
		}
	}
	if first, err := Decode(bytes.NewReader(readFile(t, both))); err != nil || first.Image.Width != 40 {
		t.Errorf("the first part alone: %v", err)
	}
}

// Windows that do not begin at 0, written by OpenImageIO.
func TestWindowsAreTold(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	source, cropped := filepath.Join(dir, "source.exr"), filepath.Join(dir, "cropped.exr")
	want := scenery(97, 75)
	if err := os.WriteFile(source, encode(t, &File{Image: want}), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, compression := range []string{"zip", "piz", "b44"} {
		tool(t, "oiiotool", source, "--crop", "20x10+30+40", "--compression", compression, mixed[0], mixed[1], "-o", cropped)
		f, err := Decode(bytes.NewReader(readFile(t, cropped)))
		if err != nil {
			t.Fatal(err)
		}
		if f.DataWindow.Min.X != 30 || f.DataWindow.Min.Y != 40 || f.Image.Width != 20 || f.Image.Height != 10 || f.DisplayWindow.Dx() != 97 || f.DisplayWindow.Dy() != 75 {
			t.Errorf("%s: windows %v and %v", compression, f.DataWindow, f.DisplayWindow)
		}
		if got, w := f.Image.Plane("depth.Z").Data[3*20+7], want.Plane("depth.Z").Data[43*97+37]; got != w {
			t.Errorf("%s: pixel 37, 43 is %v, want %v", compression, got, w)
		}
	}
}

// A file by hand ("OpenEXR File Layout"): 6 x 4 pixels whose channel C has a value at every second pixel of
// every second line, from a data window that begins at 2, 2.
func TestSubsampledChannelsAreSpread(t *testing.T) {
	le := binary.LittleEndian
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
	var window []byte
	for _, v := range []uint32{2, 2, 7, 5} {
		window = le.AppendUint32(window, v)
	}
	attribute("dataWindow", "box2i", window)
	b = append(b, 0)
	table := len(b)
	b = append(b, make([]byte, 4*8)...)
	for y := range 4 {
		le.PutUint64(b[table+8*y:], uint64(len(b)))
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
	f, err := Decode(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	for y := range 4 {
		for x := range 6 {
			if c, v := f.Image.Plane("C").Data[y*6+x], f.Image.Plane("Y").Data[y*6+x]; c != float32(10*(y/2*2)+x/2) || v != float32(y*6+x) {
				t.Errorf("pixel %d, %d is %v and %v", x, y, c, v)
			}
		}
	}
}

// Damage anywhere: an error or a picture, in bounded time, and never a panic.
func TestDamagedFilesOfEveryCompressionAreRefused(t *testing.T) {
	tools(t)
	dir := t.TempDir()
	source := filepath.Join(dir, "source.exr")
	if err := os.WriteFile(source, encode(t, &File{Image: scenery(33, 40)}), 0o644); err != nil {
		t.Fatal(err)
	}
	args := append([]string{source, "--tile", "16", "16"}, mixed...)
	for c := None; c <= B44A; c++ {
		args = append(args, "--compression", strings.ToLower(c.String()), "-o", filepath.Join(dir, c.String()+".exr"))
	}
	tool(t, "oiiotool", args...)
	for c := None; c <= B44A; c++ {
		whole := readFile(t, filepath.Join(dir, c.String()+".exr"))
		for i := range 64 {
			if _, err := Decode(bytes.NewReader(whole[:len(whole)*i/64])); err == nil {
				t.Errorf("%s cut at %d/64 was read", c, i)
			}
		}
		for i := 0; i < len(whole); i += 1 + len(whole)/1500 {
			spoilt := bytes.Clone(whole)
			spoilt[i] ^= 0x41
			Decode(bytes.NewReader(spoilt)) // what it makes of it is not promised; that it returns is
		}
	}
}
