package house_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/cut"
	"reelhouse/core/delivery"
	"reelhouse/core/edit"
	"reelhouse/core/frame"
	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/movie"
	"reelhouse/core/output"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// deliveredAll hands on what a recipe names, and returns where it lies.
func deliveredAll(t *testing.T, h *house.House, d delivery.Delivery) string {
	t.Helper()
	if d.Refused() {
		t.Fatalf("it is refused: %+v", d.Findings)
	}
	begun, err := h.BeginDelivery(d, "", store.Author{Name: "Bo"})
	if err != nil {
		t.Fatal(err)
	}
	if err := h.Deliver(t.Context(), begun, by, nil); err != nil {
		t.Fatal(err)
	}
	return begun.Folder
}

// code returns the code of 255 that sRGB has for light.
func code(light float32) float64 { return 255 * pixel.SRGB.Encode(float64(light)) }

// A recipe of a movie and a contact sheet hands on both, and no rendered file; the movie's frames are those of the
// shot, as ffmpeg decodes them, and the sheet's text is found by pdftotext.
func TestAMovieAndAContactSheetAreHandedOn(t *testing.T) {
	h, _ := housetest.New(t, "1001-1012")
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), Movie: new(true), Contact: new(true), Shown: new("every"),
		Nth: new(4),
	})
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.SetDelivery{
		Delivery: "edit", Files: new(false), Slate: new(true),
	}); err != nil {
		t.Fatal(err)
	}
	d := plannedDelivery(t, h)
	var names []string
	for _, f := range d.Contents() {
		names = append(names, f.To)
	}
	if fmt.Sprint(names) != "[contact_sheet.pdf movies/010_v_hd.mp4]" {
		t.Fatalf("%v", names)
	}
	folder := deliveredAll(t, h, d)
	if got := verified(t, folder); got != "[]" {
		t.Error(got)
	}
	path := filepath.Join(folder, "movies/010_v_hd.mp4")
	facts, width, height, err := h.Assets.Movies.Facts(t.Context(), path)
	if err != nil || facts.Frames != 24+12 || facts.Rate != (frame.Rate{Numerator: 24, Denominator: 1}) ||
		width%2+height%2 != 0 {
		t.Fatalf("%+v, %d × %d, %v", facts, width, height, err)
	}
	shown, err := h.Assets.Movies.Frames(t.Context(), path, facts, 24, 12)
	if err != nil || len(shown) != 12 {
		t.Fatal(err)
	}
	for n, codes := range shown {
		light := housetest.Light(1001 + n)
		at := 3 * (codes.Height/4*codes.Width + codes.Width/2)
		for c := range 3 {
			if d := float64(codes.Bytes[at+c]) - code(light[c]); math.Abs(d) > 4 {
				t.Errorf("frame %d has %v, want %v", 1001+n, codes.Bytes[at:at+3], light)
			}
		}
	}
	text, err := exec.Command("pdftotext", filepath.Join(folder, "contact_sheet.pdf"), "-").Output()
	if err != nil || !strings.Contains(string(text), "frame 1009") || strings.Contains(string(text), "frame 1010") {
		t.Errorf("%v\n%s", err, text)
	}
	// Made again, nothing has changed.
	if c := delivery.Compare(d.Contents(), plannedDelivery(t, h).Contents()); c.Same != 2 ||
		len(c.Added)+len(c.Changed)+len(c.Gone) > 0 {
		t.Errorf("%+v", c)
	}
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.SetDelivery{
		Delivery: "edit", Nth: new(5),
	}); err != nil {
		t.Fatal(err)
	}
	if c := delivery.Compare(d.Contents(), plannedDelivery(t, h).Contents()); fmt.Sprint(c.Changed) !=
		"[contact_sheet.pdf]" || c.Same != 1 {
		t.Errorf("%+v", c)
	}
}

