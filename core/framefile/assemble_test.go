package framefile

import (
	"bytes"
	"context"
	"errors"
	"io"
	"io/fs"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/imagefile"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

// buffer is a file of a test that is written without going back.
type buffer struct {
	bytes.Buffer
	done    func([]byte)
	dropped func()
}

func (b *buffer) Seek(int64, int) (int64, error) { return 0, errors.New("not needed") }
func (b *buffer) Commit() (int64, error)         { b.done(b.Bytes()); return int64(b.Len()), nil }
func (b *buffer) Abandon()                       { b.dropped() }

// halves returns an assembly of 4 × 4 pixels from two bands, and their files.
func halves(t *testing.T) (job.Assembly, map[string][]byte) {
	t.Helper()
	a := job.Assembly{TileFiles: []string{"upper", "lower"}}
	a.Rate, a.Size, a.Tiles = frame.Rate{Numerator: 24, Denominator: 1}, raster.Size{
		Width:  4,
		Height: 4,
	}, raster.Bands(2)
	a.Passes = []pass.Code{pass.Beauty, pass.CryptoObject}
	a.Frames = []job.Frame{
		{Number: 7, Files: []job.File{{Path: "a.png", Encoding: output.PNG.Usual(), Passes: []pass.Code{pass.Beauty}}}},
	}
	files := map[string][]byte{}
	for i, path := range a.TileFiles {
		img := pixel.New(4, 2)
		for _, code := range a.Passes {
			p, err := pass.Find(code)
			if err != nil {
				t.Fatal(err)
			}
			for _, name := range p.ChannelNames() {
				plane := pixel.Plane{Name: name, Data: make([]float32, 8)}
				for k := range plane.Data {
					plane.Data[k] = float32(i)
				}
				img.Planes = append(img.Planes, plane)
			}
		}
		files[path] = tileFile(t, img, a.Passes)
	}
	return a, files
}

func tileFile(t *testing.T, img *pixel.Image, passes []pass.Code) []byte {
	t.Helper()
	var b bytes.Buffer
	object, _ := pass.Find(pass.CryptoObject)
	h := picture.Header{
		Rate: frame.Rate{
			Numerator:   1,
			Denominator: 1,
		}, FocalLength: 35, Facts: []job.Fact{{Name: "note", Value: "the tile's own"}},
		Attributes: append(
			picture.Cryptomatte(object, "{}"), imagefile.Attribute{Name: "lensSerialNumber", Value: "12"},
		),
	}
	if err := picture.Encode(&b, TileEncoding(), img, passes, h); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func assemble(a job.Assembly, files map[string][]byte, fail string) (map[string][]byte, error) {
	written := map[string][]byte{}
	read := func(path string) ([]byte, error) {
		data, ok := files[path]
		if !ok {
			return nil, fs.ErrNotExist
		}
		return data, nil
	}
	err := Assemble(context.Background(), a, read, func(float64) {}, Outside{
		Create: func(path string) (File, error) {
			if path == fail {
				return nil, io.ErrShortWrite
			}
			return &buffer{
				done:    func(data []byte) { written[path] = data },
				dropped: func() { delete(written, path) },
			}, nil
		},
		Wrote: func(string, int64) {},
	})
	return written, err
}

func TestTilesBecomeAPicture(t *testing.T) {
	a, files := halves(t)
	written, err := assemble(a, files, "")
	if err != nil {
		t.Fatal(err)
	}
	p, err := picture.Decode(written["a.png"])
	if err != nil || p.Image.Width != 4 || p.Image.Height != 4 {
		t.Fatalf("%+v, %v", p, err)
	}
	for i, v := range p.Image.Plane("R").Data {
		if want := float32(i / 8); v != want {
			t.Errorf("pixel %d is %v, want %v", i, v, want)
		}
	}
}

// Of a tile's header the camera's and the mattes' attributes are taken over, whatever renderer they come from; what the
// job knows better is not.
func TestWhatTilesSayIsTakenOver(t *testing.T) {
	a, files := halves(t)
	f := Frame{Job: a.Job, Frame: a.Frames[0]}
	opened, err := picture.Open(files["upper"])
	if err != nil {
		t.Fatal(err)
	}
	f.Describe(opened.Headers[0])
	if f.Header.FocalLength != 35 || f.Header.Frame != 7 || f.Header.Rate != a.Rate {
		t.Errorf("the header is %+v", f.Header)
	}
	if len(f.Header.Attributes) != 1 || f.Header.Attributes.Text("lensSerialNumber") != "12" {
		t.Errorf("attributes are %v", f.Header.Attributes)
	}
	if got := f.Mattes(a.Passes); len(got) != 4 || got[3].Value != "{}" {
		t.Errorf("mattes are %v", got)
	}
	if got := f.Mattes(a.Passes[:1]); len(got) != 0 {
		t.Errorf("a file without mattes says %v", got)
	}
}

func TestTilesThatDoNotFitAreRefused(t *testing.T) {
	for name, c := range map[string]struct {
		change func(a *job.Assembly, files map[string][]byte)
		says   string
	}{
		"missing": {func(_ *job.Assembly, files map[string][]byte) { delete(files, "lower") },
			"tile 2, lower: "},
		"torn": {func(_ *job.Assembly, files map[string][]byte) { files["upper"] = files["upper"][:90] },
			"tile 1, upper: "},
		"of another size": {func(a *job.Assembly, _ map[string][]byte) { a.Size.Height = 6 },
			"it has 4 × 2 pixels, not 4 × 3"},
		"without a pass": {func(a *job.Assembly, _ map[string][]byte) { a.Passes = append(a.Passes, pass.Depth) },
			"depth"},
		"no room": {func(*job.Assembly, map[string][]byte) {}, io.ErrShortWrite.Error()},
	} {
		a, files := halves(t)
		c.change(&a, files)
		fail := ""
		if name == "no room" {
			fail = "a.png"
		}
		if written, err := assemble(a, files, fail); err == nil || !strings.Contains(err.Error(), c.says) ||
			len(written) > 0 {
			t.Errorf("%s: %d files, %v", name, len(written), err)
		}
	}
}
