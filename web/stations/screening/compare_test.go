package screening_test

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"net/http"
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