// A picture that is not what was judged stops what is made of it, and nothing is left that looks complete.
func TestNothingIsMadeOfWhatIsNotWhatWasJudged(t *testing.T) {
	h, b := housetest.New(t, "1001-1004")
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{Delivery: "delivery1", Code: new("edit"), Movie: new(true)})
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.SetDelivery{
		Delivery: "edit", Files: new(false),
	}); err != nil {
		t.Fatal(err)
	}
	d := plannedDelivery(t, h)
	begun, err := h.BeginDelivery(d, "", store.Author{})
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(h.Output(), b.Sequences[0].Spec.Files[0].Path.Frame(1003))
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	other := bytes.Clone(data)
	other[len(other)-9] ^= 1
	if err := os.WriteFile(path, other, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := h.Deliver(t.Context(), begun, by, nil); err == nil ||
		!strings.Contains(err.Error(), "not what was judged") {
		t.Fatal(err)
	}
	entries, err := os.ReadDir(filepath.Join(begun.Folder, "movies"))
	if err != nil || len(entries) > 0 {
		t.Errorf("%v is left, %v", entries, err)
	}
	if err := os.WriteFile(path, data, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := h.Deliver(t.Context(), begun, by, nil); err != nil {
		t.Error(err)
	}
}

// The movie of a cut shows the frames that the cut shows, with its speeds, black where it shows nothing, and its sound.
func TestTheMovieOfTheCut(t *testing.T) {
	h, _ := housetest.New(t, "1001-1010", func(p *production.Production) {
		p.Cut = cut.Cut{Tracks: []cut.Track{{Clips: []cut.Clip{
			{Shot: "010", Record: 0, Length: 5, Source: 1003},
			{Shot: "010", Record: 8, Length: 6, Source: 1001, Speed: cut.Speed{Over: 1, Under: 2}},
			{Shot: "010", Record: 14, Length: 4, Source: 1009, Speed: cut.Hold},
		}}}}
	})
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), Movie: new(true), Subject: new("cut"), Codec: new("ffv1"),
	})
	d := plannedDelivery(t, h)
	folder := deliveredAll(t, h, d)
	path := filepath.Join(folder, "movies/cut.mkv")
	facts, _, _, err := h.Assets.Movies.Facts(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	shown, err := h.Assets.Movies.Frames(t.Context(), path, facts, 0, 100)
	if err != nil || len(shown) != 18 {
		t.Fatal(len(shown), err)
	}
	want := []int{1003, 1004, 1005, 1006, 1007, 0, 0, 0, 1001, 1001, 1002, 1002, 1003, 1003, 1009, 1009, 1009, 1009}
	for n, codes := range shown {
		light := [3]float32{}
		if want[n] > 0 {
			light = housetest.Light(want[n])
		}
		at := 6 * (codes.Height/4*codes.Width + codes.Width/2)
		for c := range 3 {
			got := float64(int(codes.Bytes[at+2*c])<<8|int(codes.Bytes[at+2*c+1])) / 257
			if math.Abs(got-code(light[c])) > 0.3 { // as exact as the halfs of the master
				t.Errorf("frame %d of the cut is not %d", n, want[n])
				break
			}
		}
	}
	for _, text := range []string{"3 frames, which are black"} {
		if !strings.Contains(fmt.Sprint(d.Findings), text) {
			t.Errorf("it is not said that there are %s: %+v", text, d.Findings)
		}
	}
}

// What the cut shows and is not there refuses it, unless frames are to be held.
func TestHeldFramesAreAskedFor(t *testing.T) {
	h, _ := housetest.New(t, "1001-1004", func(p *production.Production) {
		p.Cut = cut.Cut{Tracks: []cut.Track{{Clips: []cut.Clip{{Shot: "010", Length: 6, Source: 1001}}}}}
	})
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), Movie: new(true), Subject: new("cut"), Codec: new("gif"),
	})
	if d := plannedDelivery(t, h); !d.Refused() || !strings.Contains(fmt.Sprint(d.Findings),
		"the cut shows frames of 010 that are not good: 1005-1006") {
		t.Errorf("%+v", d.Findings)
	}
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.SetDelivery{
		Delivery: "edit", Hold: new(true),
	}); err != nil {
		t.Fatal(err)
	}
	d := plannedDelivery(t, h)
	if !strings.Contains(fmt.Sprint(d.Findings), "the cut has 2 held frames") ||
		*d.Movies[0].Frames[5].Missing != 1006 {
		t.Errorf("%+v", d.Findings)
	}
	facts, _, _, err := h.Assets.Movies.Facts(t.Context(), filepath.Join(deliveredAll(t, h, d), "movies/cut.gif"))
	if err != nil || facts.Frames != 6 {
		t.Errorf("%+v, %v", facts, err)
	}
}

