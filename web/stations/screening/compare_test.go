package screening_test

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"testing"

	"reelhouse/core/camera"
	"reelhouse/core/production"
	"reelhouse/house/housetest"
	"reelhouse/web/webtest"
)

func TestFramesAreHeldAgainstEachOther(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	_, second := s.Finish()
	base := fmt.Sprintf("/p/TEST/screen/%d/%d/against/", sequence, number)
	with := fmt.Sprintf("?with=s%d&number=%d", sequence, second)
	answer := s.Ask("GET", base+"beauty"+with, func(*http.Request) {})
	if answer.Code != 200 || !strings.Contains(answer.Header().Get("X-Mapping"), "no%20value%20differs") {
		t.Errorf("%d %s", answer.Code, answer.Header().Get("X-Mapping"))
	}
	for query, want := range map[string]int{
		"beauty": http.StatusBadRequest, "beauty?with=x": http.StatusBadRequest, "beauty?with=s99": http.StatusNotFound,
		"beauty?with=r1": http.StatusNotFound, "beauty" + with + "9": http.StatusNotFound,
		"beauty" + with + "&gain=0": http.StatusBadRequest, "beauty" + with + "&gain=x": http.StatusBadRequest,
		"position" + with: http.StatusBadRequest, "beauty" + with + "&pass=depth": http.StatusBadRequest,
	} {
		if code := s.Ask("GET", base+query, func(*http.Request) {}).Code; code != want {
			t.Errorf("%s: %d", query, code)
		}
	}
	_, body := s.Get(fmt.Sprintf("/p/TEST/screening?sequence=%d&with=s99", sequence))
	s.Says(body, "is not there any more")
}

func TestReferencesAreTakenIn(t *testing.T) {
	s := webtest.New(t)
	sequence, number := s.Finish()
	var picture bytes.Buffer
	if err := png.Encode(&picture, image.NewRGBA(image.Rect(0, 0, 8, 4))); err != nil {
		t.Fatal(err)
	}
	fields := map[string]string{"sequence": fmt.Sprint(sequence), "frame": fmt.Sprint(number)}
	for name, content := range map[string][]byte{
		"notes.txt": []byte("no picture"), "cut.png": picture.Bytes()[:40], "empty.png": nil,
	} {
		if body := s.Upload("/p/TEST/references", fields, map[string][]byte{name: content}); !strings.Contains(body,
			strings.TrimSuffix(name, ".png")) {
			t.Errorf("%s: %s", name, body)
		}
	}
	if all, err := s.House.Record.References("TEST"); err != nil || len(all) != 0 {
		t.Fatalf("%d references are there, %v", len(all), err)
	}
	for range 2 { // the same one twice is one
		s.Upload("/p/TEST/references", fields, map[string][]byte{"plate.png": picture.Bytes()})
	}
	all, err := s.House.Record.References("test")
	if err != nil || len(all) != 1 || all[0].Width != 8 || all[0].Height != 4 {
		t.Fatalf("%+v, %v", all, err)
	}
	for path, want := range map[string]int{
		"references/1/5/beauty": 200, "references/2/5/beauty": 404, "references/x/5/beauty": 404,
		fmt.Sprintf("screen/%d/%d/against/beauty?with=r1", sequence, number): 200,
	} {
		if code := s.Ask("GET", "/p/TEST/"+path, func(*http.Request) {}).Code; code != want {
			t.Errorf("%s: %d", path, code)
		}
	}
	_, body := s.Get(fmt.Sprintf("/p/TEST/screening?sequence=%d&with=r1", sequence))
	s.Says(body, "data-still", `<option value="r1" selected>`, "Remove")
	s.Post("/p/TEST/references/1/remove", nil)
	if all, err := s.House.Record.References("TEST"); err != nil || len(all) != 0 {
		t.Errorf("%+v, %v", all, err)
	}
	_, body = s.Post("/p/TEST/references/1/remove", nil)
	s.Says(body, "There is nothing here")
}

