package matte_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/matte"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// written returns an OpenEXR file with a Cryptomatte of objects, of pixels that are told as pairs of names and shares,
// what covers most first.
func written(t testing.TB, width, height int, at func(x, y int) []pair, names ...string) []byte {
	t.Helper()
	p, err := pass.Find(pass.CryptoObject)
	if err != nil {
		t.Fatal(err)
	}
	img := pixel.New(width, height, p.ChannelNames()...)
	for y := range height {
		for x := range width {
			for rank, of := range at(x, y) {
				img.Planes[2*rank].Data[y*width+x] = pass.ID(of.name)
				img.Planes[2*rank+1].Data[y*width+x] = of.share
			}
		}
	}
	e := output.EXR.Usual()
	var b bytes.Buffer
	err = picture.Encode(&b, e, img, []pass.Code{pass.CryptoObject}, picture.Header{
		Attributes: picture.Cryptomatte(p, pass.Manifest(names)),
	})
	if err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

type pair struct {
	name  string
	share float32
}

func read(t testing.TB, file []byte, of int) *matte.Ranks {
	t.Helper()
	f, err := picture.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	r, err := matte.Read(context.Background(), f, "CryptoObject", of)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Drawn by hand: an edge that crosses pixels, glass that lets a quarter through, and three things in one pixel.
func TestCoverageOfDrawnCases(t *testing.T) {
	cases := map[int][]pair{
		0: {{"hull", 1}},
		1: {{"hull", 0.75}, {"water", 0.25}},
		2: {{"pane", 0.75}, {"lamp", 0.25}},
		3: {{"water", 0.5}, {"hull", 0.375}, {"mast", 0.125}},
		4: {},
	}
	r := read(
		t,
		written(t, 5, 3, func(x, _ int) []pair { return cases[x] }, "hull", "water", "pane", "lamp", "mast"),
		1,
	)
	pull := func(names ...string) []float32 {
		return r.Pull(r.Wanted(pass.Matte{Layer: pass.CryptoObject, Names: names}))[5:10]
	}
	for _, c := range []struct {
		names string
		want  []float32
	}{
		{"hull", []float32{1, 0.75, 0, 0.375, 0}}, {"hull mast", []float32{1, 0.75, 0, 0.5, 0}},
		{"*a*", []float32{0, 0.25, 1, 0.625, 0}}, {"*", []float32{1, 1, 1, 1, 0}},
		{"boat", []float32{0, 0, 0, 0, 0}},
	} {
		if got := pull(strings.Fields(c.names)...); fmt.Sprint(got) != fmt.Sprint(c.want) {
			t.Errorf("%s covers %v, want %v", c.names, got, c.want)
		}
	}
	found := r.Within(image.Rect(1, 0, 3, 3), 0)
	if len(found) != 4 || found[0].Name != "hull" || found[0].Pixels != 2.25 || found[1].Name != "pane" {
		t.Errorf("in the rectangle there are %v", found)
	}
	if few := r.Within(image.Rect(-9, -9, 99, 99), 2); len(few) != 3 || few[0].Pixels != 6.375 {
		t.Errorf("in all of it there are %v", few)
	}
	if names, all := r.NamesLike("A", 2); len(names) != 2 || all != 4 || names[0] != "lamp" {
		t.Errorf("like a are %v of %d", names, all)
	}
	if small := read(t, written(t, 5, 3, func(x, _ int) []pair { return cases[x] }, "hull"), 2); small.Width != 2 ||
		small.Height != 1 || small.Coverage[0][1] != 0.75 {
		t.Errorf("of every second pixel there are %d x %d, %v", small.Width, small.Height, small.Coverage[0])
	}
}

// A name that the manifest does not have is found by its hash: many programs leave the manifest out.
func TestNamesAreHashedWhereTheManifestLacksThem(t *testing.T) {
	r := read(t, written(t, 2, 1, func(x, _ int) []pair { return []pair{{[]string{"bunny", "floor"}[x], 1}} }), 1)
	if got := r.Pull(r.Wanted(pass.Matte{Names: []string{"bunny"}})); got[0] != 1 || got[1] != 0 {
		t.Errorf("it covers %v", got)
	}
	if title := r.Title(r.IDs[0][0]); !strings.Contains(title, "13851a76") { // of the specification, see core/pass
		t.Errorf("it is called %s", title)
	}
}

// Another program writes the file: OpenImageIO stores the channels and the attributes as text of its own making, with
// lower-case long names, 32-bit float and another compression. Its colours are IDs, and no bit of them may change.
func TestAFileOfAnotherProgram(t *testing.T) {
	tool, err := exec.LookPath("oiiotool")
	if err != nil {
		t.Skip("oiiotool is not there")
	}
	dir := t.TempDir()
	in, out := filepath.Join(dir, "in.exr"), filepath.Join(dir, "out.exr")
	names := []string{"a", "b", "c"}
	file := written(t, 64, 64, func(x, y int) []pair {
		return []pair{{names[(x+y)%3], 0.625}, {names[(x+y+1)%3], 0.375}}
	}, names...)
	if err := os.WriteFile(in, file, 0o644); err != nil {
		t.Fatal(err)
	}
	renamed := "crypto00.red,crypto00.green,crypto00.blue,crypto00.alpha,crypto01.red,crypto01.green,crypto01.blue," +
		"crypto01.alpha"
	order := "CryptoObject00.R,CryptoObject00.G,CryptoObject00.B,CryptoObject00.A,CryptoObject01.R,CryptoObject01.G," +
		"CryptoObject01.B,CryptoObject01.A"
	run := exec.Command(
		tool,
		in,
		"--ch",
		order,
		"--chnames",
		renamed,
		"--attrib",
		"cryptomatte/1234567/name",
		"crypto",
		"--attrib",
		"cryptomatte/1234567/manifest",
		pass.Manifest(names),
		"--compression",
		"piz",
		"-d",
		"float",
		"-o",
		out,
	)
	if said, err := run.CombinedOutput(); err != nil {
		t.Fatalf("%s: %v", said, err)
	}
	data, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	f, err := picture.Open(data)
	if err != nil {
		t.Fatal(err)
	}
	r, err := matte.Read(context.Background(), f, "crypto", 1)
	if err != nil {
		t.Fatal(err)
	}
	got := r.Pull(r.Wanted(pass.Matte{Names: []string{"b"}}))
	for i, v := range got {
		want := map[int]float32{0: 0.375, 1: 0.625, 2: 0}[(i%64+i/64)%3]
		if v != want {
			t.Fatalf("pixel %d is covered by %v, want %v", i, v, want)
		}
	}
	if _, err := matte.Read(context.Background(), f, "CryptoAsset", 1); err == nil {
		t.Error("a layer is read that is not there")
	}
}

func TestPatternsOfNames(t *testing.T) {
	for _, c := range []struct {
		pattern, name string
		want          bool
	}{
		{"hull", "hull", true}, {"hull", "hull.001", false}, {"hull*", "hull.001", true}, {"*", "", true},
		{"*/mast", "boats/ferry/mast", true}, {"boats*mast", "boats/ferry/mast", true}, {"a*a", "a", false},
		{"a*b*c", "aXbYc", true}, {"a*b*c", "acb", false}, {"[x]", "[x]", true}, {"**", "x", true},
	} {
		if got := pass.Like(c.pattern, c.name); got != c.want {
			t.Errorf("%q like %q: %v", c.name, c.pattern, got)
		}
	}
	for says, m := range map[string]pass.Matte{
		"code": {Code: "The Boat", Layer: pass.CryptoObject, Names: []string{"a"}}, "no pass of mattes": {Code: "a",
			Layer: pass.Depth, Names: []string{"a"}}, "names nothing": {Code: "a", Layer: pass.CryptoAsset},
		"bytes": {Code: "a", Layer: pass.CryptoAsset, Names: []string{""}},
	} {
		if err := pass.CheckMattes([]pass.Matte{m}); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	if p, err := pass.Find(pass.MattePass("boat")); err != nil || p.ChannelNames()[0] != "matte-boat.R" {
		t.Errorf("%v, %v", p.ChannelNames(), err)
	}
}

func FuzzManifest(f *testing.F) {
	f.Add(`{"hull":"13851a76"}`)
	f.Add(`{"a":5}`)
	f.Add("")
	f.Fuzz(func(t *testing.T, text string) {
		h := imagefile.Plain(1, 1, imagefile.Float, "x00.R", "x00.G")
		h.Attributes = imagefile.Attributes{{Name: "cryptomatte/a/name", Value: "x"},
			{Name: "cryptomatte/a/manifest", Value: text}}
		layers := matte.Layers(h)
		if len(layers) != 1 || len(layers[0].Pairs) != 1 {
			t.Fatalf("%v", layers)
		}
		layers[0].Wanted(pass.Matte{Names: []string{"*"}})
	})
}

// BenchmarkPull takes a matte of 20 objects out of a frame of 2048 x 858 pixels.
func BenchmarkPull(b *testing.B) {
	const width, height = 2048, 858
	r := &matte.Ranks{Width: width, Height: height}
	random := rand.New(rand.NewPCG(1, 2))
	ids := make([]uint32, 60)
	wanted := map[uint32]bool{}
	for i := range ids {
		ids[i] = math.Float32bits(pass.ID(fmt.Sprint("object", i)))
		if i%3 == 0 {
			wanted[ids[i]] = true
		}
	}
	for rank := range pass.Ranks {
		planes, shares := make([]uint32, width*height), make([]float32, width*height)
		for i := range planes {
			if rank == 0 || random.IntN(10) == 0 {
				planes[i], shares[i] = ids[(i/37+rank)%len(ids)], 0.5
			}
		}
		r.IDs, r.Coverage = append(r.IDs, planes), append(r.Coverage, shares)
	}
	b.ReportAllocs()
	for b.Loop() {
		r.Pull(wanted)
	}
	b.ReportMetric(float64(b.N)*width*height/1e6/b.Elapsed().Seconds(), "Mpixels/s")
}