// turned is a production whose only shot goes round the middle of the floor in four views.
func turned(p *production.Production) {
	p.Looks[0].Background = look.Background{Kind: look.Transparent}
	ring := camera.Rig{
		Kind: camera.Ring, Code: "turn", Name: "Turn", Camera: "cam", Look: p.Looks[0].Code, Subject: geom.Vec{Y: 0.5},
		Count: 4, Radius: 6, Height: 1, Arc: 360,
	}
	if err := p.SetRig(ring, nil); err != nil {
		panic(err)
	}
	p.Shots[0].View = "turn"
}

// A sprite sheet of four views and three poses: the pictures by themselves are what the JSON cuts out of it, pivots lie
// where the subject is, and previews move.
func TestSpriteSheetsAreHandedOn(t *testing.T) {
	h, _ := housetest.New(t, "1001-1003", turned)
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{Delivery: "delivery1", Code: new("edit"), Sprites: new(true), Packing: new("tight")})
	d := plannedDelivery(t, h)
	if strings.Contains(fmt.Sprint(d.Findings), "differ") {
		t.Errorf("cells of one ring differ: %+v", d.Findings)
	}
	folder := deliveredAll(t, h, d)
	var said struct {
		Picture string
		Cells   []struct {
			Name, Pose                              string
			Angle, Left, Top, Width, Height         int
			InLeft, InTop, WholeWidth, WholeHeight  int
			PivotX, PivotY, Seconds, PixelsPerMetre float64
		}
	}
	data, err := os.ReadFile(filepath.Join(folder, "sprites/010_hd.json"))
	if err := errors.Join(err, json.Unmarshal(data, &said)); err != nil || len(said.Cells) != 12 {
		t.Fatal(err, len(said.Cells))
	}
	open := func(name string) image.Image {
		t.Helper()
		f, err := os.Open(filepath.Join(folder, name))
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		img, err := png.Decode(f)
		if err != nil {
			t.Fatal(err)
		}
		return img
	}
	sheet := open("sprites/" + said.Picture)
	for _, c := range said.Cells {
		single := open(c.Name)
		if c.WholeHeight != 256 || single.Bounds().Dx() != c.WholeWidth {
			t.Fatalf("%+v", c)
		}
		for y := range c.Height {
			for x := range c.Width {
				if single.At(c.InLeft+x, c.InTop+y) != sheet.At(c.Left+x, c.Top+y) {
					t.Fatalf("%s: pixel %d, %d is another one", c.Name, x, y)
				}
			}
		}
		if math.Abs(c.PivotX+float64(c.InLeft)-float64(c.WholeWidth)/2) > 0.6 ||
			math.Abs(c.PivotY+float64(c.InTop)-128) > 0.6 { // what a ring looks at is in the middle
			t.Errorf("%s: the pivot is at %v, %v", c.Name, c.PivotX, c.PivotY)
		}
	}
	_, _, _, nothing := open(said.Cells[0].Name).At(2, 250).RGBA()
	if nothing != 0 {
		t.Error("what nothing covers is not transparent")
	}
	if _, err := os.Stat(filepath.Join(folder, "sprites/010_hd/preview_090.gif")); err != nil {
		t.Error(err)
	}
}

