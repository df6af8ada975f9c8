package trace

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/framefile"
	"reelhouse/core/geom"
	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/job"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/stamp"
)

func TestAJobIsPerformedAsTheContractSays(t *testing.T) {
	var file bytes.Buffer
	if err := room().Write(&file); err != nil {
		t.Fatal(err)
	}
	stamped := stamp.Stamp{
		On:      true,
		Percent: 20,
		Opacity: 1,
		Lines:   []stamp.Line{{Place: stamp.TopLeft, Text: "(rendertime)"}},
	}
	j := job.Job{
		Version: job.Version, Scene: "room.glb", View: job.View{Name: "v", Camera: "cam", Look: look.Plain()},
		Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001,
		Size: raster.Size{
			Width:  40,
			Height: 30,
		}, Passes: everything, Samples: 1, Filter: pixel.Box, DepthBackground: 500,
		Frames: []job.Frame{
			{
				Number: 1001,
				Files: []job.File{
					{Path: "a.exr", Encoding: output.EXR.Usual(), Passes: everything},
					{
						Path:     "a.png",
						Encoding: output.PNG.Usual(),
						Passes:   []pass.Code{pass.Beauty},
						Size:     raster.Size{Width: 20, Height: 15},
						Kernel:   pixel.Mitchell,
						Stamp:    stamped,
					},
				},
			},
			{
				Number: 1013,
				Files: []job.File{
					{Path: "b.exr", Encoding: output.EXR.Usual(), Passes: []pass.Code{pass.Depth}},
					{
						Path:     "c.exr",
						Encoding: output.EXR.Usual(),
						Passes:   []pass.Code{pass.Depth},
						Size:     raster.Size{Width: 20, Height: 15},
						Kernel:   pixel.BoxKernel,
					},
				},
			},
		},
		Facts: []job.Fact{{Name: "shot", Value: "010"}},
	}
	wrote := map[string][]byte{}
	var said []string
	outside := Outside{
		Open:   func(string) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(file.Bytes())), nil },
		Create: kept(wrote),
		Now:    func() time.Time { return time.Time{} },
		Say: func(m job.Message) {
			if m.Event != job.Progress {
				said = append(said, string(m.Event)+" "+m.Path)
			}
		},
	}
	if err := Perform(context.Background(), j, outside); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(said, ","); got != "started ,wrote a.exr,wrote a.png,started ,wrote b.exr,wrote "+
		"c.exr,finished " {
		t.Errorf("it said %s", got)
	}
	first, err := picture.Decode(wrote["a.exr"])
	if err != nil {
		t.Fatal(err)
	}
	facts := map[string]string{}
	for _, f := range first.Facts {
		facts[f.Name] = f.Value
	}
	if facts["frame"] != "1001" || facts["framesPerSecond"] != "24/1" || facts["shot"] != "010" {
		t.Errorf("the header says %v", facts)
	}
	small, err := picture.Decode(wrote["a.png"])
	if err != nil || small.Image.Width != 20 || small.Image.Height != 15 {
		t.Errorf("the reduced picture is %+v, %v", small, err)
	}
	whole, err := picture.Decode(wrote["b.exr"])
	if err != nil {
		t.Fatal(err)
	}
	reduced, err := picture.Decode(wrote["c.exr"])
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range reduced.Image.Plane("depth.Z").Data {
		if !slices.Contains(whole.Image.Plane("depth.Z").Data, v) {
			t.Fatalf("pixel %d of the reduced depth is %v m, which the whole one has nowhere", i, v)
		}
	}
	again := map[string][]byte{}
	outside.Create = kept(again)
	if err := Perform(context.Background(), j, outside); err != nil {
		t.Fatal(err)
	}
	for path, data := range wrote {
		if !bytes.Equal(again[path], data) {
			t.Errorf("%s came out with other bytes the second time", path)
		}
	}
	outside.Create = func(string) (framefile.File, error) { return nil, io.ErrShortWrite }
	if err := Perform(context.Background(), j, outside); err == nil || !strings.Contains(err.Error(), "frame 1001") {
		t.Errorf("a file that cannot be written: %v", err)
	}
}

