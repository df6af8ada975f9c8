package screening_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"image/png"
	"mime/multipart"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/house/housetest"
	"reelhouse/web/webtest"
)

// lit returns a site whose sequence 1 has frames with two light groups and objects that can be picked.
func lit(t *testing.T) *webtest.Site {
	t.Helper()
	h, _ := housetest.New(t, "1001-1002", func(p *production.Production) {
		p.LightGroups = []pass.LightGroup{{Code: "sun", Name: "Sun", Sun: true}}
		p.PassLists = append(p.PassLists, production.PassList{
			Code: "lit", Name: "Lit", Depth: pass.UsualDepth(),
			Passes: []pass.Code{pass.Beauty, "light-sun", "light-other", pass.Depth, pass.CryptoObject},
		})
		p.Shots[0].PassList = "lit"
	})
	housetest.DrawAll(t, h)
	return webtest.Over(t, h)
}

func TestMattesArePickedKeptAndWritten(t *testing.T) {
	s := lit(t)
	const at = "/p/TEST/screen/1"
	for query, want := range map[string]string{
		"layer=cryptoobject&place=0,0,1,1":      `{"names":["floor"],"all":1}`,
		"layer=cryptoobject&place=0,0,9999,999": `{"names":["floor"],"all":1}`,
		"layer=cryptoobject&like=FLO":           `{"names":["floor"],"all":1}`,
		"layer=cryptoobject&like=ship":          `{"names":[],"all":0}`,
	} {
		if code, body := s.Get(at + "/1001/names?" + query); code != 200 || strings.TrimSpace(body) != want {
			t.Errorf("%s: %d %s", query, code, body)
		}
	}
	for query, want := range map[string]int{
		"names?layer=cryptoasset&place=0,0,1,1": 404, "names?layer=beauty&place=0,0,1,1": 404,
		"names?layer=cryptoobject&place=0,0": 400, "matte?layer=cryptoobject&names=floor&show=loud": 400,
		"matte?matte=none": 404, "graded?grade=none": 404, "lights?family=parts": 404,
	} {
		if code, body := s.Get(at + "/1001/" + query); code != want {
			t.Errorf("%s: %d %s", query, code, body)
		}
	}
	for _, other := range []string{"/p/TEST/screen/99/1001/matte", "/p/OTHER/screen/1/1001/matte",
		"/p/TEST/screen/1/7/matte?layer=cryptoobject&names=a"} {
		if code, _ := s.Get(other); code != 404 {
			t.Errorf("%s: %d", other, code)
		}
	}
	_, body := s.Get(at + "/1001/matte?layer=cryptoobject&names=floor&show=alone")
	shown, err := png.Decode(strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if r, _, _, _ := shown.At(0, 0).RGBA(); r>>8 != 255 {
		t.Errorf("what is covered is shown as %d", r>>8)
	}
	keep := func(values url.Values) string {
		t.Helper()
		_, body := s.Post(at+"/mattes", values)
		return body
	}
	body = keep(url.Values{"name": {"Floor"}, "layer": {"cryptoobject"}, "names": {"flo*"}})
	if !strings.Contains(body, `data-shown="floor"`) || len(s.Production().Mattes) != 1 {
		t.Errorf("it is not kept:\n%s", webtest.Said(body))
	}
	if body := keep(url.Values{"name": {"x"}, "layer": {"cryptoobject"}}); !strings.Contains(body, "names nothing") {
		t.Errorf("nothing was kept:\n%s", webtest.Said(body))
	}
	for _, bad := range []string{"tiff", "../exr", "exr after=1"} {
		keep(url.Values{"matte": {"floor"}, "write": {bad}})
		if made, err := s.House.Record.PicturesMade("TEST"); err != nil || len(made) > 0 {
			t.Errorf("it is written as %q: %v", bad, err)
		}
	}
	if body := keep(url.Values{"matte": {"floor"}, "write": {"png"}}); !strings.Contains(body, "matte-floor") {
		t.Errorf("it is not written:\n%s", webtest.Said(body))
	}
	if body := keep(url.Values{"matte": {"floor"}, "write": {"png"}}); !strings.Contains(body, "just as it is") {
		t.Errorf("it is written twice:\n%s", webtest.Said(body))
	}
	if body := keep(url.Values{"matte": {"floor"}, "write": {"exr"}}); !strings.Contains(body, "matte-floor-2") {
		t.Errorf("in another format it is written:\n%s", webtest.Said(body))
	}
	made, err := s.House.Record.PicturesMade("TEST")
	if err != nil || len(made) != 2 || made[0].Spec.FollowUp.Work() != plan.MatteWork ||
		!strings.Contains(made[0].Spec.Files[0].Path.Frame(1001), "matte-floor") {
		t.Errorf("%v, %v", made, err)
	}
	// It stands in the room and on the wall as a sequence of its own.
	if _, body := s.Get("/p/TEST/screening?empty=1"); !strings.Contains(body, "matte-floor") {
		t.Error("the wall does not have it")
	}
	housetest.FinishAll(t, s.House, 1000)
	if _, body := s.Get("/p/TEST/screening"); !strings.Contains(body, "/play/matte-floor\"") {
		t.Error("the wall does not show it")
	}
	if code, body := s.Get(fmt.Sprintf("/p/TEST/screening?sequence=%d", made[0].ID)); code != 200 ||
		!strings.Contains(body, "Not kept of this sequence") {
		t.Errorf("its room: %d", code)
	}
	if body := keep(url.Values{"matte": {"floor"}, "remove": {"1"}}); len(s.Production().Mattes) != 0 {
		t.Errorf("it is not removed:\n%s", webtest.Said(body))
	}
}

func TestFramesAreRelitAndGraded(t *testing.T) {
	s := lit(t)
	const at = "/p/TEST/screen/1"
	edit := func(values ...string) string {
		t.Helper()
		form := url.Values{}
		for i := 0; i < len(values); i += 2 {
			form.Add(values[i], values[i+1])
		}
		_, body := s.Post(at+"/grading", form)
		return body
	}
	red := func(query string) uint32 {
		t.Helper()
		code, body := s.Get(at + "/1001/" + query)
		shown, err := png.Decode(strings.NewReader(body))
		if code != 200 || err != nil {
			t.Fatalf("%s: %d, %v %s", query, code, err, body)
		}
		r, _, _, _ := shown.At(1, 1).RGBA()
		return r >> 8
	}
	edit("command", "grade.add", "name", "Night")
	plain := red("beauty")
	if got := red("graded?grade=night"); got != plain {
		t.Errorf("a grade that changes nothing shows %d, and the picture %d", got, plain)
	}
	if body := edit("command", "make", "grade", "night"); !strings.Contains(body, "changes nothing yet") {
		t.Errorf("it is made:\n%s", webtest.Said(body))
	}
	edit("command", "grade.light", "grade", "night", "pass", "light-sun", "intensity", "0")
	edit("command", "grade.light", "grade", "night", "pass", "light-other", "intensity", "0")
	if got := red("graded?grade=night"); got != 0 {
		t.Errorf("without any light it is %d", got)
	}
	edit("command", "grade.light", "grade", "night", "pass", "light-other", "intensity", "2")
	if got := red("graded?grade=night"); got+1 < plain || got > plain+1 {
		t.Errorf("one light twice and the other not at all show %d, and the picture %d", got, plain)
	}
	body := edit("command", "grade.light", "grade", "night", "pass", "light-sun", "intensity", "-1")
	if !strings.Contains(body, "ntensity of light-sun is to be from 0") {
		t.Errorf("less than nothing:\n%s", webtest.Said(body))
	}
	for _, command := range []string{"shot.remove", "", "production.set"} {
		before := s.Production().Number
		_, body := s.Post(at+"/grading", url.Values{"command": {command}, "grade": {"night"}, "title": {"Mine"}})
		if !strings.Contains(body, "no edit of a grade") || s.Production().Number != before {
			t.Errorf("%q is answered with %s", command, webtest.Said(body))
		}
	}
	// The light itself, as the browser gets it.
	_, body = s.Get(at + "/1001/lights?family=groups")
	length := binary.LittleEndian.Uint32([]byte(body))
	var head struct {
		Width, Height int
		Passes        []pass.Code
	}
	if err := json.Unmarshal([]byte(body[4:4+length]), &head); err != nil || len(head.Passes) != 3 ||
		len(body) != int(4+length)+6*3*head.Width*head.Height {
		t.Errorf("head %+v of %d bytes, %v", head, len(body), err)
	}
	if body := edit("command", "make", "grade", "night"); !strings.Contains(body, "grade-night") {
		t.Errorf("it is not made:\n%s", webtest.Said(body))
	}
	if body := edit("command", "make", "grade", "night"); !strings.Contains(body, "just as it is") {
		t.Errorf("it is made twice:\n%s", webtest.Said(body))
	}
	made, err := s.House.Record.PicturesMade("TEST")
	if err != nil || len(made) != 1 {
		t.Fatal(made, err)
	}
	_, body = s.Post(fmt.Sprintf("/p/TEST/screen/%d/verdicts", made[0].ID), url.Values{
		"verdict": {"approved"}, "frames": {"1001"},
	})
	if !strings.Contains(body, "decide on sequence 1") {
		t.Errorf("a verdict on what was made: %s", webtest.Said(body))
	}
	edit("command", "grade.add-step", "grade", "night", "exposure", "1")
	if body := edit("command", "make", "grade", "night"); !strings.Contains(body, "grade-night-2") {
		t.Errorf("changed, it is not made once more:\n%s", webtest.Said(body))
	}
	// Files of corrections go in and out.
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, _ := w.CreateFormFile("file", "look.cc")
	part.Write([]byte(`<ColorCorrection id="look"><SOPNode><Slope>2 1 1</Slope></SOPNode></ColorCorrection>`))
	w.WriteField("grade", "night")
	w.Close()
	r := httptest.NewRequest("POST", at+"/grading/corrections", &form)
	r.Header.Set("Content-Type", w.FormDataContentType())
	if _, body := s.Do(r); len(s.Production().Grades[0].Steps) != 2 {
		t.Errorf("the file was not taken:\n%s", webtest.Said(body))
	}
	for format, want := range map[string]string{
		"ccc": "<Slope>2 1 1</Slope>", "cdl": "ColorDecisionList", "json": `"pass": "light-other"`,
	} {
		if code, body := s.Get("/p/TEST/grades/night/" + format); code != 200 || !strings.Contains(body, want) {
			t.Errorf("%s: %d %s", format, code, body)
		}
	}
	for path, want := range map[string]int{"night/cc": 400, "night/cube": 404, "day/cdl": 404} {
		if code, _ := s.Get("/p/TEST/grades/" + path); code != want {
			t.Errorf("%s: %d", path, code)
		}
	}
	edit("command", "grade.remove", "grade", "night")
	if len(s.Production().Grades) != 0 {
		t.Error("it is still there")
	}
}

func TestPlacesAreMeasured(t *testing.T) {
	h, _ := housetest.New(t, "1001-1003", func(p *production.Production) {
		p.PassLists = append(p.PassLists, production.PassList{
			Code: "lit", Name: "Lit", Depth: pass.UsualDepth(),
			Passes: []pass.Code{pass.Beauty, pass.Position, pass.CryptoObject},
		})
		p.Shots[0].PassList = "lit"
	})
	housetest.DrawAll(t, h)
	s := webtest.Over(t, h)
	const at = "/p/TEST/screen/1"
	var found struct {
		Points []struct {
			World  [3]float64
			Known  bool
			Object string
		}
		Distance float64
		Thing    string
		Extent   struct{ Most [3]float64 }
	}
	code, body := s.Get(at + "/1001/measure?points=0,0_3,0")
	if err := json.Unmarshal([]byte(body), &found); code != 200 || err != nil || found.Distance != 3 ||
		found.Points[1].World != [3]float64{4, 1, 1} || found.Points[0].Object != housetest.Covered {
		t.Errorf("%d, %v: %s", code, err, body)
	}
	_, body = s.Get(at + "/1001/measure?points=2,1")
	if err := json.Unmarshal([]byte(body), &found); err != nil || found.Thing != housetest.Covered ||
		found.Extent.Most[0] < 10 {
		t.Errorf("%v: %s", err, body)
	}
	var along []struct {
		Frame int
		Value *float64
	}
	_, body = s.Get(at + "/along?points=0,0_3,0")
	if err := json.Unmarshal([]byte(body), &along); err != nil || len(along) != 3 || *along[2].Value != 3 ||
		along[2].Frame != 1003 {
		t.Errorf("%v: %s", err, body)
	}
	for _, bad := range []string{"", "points=1", "points=-1,0", "points=99999,0", "points=0,0_1,1_2,2", "points=a,b"} {
		if code, _ := s.Get(at + "/1001/measure?" + bad); code != 400 {
			t.Errorf("%q is answered with %d", bad, code)
		}
		if code, _ := s.Get(at + "/along?" + bad); code != 400 {
			t.Errorf("along %q is answered with %d", bad, code)
		}
	}
	flat, _ := housetest.New(t, "1001", func(p *production.Production) { p.Shots[0].PassList = "minimum" })
	housetest.DrawAll(t, flat)
	other := webtest.Over(t, flat)
	if code, body := other.Get(at + "/1001/measure?points=0,0"); code != 404 || !strings.Contains(body,
		"Neither position nor depth") {
		t.Errorf("of the picture alone: %d %s", code, webtest.Said(body))
	}
}