// Without ffmpeg a movie is refused with how to get it; the rest goes out.
func TestWithoutFFmpegAMovieIsRefused(t *testing.T) {
	h, _ := housetest.New(t, "1001-1002")
	housetest.DrawAll(t, h)
	h.Assets.Movies.FFmpeg = filepath.Join(t.TempDir(), "none")
	recipe(t, h, edit.SetDelivery{Delivery: "delivery1", Code: new("edit"), Movie: new(true)})
	if d := plannedDelivery(t, h); !d.Refused() || !strings.Contains(fmt.Sprint(d.Findings), "install") {
		t.Errorf("%+v", d.Findings)
	}
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.SetDelivery{
		Delivery: "edit", Movie: new(false),
	}); err != nil {
		t.Fatal(err)
	}
	deliveredAll(t, h, plannedDelivery(t, h))
}

// Files are encoded anew in the form of an output: format, depth, size, stamp and colour, without that anything was
// rendered in it. Read by picture.Open, they are what a renderer would have made of the same light.
func TestFilesAreEncodedAnew(t *testing.T) {
	h, _ := housetest.New(t, "1001-1003", func(p *production.Production) {
		for i := range p.Outputs {
			if p.Outputs[i].Code == "review" {
				p.Outputs[i].Depth, p.Outputs[i].Stamp.On = output.Sixteen, false
				p.Outputs[i].Scale = raster.Reduction{Divisor: 2}
			}
		}
	})
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), As: new("review"), Pattern: new("(shot)_(frame:2).(ext)"),
		First: &edit.First{Number: 1, Given: true},
	})
	d := plannedDelivery(t, h)
	if len(d.Files) != 3 || d.Files[0].To != "010_01.png" || len(d.Forms) != 1 ||
		d.Forms[0].Size.Width*2 > d.Forms[0].Source.Width+1 {
		t.Fatalf("%+v", d.Files)
	}
	folder := deliveredAll(t, h, d)
	for n, f := range d.Files {
		data, err := os.ReadFile(filepath.Join(folder, f.To))
		if err != nil {
			t.Fatal(err)
		}
		p, err := picture.Decode(data)
		if err != nil || p.Image.Width != d.Forms[0].Size.Width || p.Encoding.Depth != output.Sixteen ||
			p.Encoding.Format != "png" {
			t.Fatalf("%+v, %v", p.Encoding, err)
		}
		light := housetest.Light(1001 + n)
		at := p.Image.Height/4*p.Image.Width + p.Image.Width/2
		for c, plane := range p.Image.Planes[:3] {
			if d := float64(plane.Data[at] - light[c]); math.Abs(d) > 0.001 {
				t.Errorf("%s: channel %d is %v, want %v", f.To, c, plane.Data[at], light[c])
			}
		}
		if !strings.Contains(fmt.Sprint(p.Facts), "shot 010") {
			t.Errorf("%s does not say what it is: %v", f.To, p.Facts)
		}
	}
	if got := verified(t, folder); got != "[]" {
		t.Error(got)
	}
	// Another form makes other files, the same one the same.
	if c := delivery.Compare(d.Contents(), plannedDelivery(t, h).Contents()); c.Same != 3 {
		t.Errorf("%+v", c)
	}
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.SetOutput{
		Output: "review", Depth: new("8"),
	}); err != nil {
		t.Fatal(err)
	}
	if c := delivery.Compare(d.Contents(), plannedDelivery(t, h).Contents()); len(c.Changed) != 3 {
		t.Errorf("%+v", c)
	}
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.SetDelivery{
		Delivery: "edit", As: new("nothing"),
	}); err == nil || !strings.Contains(err.Error(), "there is no output") {
		t.Error(err)
	}
}