// memoryFile is a file of a test.
type memoryFile struct {
	data    []byte
	at      int64
	done    func([]byte)
	dropped func()
}

func (m *memoryFile) Write(p []byte) (int, error) {
	if need := m.at + int64(len(p)); need > int64(len(m.data)) {
		m.data = append(m.data, make([]byte, need-int64(len(m.data)))...)
	}
	m.at += int64(copy(m.data[m.at:], p))
	return len(p), nil
}

func (m *memoryFile) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += m.at
	case io.SeekEnd:
		offset += int64(len(m.data))
	}
	m.at = offset
	return offset, nil
}

func (m *memoryFile) Commit() (int64, error) { m.done(m.data); return int64(len(m.data)), nil }
func (m *memoryFile) Abandon()               { m.dropped() }

// kept begins files that are kept in a map when they are complete.
func kept(files map[string][]byte) func(path string) (framefile.File, error) {
	return func(path string) (framefile.File, error) {
		return &memoryFile{done: func(data []byte) { files[path] = data }, dropped: func() { delete(files, path) }}, nil
	}
}

// A frame that is rendered in tiles gives the same files as a whole one, byte by byte, in every format, whether they
// are written as tiles come or from the whole picture; with a region kept in the picture and cut out; and what could
// not be finished is not there.
func TestTilesGiveTheSameFiles(t *testing.T) {
	var sceneFile bytes.Buffer
	if err := room().Write(&sceneFile); err != nil {
		t.Fatal(err)
	}
	stamped := stamp.Stamp{
		On:      true,
		Percent: 20,
		Opacity: 1,
		Lines:   []stamp.Line{{Place: stamp.TopLeft, Text: "hello"}},
	}
	passes := []pass.Code{pass.Beauty, pass.Denoised, pass.Depth, pass.CryptoObject}
	var files []job.File
	for _, f := range []output.Format{output.EXR, output.PNG, output.TIFF, output.DPX, output.JPEG} {
		file := job.File{Path: "plain." + f.Ext(), Encoding: f.Usual(), Passes: []pass.Code{pass.Beauty}}
		if f == output.EXR {
			file.Passes = passes
		}
		files = append(files, file)
	}
	dithered := output.PNG.Usual()
	dithered.Depth, dithered.Dither = output.Eight, pixel.Dithers()[len(pixel.Dithers())-1]
	files = append(files, job.File{Path: "dithered.png", Encoding: dithered, Passes: []pass.Code{pass.Beauty}})
	files = append(
		files,
		job.File{Path: "stamped.png", Encoding: output.PNG.Usual(), Passes: []pass.Code{pass.Beauty}, Stamp: stamped},
	)
	files = append(
		files,
		job.File{
			Path:     "small.exr",
			Encoding: output.EXR.Usual(),
			Passes:   passes,
			Size:     raster.Size{Width: 20, Height: 15},
			Kernel:   pixel.Mitchell,
		},
	)
	base := job.Job{
		Version: job.Version, Scene: "room.glb", View: job.View{Name: "v", Camera: "cam", Look: look.Plain()},
		Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001,
		Size: raster.Size{
			Width:  50,
			Height: 40,
		}, Passes: passes, Samples: 1, Filter: pixel.Gaussian, DepthBackground: 500,
		Frames: []job.Frame{{Number: 1001, Files: files}},
	}
	perform := func(j job.Job, fail string) (map[string][]byte, error) {
		written := map[string][]byte{}
		err := Perform(context.Background(), j, Outside{
			Open: func(string) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(sceneFile.Bytes())), nil },
			Create: func(path string) (framefile.File, error) {
				if path == fail {
					return nil, io.ErrShortWrite
				}
				return kept(written)(path)
			},
			Now: time.Now, Say: func(job.Message) {},
		})
		return written, err
	}
	for name, change := range map[string]func(*job.Job){
		"whole": func(*job.Job) {}, "a region": func(j *job.Job) {
			j.Region = &job.Region{X: 7, Y: 11, Width: 30,
				Height: 20}
		},
		"a region, cut out": func(j *job.Job) {
			j.Region, j.CutOut = &job.Region{X: 7, Y: 11, Width: 30, Height: 20},
				true
		},
		"spread": func(j *job.Job) { j.Effort.Splat = true },
	} {
		j := base
		change(&j)
		j.Tiles = raster.Bands(1)
		want, err := perform(j, "")
		if err != nil || len(want) != len(files) {
			t.Fatalf("%s: %d files, %v", name, len(want), err)
		}
		for _, tiling := range []raster.Tiling{raster.Bands(4), {Columns: 3, Rows: 2}} {
			j.Tiles = tiling
			got, err := perform(j, "")
			if err != nil {
				t.Fatal(err)
			}
			put, err := assembled(t, j, perform)
			if err != nil {
				t.Fatal(err)
			}
			for path, data := range want {
				if !bytes.Equal(got[path], data) {
					t.Errorf("%s in %v tiles: %s is another file", name, tiling, path)
				}
				if !bytes.Equal(put[path], data) {
					t.Errorf("%s, put together from %v tiles: %s is another file", name, tiling, path)
				}
			}
		}
		p, err := picture.Decode(want["plain.exr"])
		if err != nil {
			t.Fatal(err)
		}
		if j.Region != nil && (p.Image.Width != 30 || p.Image.Height != 20) {
			t.Errorf("%s: the picture is %d × %d", name, p.Image.Width, p.Image.Height)
		}
	}
	base.Tiles = raster.Bands(3)
	// A file that cannot be written does not take the others along, whether they come in bands or from the whole
	// picture.
	for _, path := range []string{"plain.tif", "plain.exr"} {
		got, err := perform(base, path)
		if err == nil || !strings.Contains(err.Error(), path) || got[path] != nil ||
			len(got) != len(base.Frames[0].Files)-1 {
			t.Errorf("without %s there are %d others, %v", path, len(got), err)
		}
	}
}

