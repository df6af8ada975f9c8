package screening_test

import (
	"bytes"
	"fmt"
	"image/jpeg"
	"io"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"reelhouse/core/edit"
	"reelhouse/core/output"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

func TestFramesArePlayedFromViewingFiles(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	address := fmt.Sprintf("/p/TEST/screen/%d/%d/play/beauty", sequence, number)
	ask := func(address string) *httptest.ResponseRecorder {
		return s.Ask("GET", address, func(*http.Request) {})
	}
	answer := ask(address)
	img, err := jpeg.Decode(answer.Body)
	if err != nil || answer.Code != 200 || !strings.Contains(answer.Header().Get("X-Mapping"), "viewing%20file") {
		t.Fatalf("%d, %v, %s", answer.Code, err, answer.Header().Get("X-Mapping"))
	}
	// 0.18 becomes code 118 of sRGB (IEC 61966-2-1) in red; a JPEG file comes near it.
	if r, _, _, _ := img.At(3, 3).RGBA(); math.Abs(float64(r>>8)-118) > 3 {
		t.Errorf("red is %d", r>>8)
	}
	kept, err := filepath.Glob(filepath.Join(s.House.Viewing(), "*", "*.jpg"))
	if err != nil || len(kept) != 1 {
		t.Fatalf("%v, %v", kept, err)
	}
	for address, want := range map[string]int{
		fmt.Sprintf("/p/TEST/screen/%d/%d/play/depth", sequence, number):            200,
		fmt.Sprintf("/p/TEST/screen/%d/%d/play/position", sequence, number):         404,
		fmt.Sprintf("/p/TEST/screen/%d/%d/play/beauty?viewing=x", sequence, number): 400,
		fmt.Sprintf("/p/TEST/screen/%d/%d/beauty?viewing=soft", sequence, number):   200,
		fmt.Sprintf("/p/TEST/screen/%d/%d/beauty?viewing=x", sequence, number):      400,
		fmt.Sprintf("/p/TEST/screen/%d/%d/play/beauty", sequence, 999):              404,
		fmt.Sprintf("/p/TEST/screen/%d/%d/play/beauty", 99, number):                 404,
	} {
		if got := ask(address).Code; got != want {
			t.Errorf("%s: %d", address, got)
		}
	}
	// They may be deleted at any time; one that was cut off is made again.
	if err := os.WriteFile(kept[0], []byte("\xff\xd8\xff\xfe\x00\x04ab"), 0o644); err != nil {
		t.Fatal(err)
	}
	other := webtest.Over(t, s.House) // whose memory is empty
	again := other.Ask("GET", address, func(*http.Request) {})
	if _, err := jpeg.Decode(again.Body); err != nil || again.Code != 200 {
		t.Errorf("%d, %v", again.Code, err)
	}
	if err := os.RemoveAll(s.House.Viewing()); err != nil {
		t.Fatal(err)
	}
	if code := webtest.Over(t, s.House).Ask("GET", address, func(*http.Request) {}).Code; code != 200 {
		t.Errorf("%d", code)
	}
}

// looked returns a house with good frames of 2048 x 858 pixels, of four channels as half floats, and the address of
// their sequence.
func looked(b *testing.B, frames int) (*webtest.Site, string) {
	b.Helper()
	h, _ := housetest.New(b, fmt.Sprintf("1001-%d", 1000+frames), func(p *production.Production) {
		p.Qualities[0].Scale = raster.Reduction{Percent: 100}
		p.Shots[0].Sizes = []string{"scope"}
	})
	s := webtest.Over(b, h)
	var sequence int64
	for range frames {
		l, err := h.Record.Lease("hand")
		if err != nil {
			b.Fatal(err)
		}
		sequence = l.SequenceID
		size := l.Sequence.Spec.Size
		img := pixel.New(size.Width, size.Height, "R", "G", "B", "A")
		for i := range size.Width * size.Height {
			x, y := i%size.Width, i/size.Width
			for k := range 3 { // soft shapes with a little noise
				noise := float64((uint32(i)*2654435761+uint32(l.Number*k))>>24)/255 - 0.5
				img.Planes[k].Data[i] = float32(0.3 + 0.25*math.Sin(float64(x+10*l.Number)/90+float64(k)) +
					0.1*math.Cos(float64(y)/40) + 0.02*noise)
			}
			img.Planes[3].Data[i] = 1
		}
		var file bytes.Buffer
		passes := l.Sequence.Spec.Passes[:1]
		if err := picture.Encode(&file, output.EXR.Usual(), img, passes, picture.Header{}); err != nil {
			b.Fatal(err)
		}
		path := l.Sequence.Spec.Files[0].Path.Frame(l.Number)
		full := filepath.Join(h.Output(), path)
		if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
			b.Fatal(err)
		}
		if err := os.WriteFile(full, file.Bytes(), 0o644); err != nil {
			b.Fatal(err)
		}
		if err := h.Record.Check(l); err != nil {
			b.Fatal(err)
		}
		if err := h.Record.Accept(l, 1, []store.File{{
			Path: path, Bytes: int64(file.Len()), SHA256: fmt.Sprintf("%064x", l.Number),
		}}, "by hand"); err != nil {
			b.Fatal(err)
		}
	}
	return s, fmt.Sprintf("/p/TEST/screen/%d", sequence)
}