// Cameras and the cut go along, as they are now; what cannot be is said.
func TestCamerasAndTheCutGoAlong(t *testing.T) {
	h, _ := housetest.New(t, "1001-1003")
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), Cameras: new("usda"), Cut: new("otio"),
	})
	if d := plannedDelivery(t, h); !strings.Contains(fmt.Sprint(d.Findings), "there is no cut that could go along") {
		t.Errorf("%+v", d.Findings)
	}
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.RebuildCut{}); err != nil {
		t.Fatal(err)
	}
	folder := deliveredAll(t, h, plannedDelivery(t, h))
	for name, says := range map[string]string{"cameras.usda": "def Camera", "cut.otio": "Timeline"} {
		data, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil || !strings.Contains(string(data), says) {
			t.Errorf("%s: %v\n%s", name, err, data)
		}
	}
	if got := verified(t, folder); got != "[]" {
		t.Error(got)
	}
}

// A leader comes before a sequence that is encoded anew, in its form, numbered below its first frame.
func TestALeaderComesFirst(t *testing.T) {
	h, _ := housetest.New(t, "1001-1002")
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), As: new("proxy"), Leader: new(2), Pattern: new("(frame:4).(ext)"),
	})
	d := plannedDelivery(t, h)
	var names []string
	for _, f := range d.Files {
		names = append(names, f.To)
	}
	if fmt.Sprint(names) != "[0999.jpg 1000.jpg 1001.jpg 1002.jpg]" {
		t.Fatal(names)
	}
	folder := deliveredAll(t, h, d)
	for _, name := range names {
		data, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil {
			t.Fatal(err)
		}
		p, err := picture.Decode(data)
		if err != nil {
			t.Fatal(err)
		}
		dark := p.Image.Planes[0].Data[p.Image.Height/2*p.Image.Width+p.Image.Width/2] < 0.03
		if dark != (name < "1001") {
			t.Errorf("%s is dark: %v", name, dark)
		}
	}
	if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, edit.SetDelivery{
		Delivery: "edit", As: new(""),
	}); err == nil || !strings.Contains(err.Error(), "leader") {
		t.Error(err)
	}
}

// Colours of a movie with alpha are straight, or multiplied by it, as the recipe says.
func TestAlphaOfMoviesIsStraightOrMultiplied(t *testing.T) {
	h, _ := housetest.New(t, "1001-1002")
	housetest.DrawAll(t, h)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), Movie: new(true), Codec: new("ffv1"),
	})
	set := func(change edit.SetDelivery) {
		t.Helper()
		change.Delivery = "edit"
		if _, _, err := h.Do("TEST", house.Editing{Seen: store.Any}, change); err != nil {
			t.Fatal(err)
		}
	}
	var frames [2][]byte
	for i := range frames {
		set(edit.SetDelivery{Alpha: new(true), Multiply: new(i == 1)})
		d := plannedDelivery(t, h)
		if want := []string{"has straight alpha", "has premultiplied alpha"}[i]; !strings.Contains(
			fmt.Sprint(d.Findings), want,
		) {
			t.Errorf("it is not said that it %s: %+v", want, d.Findings)
		}
		e := movie.Encoding{Codec: movie.FFV1, Size: d.Movies[0].Size}
		path := filepath.Join(deliveredAll(t, h, d), d.Movies[0].File)
		facts, _, _, err := h.Assets.Movies.Facts(t.Context(), path)
		if err != nil {
			t.Fatal(err)
		}
		if frames[i], err = h.Assets.Movies.Frame(t.Context(), e, path, facts, 0); err != nil {
			t.Fatal(err)
		}
	}
	code := func(frame []byte, i, c int) int { return int(frame[8*i+2*c])<<8 | int(frame[8*i+2*c+1]) }
	between := 0
	for i := range len(frames[0]) / 8 {
		alpha := code(frames[0], i, 3)
		if alpha == 0 || alpha == 65535 {
			continue
		}
		between++
		straight, multiplied := code(frames[0], i, 0), code(frames[1], i, 0)
		if want := straight * alpha / 65535; multiplied < want-2 || multiplied > want+2 {
			t.Fatalf("pixel %d: %d of alpha %d became %d", i, straight, alpha, multiplied)
		}
	}
	if between == 0 {
		t.Error("no pixel is covered in part")
	}
}