// assembled renders each tile of a job's frame as a job of its own, and puts the frame together from their files.
func assembled(
	t *testing.T,
	j job.Job,
	perform func(j job.Job, fail string) (map[string][]byte, error),
) (map[string][]byte, error) {
	t.Helper()
	a, tiles := job.Assembly{Job: j, Rendered: 1.5}, map[string][]byte{}
	for _, row := range j.Tiles.Tiles(j.Area()) {
		for _, tile := range row {
			one, path := j, fmt.Sprintf("tile %v", tile)
			one.Region, one.CutOut, one.Tiles = job.RegionOf(tile), true, raster.Tiling{}
			one.Frames = []job.Frame{
				{
					Number: j.Frames[0].Number,
					Files:  []job.File{{Path: path, Encoding: framefile.TileEncoding(), Passes: j.Passes}},
				},
			}
			written, err := perform(one, "")
			if err != nil {
				t.Fatal(err)
			}
			a.TileFiles = append(a.TileFiles, path)
			tiles[path] = written[path]
		}
	}
	text, err := json.Marshal(a)
	if err != nil {
		t.Fatal(err)
	}
	if a, err = job.ReadAssembly(bytes.NewReader(text)); err != nil {
		t.Fatal(err)
	}
	written, done := map[string][]byte{}, 0.0
	err = framefile.Assemble(
		context.Background(),
		a,
		func(path string) ([]byte, error) { return tiles[path], nil },
		func(d float64) { done = d },
		framefile.Outside{Create: kept(written), Wrote: func(string, int64) {}},
	)
	if done != 1 {
		t.Errorf("it came as far as %v", done)
	}
	return written, err
}