// A movie is a reference, too: its frames are asked for by number, and held against those of a sequence. Where ffmpeg
// is missing that is said, and pictures go on.
func TestMoviesAreReferences(t *testing.T) {
	film, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"color=s=16x8:r=25:d=1,format=gbrp,geq=r='5*N':g=60:b=9", "-c:v", "ffv1", "-f", "matroska", "-").Output()
	if errors.Is(err, exec.ErrNotFound) {
		t.Skip("ffmpeg (Debian's ffmpeg) is not there")
	} else if err != nil {
		t.Fatal(err)
	}
	s := webtest.New(t)
	sequence, number := s.Finish()
	fields := map[string]string{"sequence": fmt.Sprint(sequence), "frame": fmt.Sprint(number)}
	s.House.Assets.Movies.FFmpeg = "/nowhere/ffmpeg"
	body := s.Upload("/p/TEST/references", fields, map[string][]byte{"film.mkv": film})
	s.Says(body, "it is a movie (Matroska)", "install Debian&#39;s package ffmpeg")
	s.House.Assets.Movies.FFmpeg = ""
	s.Says(s.Upload("/p/TEST/references", fields, map[string][]byte{"cut.mkv": film[:200]}), "as a movie, ")
	s.Upload("/p/TEST/references", fields, map[string][]byte{"film.mkv": film})
	all, err := s.House.Record.References("TEST")
	if err != nil || len(all) != 1 || all[0].Movie.Frames != 25 || all[0].Width != 16 {
		t.Fatalf("%+v, %v", all, err)
	}
	for n := range 25 {
		_, body := s.Get(fmt.Sprintf("/p/TEST/references/1/%d/beauty", n))
		img, err := png.Decode(strings.NewReader(body))
		if err != nil {
			t.Fatalf("frame %d: %v\n%s", n, err, webtest.Said(body))
		}
		if got, want := img.At(3, 3), (color.NRGBA{uint8(5 * n), 60, 9, 255}); color.NRGBAModel.Convert(got) != want {
			t.Errorf("frame %d is %v, want %v", n, got, want)
		}
	}
	for path, want := range map[string]int{
		"references/1/24/play/beauty": 200, "references/1/25/play/beauty": 404, "references/1/-1/beauty": 404,
		"references/1/x/beauty": 400, "references/9/0/play/beauty": 404,
		fmt.Sprintf("screen/%d/%d/against/beauty?with=r1&number=24", sequence, number): 200,
		fmt.Sprintf("screen/%d/%d/against/beauty?with=r1&number=25", sequence, number): 404,
		fmt.Sprintf("screen/%d/%d/against/beauty?with=r1&number=x", sequence, number):  400,
	} {
		if code := s.Ask("GET", "/p/TEST/"+path, func(*http.Request) {}).Code; code != want {
			t.Errorf("%s: %d, want %d", path, code, want)
		}
	}
	_, body = s.Get(fmt.Sprintf("/p/TEST/screening?sequence=%d&with=r1", sequence))
	s.Says(body, `data-frames="25"`, `data-rate="25"`, "25 frames, 25 fps, ffv1", "Frames further")
	if err := os.Remove(s.House.Assets.ReferencePath(all[0].Reference)); err != nil {
		t.Fatal(err)
	}
	if code := s.Ask("GET", "/p/TEST/references/1/0/beauty", func(*http.Request) {}).Code; code != http.StatusOK {
		t.Errorf("what is kept is shown without its file: %d", code)
	}
}

// The other eye of a stereo pair is the first that is offered, by its role; and the left eye is the first that is
// shown, whichever is in the room.
func TestTheOtherEyeIsOfferedFirst(t *testing.T) {
	h, b := housetest.New(t, "1001", func(p *production.Production) {
		base := p.Views[0]
		pair := camera.Rig{
			Kind: camera.Pair, Code: "eyes", Name: "Eyes", View: base.Code, Separation: 0.1, Left: "L", Right: "R",
		}
		if err := p.SetRig(pair, func(production.View) (float64, error) { return 50, nil }); err != nil {
			t.Fatal(err)
		}
		p.Shots[0].View, p.Shots[0].Also = base.Code, []string{"eyes"}
	})
	s := webtest.Over(t, h)
	by := map[string]int64{}
	for _, q := range b.Sequences {
		s.Finish()
		by[q.Spec.View[strings.LastIndexByte(q.Spec.View, '_')+1:]] = q.ID
	}
	if len(by) != 3 {
		t.Fatalf("the batch has %v", by)
	}
	for _, c := range []struct{ in, with, says string }{{"L", "R", "right eye: "}, {"R", "L", "left eye: "}} {
		address := fmt.Sprintf("/p/TEST/screening?sequence=%d", by[c.in])
		_, body := s.Get(address)
		first := fmt.Sprintf(`<option value="">nothing</option>
            <option value="s%d">%s`, by[c.with], c.says)
		s.Says(body, first)
		_, body = s.Get(fmt.Sprintf("%s&with=s%d", address, by[c.with]))
		s.Says(body, "Swap eyes")
		if swapped := strings.Contains(body, "data-swapped"); swapped != (c.in == "R") {
			t.Errorf("%s in the room: swapped is %v", c.in, swapped)
		}
	}
}
