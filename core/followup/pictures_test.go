package followup

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/framefile"
	"reelhouse/core/grade"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
)

type readFile struct{ *bytes.Reader }

func (readFile) Close() error { return nil }

// A memoryFile is a file that is written into a map.
type memoryFile struct {
	data  []byte
	at    int64
	name  string
	files map[string][]byte
}

func (f *memoryFile) Write(p []byte) (int, error) {
	if need := int(f.at) + len(p); need > len(f.data) {
		f.data = append(f.data, make([]byte, need-len(f.data))...)
	}
	copy(f.data[f.at:], p)
	f.at += int64(len(p))
	return len(p), nil
}

func (f *memoryFile) Seek(offset int64, whence int) (int64, error) {
	switch whence {
	case io.SeekCurrent:
		offset += f.at
	case io.SeekEnd:
		offset += int64(len(f.data))
	}
	f.at = offset
	return offset, nil
}

func (f *memoryFile) Commit() (int64, error) {
	f.files[f.name] = f.data
	return int64(len(f.data)), nil
}

func (f *memoryFile) Abandon() {}

const wide, high = 30, 150 // more than two bands

var layered = []pass.Code{pass.Beauty, "light-sun", "light-other", pass.Depth, pass.CryptoObject}

// litFrame returns a file with all that pictures are made from: the left half is a boat, of which the sun gives three
// quarters of the light, and depth grows to the right.
func litFrame(t *testing.T) []byte {
	t.Helper()
	var names []string
	for _, code := range layered {
		p, err := pass.Find(code)
		if err != nil {
			t.Fatal(err)
		}
		names = append(names, p.ChannelNames()...)
	}
	img := pixel.New(wide, high, names...)
	for i := range wide * high {
		x := i % wide
		light := float32(1+i%7) / 8
		for _, c := range []string{"R", "G", "B"} {
			img.Plane(c).Data[i] = light
			img.Plane("light-sun." + c).Data[i] = light * 0.75
			img.Plane("light-other." + c).Data[i] = light * 0.25
		}
		img.Plane("A").Data[i] = 1
		img.Plane("depth.Z").Data[i] = float32(x)
		name := "boat"
		if x >= wide/2 {
			name = "water"
		}
		img.Plane("CryptoObject00.R").Data[i], img.Plane("CryptoObject00.G").Data[i] = pass.ID(name), 1
	}
	p, _ := pass.Find(pass.CryptoObject)
	var b bytes.Buffer
	err := picture.Encode(&b, output.EXR.Usual(), img, layered, picture.Header{
		Attributes: picture.Cryptomatte(p, pass.Manifest([]string{"boat", "water"})), FocalLength: 35,
	})
	if err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// pictureOrder returns an order of pictures of a frame that is in the file "in".
func pictureOrder(kind string, passes []pass.Code, encodings ...output.Encoding) job.FollowUp {
	j := job.Job{
		Version: job.Version, Scene: "scene", Rate: frame.Rate{Numerator: 24, Denominator: 1},
		Size: raster.Size{Width: wide, Height: high}, Passes: passes, Frames: []job.Frame{{Number: 1001}},
	}
	for i, e := range encodings {
		j.Frames[0].Files = append(j.Frames[0].Files, job.File{Path: fmt.Sprint("out", i), Encoding: e, Passes: passes})
	}
	return job.FollowUp{
		Version: job.Version, Kind: kind, Picture: &j,
		Inputs: []job.Input{{Frame: 1001, Name: "in", Path: "in", Passes: layered, Read: layered}},
	}
}

func makePictures(t *testing.T, order job.FollowUp, in []byte) (map[string][]byte, error) {
	t.Helper()
	files := map[string][]byte{}
	disk := PictureDisk{
		Open: func(string) (File, int64, error) { return readFile{bytes.NewReader(in)}, int64(len(in)), nil },
		Create: func(path string) (framefile.File, error) {
			return &memoryFile{name: path, files: files}, nil
		},
	}
	wrote := 0
	err := DoPictures(context.Background(), order, disk, func(m job.Message) {
		if m.Event == job.Wrote {
			wrote++
		}
	})
	if err == nil && wrote != len(files) {
		t.Errorf("%d files are told of %d", wrote, len(files))
	}
	return files, err
}

func TestAMatteIsWrittenAsPictures(t *testing.T) {
	png := output.PNG.Usual()
	png.Alpha, png.Curve = output.NoAlpha, pixel.Linear
	order := pictureOrder("matte-boat", []pass.Code{pass.MattePass("boat")}, output.EXR.Usual(), png)
	order.Matte = &pass.Matte{Code: "boat", Layer: pass.CryptoObject, Names: []string{"boa*"}}
	files, err := makePictures(t, order, litFrame(t))
	if err != nil {
		t.Fatal(err)
	}
	for name, channel := range map[string]string{"out0": "matte-boat.R", "out1": "R"} {
		p, err := picture.Decode(files[name])
		if err != nil {
			t.Fatal(err)
		}
		for i, v := range p.Image.Plane(channel).Data {
			want := float32(1)
			if i%wide >= wide/2 {
				want = 0
			}
			if v != want {
				t.Fatalf("%s: pixel %d is %v, want %v", name, i, v, want)
			}
		}
	}
}

func TestAGradeIsDoneToPictures(t *testing.T) {
	in := litFrame(t)
	frozen := func(g grade.Grade) *grade.Frozen {
		t.Helper()
		boat := pass.Matte{Code: "boat", Layer: pass.CryptoObject, Names: []string{"boat"}}
		f, err := g.Freeze(layered, []pass.LightGroup{{Code: "sun"}}, func(string) (pass.Matte, bool) {
			return boat, true
		})
		if err != nil {
			t.Fatal(err)
		}
		return &f
	}
	order := pictureOrder("grade-night", []pass.Code{pass.Beauty}, output.EXR.Usual())
	order.Grade = frozen(grade.Grade{
		Code: "night", Lights: []grade.Gain{{Pass: "light-sun", Intensity: 0}},
		Steps: []grade.Step{
			{Exposure: 2, CDL: grade.Neutral(), Mask: grade.Mask{Matte: "boat"}},
			{Exposure: -1, CDL: grade.Neutral(), Mask: grade.Mask{Near: 10, Far: 19}},
		},
	})
	files, err := makePictures(t, order, in)
	if err != nil {
		t.Fatal(err)
	}
	p, err := picture.Decode(files["out0"])
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range p.Image.Plane("G").Data {
		want := float64(1+i%7) / 8 * 0.25
		if i%wide < wide/2 {
			want *= 4
		}
		if i%wide >= 10 && i%wide <= 19 {
			want /= 2
		}
		if math.Abs(float64(v)-want) > 1e-3 {
			t.Fatalf("pixel %d is %v, want %v", i, v, want)
		}
	}
	if fact := p.Fact("nominalFocalLength"); !strings.HasPrefix(fact, "35") {
		t.Errorf("the lens is %s", fact)
	}
	// A light that is three quarters of all is changed by itself, where the rest was not kept.
	rest := pictureOrder("grade-night", []pass.Code{pass.Beauty}, output.EXR.Usual())
	rest.Inputs[0].Read = []pass.Code{pass.Beauty, "light-sun"}
	g := grade.Grade{Code: "night", Lights: []grade.Gain{{Pass: "light-sun", Intensity: 0}}}
	f, err := g.Freeze(rest.Inputs[0].Read, []pass.LightGroup{{Code: "sun"}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	rest.Grade = &f
	if files, err = makePictures(t, rest, in); err != nil {
		t.Fatal(err)
	}
	if p, err = picture.Decode(files["out0"]); err != nil || p.Image.Plane("R").Data[6] != 7.0/8*0.25 {
		t.Errorf("it is %v, %v", p.Image.Plane("R").Data[6], err)
	}
	// To be looked at, it is made smaller; without a grade it is the picture.
	small, err := Picture(context.Background(), order, func(string) (File, int64, error) {
		return readFile{bytes.NewReader(in)}, int64(len(in)), nil
	}, 7)
	if err != nil || small.Width != wide/7 || small.Height != high/7 {
		t.Errorf("%v, %v", small, err)
	}
	lights, err := Lights(context.Background(), order, func(string) (File, int64, error) {
		return readFile{bytes.NewReader(in)}, int64(len(in)), nil
	}, 1, []pass.Code{"light-sun"})
	if err != nil || len(lights.Planes) != 6 || lights.Planes[3].Data[6] != 7.0/8*0.75 {
		t.Errorf("lights are %v, %v", lights.Planes, err)
	}
}

func TestOrdersOfPicturesThatCannotBe(t *testing.T) {
	in := litFrame(t)
	for says, change := range map[string]func(o *job.FollowUp){
		"no input holds cryptomaterial": func(o *job.FollowUp) { o.Matte.Layer = pass.CryptoMaterial },
		"is to have":                    func(o *job.FollowUp) { o.Picture.Size.Width = 31 },
		"no kind that makes":            func(o *job.FollowUp) { o.Picture = nil },
		"CryptoAsset": func(o *job.FollowUp) {
			o.Matte.Layer = pass.CryptoAsset
			o.Inputs[0].Read = append(o.Inputs[0].Read, pass.CryptoAsset)
		},
	} {
		order := pictureOrder("matte-boat", []pass.Code{pass.MattePass("boat")}, output.EXR.Usual())
		order.Inputs[0].Read = append([]pass.Code(nil), layered...)
		order.Matte = &pass.Matte{Code: "boat", Layer: pass.CryptoObject, Names: []string{"boat"}}
		change(&order)
		files, err := makePictures(t, order, in)
		if err == nil || !strings.Contains(err.Error(), says) || len(files) > 0 {
			t.Errorf("%s: %v, %d files", says, err, len(files))
		}
	}
	order := pictureOrder("matte-boat", []pass.Code{pass.MattePass("boat")}, output.EXR.Usual())
	order.Matte = &pass.Matte{Code: "boat", Layer: pass.CryptoObject, Names: []string{"boat"}}
	if _, err := makePictures(t, order, in[:len(in)/2]); err == nil {
		t.Error("half a file is enough")
	}
}

// BenchmarkGradedFrame grades frames of 2048 x 858 pixels with eight lights, from OpenEXR to OpenEXR.
func BenchmarkGradedFrame(b *testing.B) {
	lit := []pass.Code{pass.Beauty}
	for _, group := range []string{"a", "b", "c", "d", "e", "f", "g", "other"} {
		lit = append(lit, pass.LightCode(group))
	}
	exposure := grade.Grade{Steps: []grade.Step{{Exposure: 1, CDL: grade.Neutral()}}}
	relit := exposure
	relit.Lights = []grade.Gain{{Pass: "light-a", Intensity: 0.1}}
	b.Run("lights", func(b *testing.B) { benchmarkGraded(b, relit, lit) })
	b.Run("exposure", func(b *testing.B) { benchmarkGraded(b, exposure, lit) })
	b.Run("exposure of the picture alone", func(b *testing.B) { benchmarkGraded(b, exposure, lit[:1]) })
}

// benchmarkGraded grades frames of files that hold some passes.
func benchmarkGraded(b *testing.B, g grade.Grade, codes []pass.Code) {
	const width, height = 2048, 858
	var names []string
	for _, code := range codes {
		p, _ := pass.Find(code)
		names = append(names, p.ChannelNames()...)
	}
	img := pixel.New(width, height, names...)
	for c := range img.Planes {
		for i := range img.Planes[c].Data {
			img.Planes[c].Data[i] = float32((i*(c+3))%997) / 700
		}
	}
	var file bytes.Buffer
	if err := picture.Encode(&file, output.EXR.Usual(), img, codes, picture.Header{}); err != nil {
		b.Fatal(err)
	}
	order := pictureOrder("grade-a", []pass.Code{pass.Beauty}, output.EXR.Usual())
	order.Picture.Size = raster.Size{Width: width, Height: height}
	order.Inputs[0].Passes, order.Inputs[0].Read = codes, codes
	groups := []pass.LightGroup{}
	for _, code := range codes[1:] {
		if group, _ := code.LightGroup(); group != "other" {
			groups = append(groups, pass.LightGroup{Code: group})
		}
	}
	f, err := g.Freeze(codes, groups, nil)
	if err != nil {
		b.Fatal(err)
	}
	order.Grade = &f
	b.ReportAllocs()
	for b.Loop() {
		files := map[string][]byte{}
		disk := PictureDisk{
			Open: func(string) (File, int64, error) {
				return readFile{bytes.NewReader(file.Bytes())}, int64(file.Len()), nil
			},
			Create: func(path string) (framefile.File, error) {
				return &memoryFile{name: path, files: files}, nil
			},
		}
		if err := DoPictures(context.Background(), order, disk, func(job.Message) {}); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "frames/s")
}