// What a file itself says of its camera leads from its depths to its positions, within 1e-4 of the distance: for each
// pixel the point is sought whose place in the picture and whose distance ahead are the pixel's, by the matrix of the
// header alone.
func TestFilesSayWhereTheirCameraStands(t *testing.T) {
	var sceneFile bytes.Buffer
	if err := room().Write(&sceneFile); err != nil {
		t.Fatal(err)
	}
	passes := []pass.Code{pass.Depth, pass.Position}
	for name, setup := range map[string]camera.Setup{
		"as it stands": {},
		"shifted": {Stand: &camera.Stand{Position: geom.Vec{X: 1, Y: 3, Z: 2}, Heading: 20, Tilt: -15, Roll: 5},
			Focal: 24, ShiftAcross: 3, ShiftUp: -4},
		"orthographic": {Stand: &camera.Stand{Position: geom.Vec{X: 1, Y: 3, Z: 2}, Heading: 20, Tilt: -15},
			Parallel: 6},
	} {
		files := map[string][]byte{}
		j := job.Job{
			Version: job.Version, Scene: "room.glb",
			View: job.View{Name: "v", Camera: "cam", Look: look.Plain(), Setup: setup},
			Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001,
			Size: raster.Size{
				Width:  40,
				Height: 30,
			}, Passes: passes, Samples: 1, Filter: pixel.Box, DepthBackground: 500,
			Frames: []job.Frame{
				{Number: 1001, Files: []job.File{{Path: "a.exr", Encoding: output.EXR.Usual(), Passes: passes}}},
			},
		}
		if err := Perform(context.Background(), j, Outside{
			Open: func(string) (io.ReadCloser, error) {
				return io.NopCloser(bytes.NewReader(sceneFile.Bytes())),
					nil
			},
			Create: kept(files), Now: time.Now, Say: func(job.Message) {},
		}); err != nil {
			t.Fatal(err)
		}
		file := files["a.exr"]
		parts, err := exr.ReadAll(file, 1<<30)
		if err != nil {
			t.Fatal(err)
		}
		m, ok := parts[0].Attributes.Get("worldToNDC").(imagefile.M44f)
		if _, camera := parts[0].Attributes.Get("worldToCamera").(imagefile.M44f); !ok || !camera {
			t.Fatalf("%s: the file has the attributes %v", name, parts[0].Attributes)
		}
		saysWhatItShows(t, name, parts[0].Attributes)
		p, err := picture.Decode(file)
		if err != nil {
			t.Fatal(err)
		}
		column := func(i int) (geom.Vec, float64) {
			return geom.Vec{X: float64(m[i]), Y: float64(m[4+i]), Z: float64(m[8+i])}, float64(m[12+i])
		}
		ax, bx := column(0)
		ay, by := column(1)
		aw, bw := column(3)
		met := 0
		for y := range 30 {
			for x := range 40 {
				depth := value(p.Image, "depth.Z", x, y)
				if depth == 500 {
					continue
				}
				met++
				w, ahead, from := depth, aw, bw
				if setup.Parallel > 0 { // the fourth number is 1, and the third the distance ahead
					w = 1
					ahead, from = column(2)
				}
				nx, ny := (float64(x)+0.5)/40, (float64(y)+0.5)/30
				// Three planes that meet in the point.
				right := geom.Vec{X: nx*w - bx, Y: ny*w - by, Z: depth - from}
				det := ax.Dot(ay.Cross(ahead))
				point := ay.Cross(ahead).
					Scale(right.X).
					Add(ahead.Cross(ax).Scale(right.Y)).
					Add(ax.Cross(ay).Scale(right.Z)).
					Scale(1 / det)
				want := geom.Vec{
					X: value(p.Image, "position.X", x, y),
					Y: value(p.Image, "position.Y", x, y),
					Z: value(p.Image, "position.Z", x, y),
				}
				if point.Sub(want).Length() > 1e-4*depth {
					t.Fatalf(
						"%s: pixel %d, %d is at %v, by its depth and the file's camera at %v", name, x, y, want, point,
					)
				}
			}
		}
		if met < 100 {
			t.Errorf("%s: %d pixels met something", name, met)
		}
	}
}

