package formats

import (
	"fmt"
	"image"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/exr"
)

// tools skips the test unless they are there.
func tools(t *testing.T, names ...string) {
	t.Helper()
	for _, name := range names {
		if _, err := exec.LookPath(name); err != nil {
			t.Fatalf("%s is not installed; `make test` installs it", name)
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

func write(t *testing.T, path string, data []byte) {
	t.Helper()
	if err := os.WriteFile(path, data, 0o644); err != nil {
		t.Fatal(err)
	}
}

func load(t *testing.T, path string) imagefile.Part {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	parts, _, err := read(data, limit)
	if err != nil {
		t.Fatalf("%s: %v", path, err)
	}
	return parts[0]
}

// plain writes a part as an uncompressed OpenEXR file, its codes as floats from 0 to 1.
func plain(t *testing.T, path string, p imagefile.Part) {
	t.Helper()
	if k := p.Channels[0].Type; k == imagefile.Uint8 || k == imagefile.Uint16 {
		h := p.Header
		h.Channels = slices.Clone(h.Channels)
		for i := range h.Channels {
			h.Channels[i].Type = imagefile.Float
		}
		f := imagefile.Part{Header: h, Planes: h.Planes(p.Height())}
		for c := range f.Planes {
			for i := range p.Width() * p.Height() {
				le.PutUint32(f.Planes[c][4*i:], math.Float32bits(float32(get(p.Planes[c], i, k))))
			}
		}
		p = f
	}
	if p.Channel("A") >= 0 {
		p.Alpha = imagefile.Premultiplied // as far as this file knows
	}
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	w, err := exr.NewWriter(file, exr.Part{Header: p.Header})
	if err != nil {
		t.Fatal(err)
	}
	if err := imagefile.WriteAll(w, p); err != nil {
		t.Fatal(err)
	}
}

// As OpenImageIO is told to read and write straight alpha: without multiplying by it.
var asItIs = []string{"--iconfig", "oiio:UnassociatedAlpha", "1", "-i"}

// Every variant both ways. What we write, OpenImageIO reads into a plain file: the same samples, or where the format
// loses some, no farther from the source than those of a file that OpenImageIO wrote. What it writes, we read as it
// does. The table of it stands in docs/formats.md; REELHOUSE_MATRIX=write renews it.
func TestMatrix(t *testing.T) {
	tools(t, "oiiotool", "pngcheck", "tiffinfo", "exrheader")
	dir := t.TempDir()
	sizes := []image.Point{{97, 75}, {64, 32}, {1, 3}}
	results := make([][2]string, len(variants()))
	for _, size := range sizes {
		var write1, read1 []string
		type trial struct {
			source imagefile.Part
			path   string
		}
		var trials []trial
		for i, v := range variants() {
			p := v.picture(size.X, size.Y, uint64(i))
			path := filepath.Join(dir, fmt.Sprintf("%d-%d", i, size.X))
			trials = append(trials, trial{p, path})
			write(t, path+".ours."+v.ext, v.encode(t, p))
			plain(t, path+".source.exr", p)
			alpha := []string{"--attrib:type=int", "oiio:UnassociatedAlpha", "0"}
			if v.alpha == imagefile.Straight {
				alpha[2] = "1"
			}
			kind := []string{"-d", v.kind.String()}
			if slices.Contains(v.outside, "-d") {
				kind = nil
			}
			write1 = append(
				append(append(append(append(write1, path+".source.exr"), alpha...), kind...), v.outside...), "-o",
				path+".theirs."+v.ext,
			)
			back := "float"
			if v.kind == imagefile.Uint32 {
				back = "uint32"
			}
			for _, of := range []string{".ours", ".theirs"} {
				read1 = append(
					append(read1, asItIs...), path+of+"."+v.ext, "-d", back, "--compression", "none", "--scanline",
					"-o", path+of+".plain.exr",
				)
			}
		}
		tool(t, "oiiotool", write1...)
		tool(t, "oiiotool", read1...)
		for i, v := range variants() {
			name := fmt.Sprintf("%s, %s, %s, %v", v.format, v.name, v, size)
			source, path := trials[i].source, trials[i].path
			switch v.ext {
			case "png":
				tool(t, "pngcheck", "-q", path+".ours.png")
			case "tif":
				if out := tool(t, "tiffinfo", path+".ours.tif"); strings.Contains(strings.ToLower(out), "warning") {
					t.Errorf("%s: tiffinfo warns:\n%s", name, out)
				}
			case "exr":
				tool(t, "exrheader", path+".ours.exr")
			}
			results[i] = [2]string{"same", "same"}
			oursByThem, theirsByThem := load(t, path+".ours.plain.exr"), load(t, path+".theirs.plain.exr")
			mean, worst := difference(t, v, oursByThem, source)
			if v.lossy {
				theirMean, theirWorst := difference(t, v, theirsByThem, source)
				t.Logf(
					"%s: error %.6f, at most %.5f; the reference's %.6f, %.5f", name, mean, worst, theirMean,
					theirWorst,
				)
				results[i][0] = "as near as the reference's"
				if mean > theirMean*(1+v.luck()) {
					t.Errorf(
						"%s: error %.6f, at most %.5f; the reference's %.6f, %.5f", name, mean, worst, theirMean,
						theirWorst,
					)
				}
			} else if worst > v.rounding() {
				t.Errorf("%s: OpenImageIO reads values that are off by %v", name, worst)
			}
			theirs := load(t, path+".theirs."+v.ext)
			if v.rounding() > 1e-6 {
				results[i][1] = "same but for rounding"
			}
			if v.format == "TGA" && v.alpha == imagefile.Premultiplied && v.channels == "RGBA" {
				results[i][1] = "it writes straight alpha"
				continue
			}
			if _, worst := difference(t, v, theirs, theirsByThem); worst > v.rounding() {
				t.Errorf("%s: we read what OpenImageIO wrote with values that are off by %v", name, worst)
			}
			if _, worst := difference(t, v, theirs, source); !v.lossy && worst > v.rounding() {
				t.Errorf("%s: what OpenImageIO wrote is off by %v as we read it", name, worst)
			}
			if strings.HasSuffix(v.channels, "A") && theirs.Alpha != v.alpha {
				t.Errorf("%s: alpha of OpenImageIO's file is %v", name, theirs.Alpha)
			}
		}
	}
	if !t.Failed() {
		hold(t, "../../../docs/formats.md", table(results))
	}
}

// table groups the results: ways of writing with the same samples and results share a row.
func table(results [][2]string) string {
	type way struct {
		format, name string
		result       [2]string
	}
	var ways []way
	samples := map[way][]string{}
	for i, v := range variants() {
		w := way{v.format, v.name, results[i]}
		if samples[w] == nil {
			ways = append(ways, w)
		}
		samples[w] = append(samples[w], v.String())
	}
	type row struct {
		format, samples string
		result          [2]string
	}
	var rows []row
	names := map[row][]string{}
	for _, w := range ways {
		r := row{w.format, strings.Join(samples[w], "; "), w.result}
		if names[r] == nil {
			rows = append(rows, r)
		}
		names[r] = append(names[r], w.name)
	}
	var b strings.Builder
	b.WriteString(
		"| format | written with | samples | ours, as OpenImageIO reads it | OpenImageIO's, as we read it " +
			"|\n|---|---|---|---|---|\n",
	)
	for _, r := range rows {
		fmt.Fprintf(
			&b, "| %s | %s | %s | %s | %s |\n", r.format, strings.Join(names[r], "; "), r.samples, r.result[0],
			r.result[1],
		)
	}
	return b.String()
}

const matrixBegin, matrixEnd = "<!-- matrix: made by a test -->\n\n", "\n<!-- end of matrix -->"

// hold compares the table with that of a page, or renews it.
func hold(t *testing.T, path, table string) {
	page, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	before, rest, found := strings.Cut(string(page), matrixBegin)
	stands, after, ended := strings.Cut(rest, matrixEnd)
	switch {
	case !found || !ended:
		t.Fatalf("%s has no place for the matrix", path)
	case os.Getenv("REELHOUSE_MATRIX") == "write":
		write(t, path, []byte(before+matrixBegin+table+matrixEnd+after))
	case stands != table:
		t.Errorf("the matrix in %s is another; REELHOUSE_MATRIX=write renews it:\n%s", path, table)
	}
}

// luck is by how much an error may be larger because coefficients are rounded otherwise.
func (v variant) luck() float64 {
	if v.ext == "jpg" {
		return 0.001
	}
	return 0
}

// rounding is what values may differ by: codes as floats; and, of the two that are coded as cosines, what decoders
// may round otherwise.
func (v variant) rounding() float64 {
	switch {
	case v.ext == "jpg":
		return 3.5 / 255
	case strings.HasPrefix(v.name, "DWA") && v.lossy:
		return 1. / 1024
	case v.kind == imagefile.Uint8 || v.kind == imagefile.Uint16:
		return 1e-6
	}
	return 0
}

// Files in layouts that we read and do not write: of OpenImageIO, and of the TIFF library's tools. Pixels are compared
// with what OpenImageIO reads.
func TestOtherLayoutsAreRead(t *testing.T) {
	tools(t, "oiiotool", "tiffcp")
	dir := t.TempDir()
	in := func(name string) string { return filepath.Join(dir, name) }
	p := variant{kind: imagefile.Float, channels: "RGBA", alpha: imagefile.Premultiplied}.picture(97, 75, 3)
	plain(t, in("rgba.exr"), p)
	tool(
		t, "oiiotool", in("rgba.exr"), "--ch", "R,G,B", "-o", in("rgb.exr"), "-d", "uint8", "--compression", "none",
		"-o", in("rgb.tif"),
	)
	var files []string
	for _, tiff := range []struct {
		name string
		args []string
	}{
		{"big-endian", []string{"-B"}}, {"little-endian", []string{"-L"}}, {"packbits", []string{"-c", "packbits"}},
		{"lzw", []string{"-c", "lzw"}}, {"lzw-predictor", []string{"-c", "lzw:2"}},
		{"deflate-predictor", []string{"-c", "zip:2"}}, {"big-endian-predictor", []string{"-B", "-c", "zip:2"}},
		{"tiles", []string{"-t", "-w", "32", "-l", "16", "-c", "zip"}},
		{"separate", []string{"-p", "separate", "-c", "lzw"}},
		{"separate-tiles", []string{"-p", "separate", "-t", "-w", "48", "-l", "32"}},
		{"one-strip", []string{"-r", "1000"}}, {"strips-of-one-line", []string{"-r", "1", "-c", "zip"}},
	} {
		name := tiff.name + ".tif"
		tool(t, "tiffcp", append(tiff.args, in("rgb.tif"), in(name))...)
		files = append(files, name)
	}
	for _, file := range []struct {
		name string
		args []string
	}{
		{"half.tif", []string{in("rgba.exr"), "-d", "half"}}, {"uint32.tif", []string{in("rgb.exr"), "-d", "uint32"}},
		{"float-predictor.tif", []string{in("rgba.exr"), "-d", "float", "--attrib", "tiff:predictor", "3",
			"--compression", "zip"}},
		{"tiles.tif", []string{in("rgba.exr"), "-d", "uint16", "--tile", "16", "48", "--compression", "lzw"}},
		{"separate.tif", []string{in("rgba.exr"), "-d", "float", "--planarconfig", "separate"}},
		{"8.dpx", []string{in("rgb.exr"), "-d", "uint8"}}, {"16.dpx", []string{in("rgb.exr"), "-d", "uint16"}},
		{"little.dpx", []string{in("rgb.exr"), "-d", "uint10", "--attrib", "oiio:Endian", "little"}},
		{"progressive.jpg", []string{in("rgb.exr"), "-d", "uint8", "--attrib", "jpeg:progressive", "1", "--compression",
			"jpeg:95"}}, {"422.jpg", []string{in("rgb.exr"), "-d", "uint8", "--attrib", "jpeg:subsampling", "4:2:2",
			"--compression", "jpeg:95"}},
	} {
		tool(t, "oiiotool", append(file.args, "-o", in(file.name))...)
		files = append(files, file.name)
	}
	var args []string
	for _, name := range files {
		kind := "float"
		if name == "uint32.tif" {
			kind = "uint32"
		}
		args = append(append(args, asItIs...), in(name), "-d", kind, "--compression", "none", "-o", in(name+".exr"))
	}
	tool(t, "oiiotool", args...)
	for _, name := range files {
		v := variant{format: name, channels: "RGBA", ext: filepath.Ext(name)[1:], kind: imagefile.Uint8}
		if _, worst := difference(t, v, load(t, in(name)), load(t, in(name+".exr"))); worst > v.rounding() {
			t.Errorf("%s: values are off by %v", name, worst)
		}
	}
	// Pages are parts, each with its size.
	tool(t, "oiiotool", in("rgb.tif"), in("half.tif"), "--cut", "20x10+5+5", "--siappend", "-o", in("pages.tif"))
	data, err := os.ReadFile(in("pages.tif"))
	if err != nil {
		t.Fatal(err)
	}
	parts, _, err := read(data, limit)
	if err != nil {
		t.Fatal(err)
	}
	if len(parts) != 2 || parts[0].Width() != 97 || parts[1].Width() != 20 || parts[1].Height() != 10 {
		t.Errorf("pages: %d parts, %+v", len(parts), parts[0].Header)
	}
}