func fetch(b *testing.B, s *webtest.Site, address string) {
	b.Helper()
	answer := s.Ask("GET", address, func(*http.Request) {})
	if n, err := io.Copy(io.Discard, answer.Body); err != nil || answer.Code != 200 || n == 0 {
		b.Fatalf("%s: %d, %v", address, answer.Code, err)
	}
}

// BenchmarkFirstFrame answers with the first frame of a sequence of which nothing is in memory: read from a file of
// 2048 x 858 pixels with four channels as half floats, and encoded for the screen.
func BenchmarkFirstFrame(b *testing.B) {
	s, base := looked(b, 1)
	for b.Loop() {
		b.StopTimer()
		fresh := webtest.Over(b, s.House)
		runtime.GC() // of what that has left
		b.StartTimer()
		fetch(b, fresh, base+"/1001/beauty")
	}
}

// BenchmarkPassSwitch answers with another way of looking at a frame that was just shown.
func BenchmarkPassSwitch(b *testing.B) {
	s, base := looked(b, 1)
	fetch(b, s, base+"/1001/beauty")
	for b.Loop() {
		fetch(b, s, base+"/1001/beauty?channel=R")
	}
}

// BenchmarkMakeViewingFiles makes viewing files of frames, as when these become good.
func BenchmarkMakeViewingFiles(b *testing.B) {
	s, base := looked(b, 8)
	frames := 0
	for b.Loop() {
		b.StopTimer()
		if err := os.RemoveAll(s.House.Viewing()); err != nil {
			b.Fatal(err)
		}
		fresh := webtest.Over(b, s.House)
		runtime.GC() // of what that has left
		b.StartTimer()
		for n := 1001; n <= 1008; n++ {
			fetch(b, fresh, fmt.Sprintf("%s/%d/play/beauty", base, n))
			frames++
		}
	}
	b.ReportMetric(float64(frames)/b.Elapsed().Seconds(), "frames/s")
}

// BenchmarkPlay answers with frames that are played, from viewing files on the disk.
func BenchmarkPlay(b *testing.B) {
	s, base := looked(b, 8)
	for n := 1001; n <= 1008; n++ {
		fetch(b, s, fmt.Sprintf("%s/%d/play/beauty", base, n))
	}
	frames := 0
	for b.Loop() {
		b.StopTimer()
		fresh := webtest.Over(b, s.House)
		runtime.GC() // of what that has left
		b.StartTimer()
		for n := 1001; n <= 1008; n++ {
			fetch(b, fresh, fmt.Sprintf("%s/%d/play/beauty", base, n))
			frames++
		}
	}
	b.ReportMetric(float64(frames)/b.Elapsed().Seconds(), "frames/s")
}

// Small pictures, as on the wall, are shown through the production's transform, as soon as it is another one.
func TestSmallPicturesAreShownThroughTheTransform(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	look := func() string {
		return s.Ask(
			"GET",
			fmt.Sprintf("/p/TEST/screen/%d/%d/around", sequence, number),
			func(*http.Request) {},
		).Body.String()
	}
	before := look()
	through := string(pixel.ViewBT1886)
	if _, _, err := s.House.Do("TEST", house.Editing{}, edit.SetPicture{Viewing: &through}); err != nil {
		t.Fatal(err)
	}
	if after := look(); after == before || after == "" {
		t.Error("it is shown as before")
	}
}