// saysWhatItShows checks what a file says of film back, field of view and clipping. With 24 mm on 36 mm a picture of
// 4:3 sees 2 atan(36 / 48) across, shifted by 3 mm: atan(21 / 24) + atan(15 / 24).
func saysWhatItShows(t *testing.T, name string, all imagefile.Attributes) {
	t.Helper()
	if clip, ok := all.Get("reelhouse:camera/clipping").(imagefile.V2f); !ok || clip[0] != 0 ||
		!math.IsInf(float64(clip[1]), 1) {
		t.Errorf("%s: the clipping is %v", name, all.Get("reelhouse:camera/clipping"))
	}
	back, hasBack := all.Get("sensorOverallDimensions").(imagefile.V2f)
	sees, _ := all.Get("reelhouse:camera/fieldOfView").(imagefile.V2f)
	extent, _ := all.Get("reelhouse:camera/extent").(imagefile.V2f)
	switch name {
	case "shifted":
		want := (math.Atan(21.0/24) + math.Atan(15.0/24)) * 180 / math.Pi
		if math.Abs(float64(sees[0])-want) > 1e-4 || !hasBack || back[0] != 36 {
			t.Errorf("%s: it sees %v over %v mm, not %v degrees across", name, sees, back, want)
		}
	case "orthographic":
		if hasBack || math.Abs(float64(extent[0]/extent[1])-4.0/3) > 1e-6 {
			t.Errorf("%s: the back is %v, the picture %v m", name, back, extent)
		}
	default:
		if !hasBack || sees[0] <= 0 || sees[1] <= 0 || back[0]/back[1] <= 0 {
			t.Errorf("%s: it sees %v over %v mm", name, sees, back)
		}
	}
}

// A file says that its frame was stopped, and how many samples it has got.
func TestFilesSayWhatEndedTheirFrame(t *testing.T) {
	var sceneFile bytes.Buffer
	if err := room().Write(&sceneFile); err != nil {
		t.Fatal(err)
	}
	files := map[string][]byte{}
	var last job.Message
	j := job.Job{
		Version: job.Version, Scene: "room.glb", View: job.View{Name: "v", Camera: "cam", Look: look.Plain()},
		Rate: frame.Rate{Numerator: 24, Denominator: 1}, FirstFrame: 1001,
		Size: raster.Size{
			Width:  40,
			Height: 30,
		}, Passes: everything[:1], Samples: 64, Filter: pixel.Box, DepthBackground: 500,
		Effort: sampling.Effort{Seconds: 1e-6},
		Frames: []job.Frame{
			{Number: 1001, Files: []job.File{{Path: "a.exr", Encoding: output.EXR.Usual(), Passes: everything[:1]}}},
		},
	}
	if err := Perform(context.Background(), j, Outside{
		Open:   func(string) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(sceneFile.Bytes())), nil },
		Create: kept(files), Now: time.Now, Memory: func() int64 { return 12345 },
		Say: func(m job.Message) {
			if m.Event == job.Wrote {
				last = m
			}
		},
	}); err != nil {
		t.Fatal(err)
	}
	p, err := picture.Decode(files["a.exr"])
	if err != nil {
		t.Fatal(err)
	}
	if got := p.Fact("stopped"); got != "by its time limit of 1e-06 s" {
		t.Errorf("the file says %q", got)
	}
	if got := p.Fact("samples"); !strings.HasSuffix(got, "a pixel of at most 4096") {
		t.Errorf("the file says %q", got)
	}
	if last.RaysPerSecond <= 0 || last.Memory != 12345 {
		t.Errorf("the last message is %+v", last)
	}
}
