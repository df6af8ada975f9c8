package kit_test

import (
	"bytes"
	"mime/multipart"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/preset"
	"reelhouse/web/webtest"
)

func TestPresetsAreSavedComparedAndPutBack(t *testing.T) {
	s := webtest.New(t)
	do := func(what string, form url.Values) string {
		t.Helper()
		form.Set("station", "standards")
		code, body := s.Post("/p/TEST/preset/"+what, form)
		if code != 200 {
			t.Fatalf("%s: %d\n%s", what, code, webtest.Said(body))
		}
		return body
	}
	standards := func(name string) url.Values { return url.Values{"kind": {"standards"}, "name": {name}} }
	do("save", standards("House & home"))
	if body := do("save", standards("house & home")); !strings.Contains(body, "already") {
		t.Errorf("a second preset of the name:\n%s", webtest.Said(body))
	}
	s.Set("size", "hd", "width", "1000")
	body := s.Set("production", "", "handles", "8")
	if !strings.Contains(body, "3 differences") || !strings.Contains(body, "sizes › hd › width") {
		t.Fatalf("differences are not shown:\n%s", webtest.Said(body))
	}
	form := standards("House & home")
	form.Set("path", `["sizes","hd","width"]`)
	if body := do("reset", form); s.Production().Sizes[1].Width != 1920 || !strings.Contains(body, "2 differences") {
		t.Errorf("one thing was not put back: %+v", s.Production().Sizes[1])
	}
	if body := do("recall", standards("House & home")); s.Production().Handles != 0 ||
		!strings.Contains(body, "Nothing differs") {
		t.Errorf("all was not put back:\n%s", webtest.Said(body))
	}
	do("save", url.Values{"kind": {"output"}, "name": {"Small"}, "output": {"proxy"}})
	s.Set("output", "proxy", "level", "33")
	_, body = s.Get("/p/TEST/output?open=proxy&against=Small")
	if !strings.Contains(body, "outputs › proxy › level") {
		t.Errorf("an output's difference is not shown:\n%s", webtest.Said(body))
	}
	do("recall", url.Values{"kind": {"output"}, "name": {"Small"}})
	if o, _ := s.Production().FindOutput("proxy"); o.Level != 90 {
		t.Errorf("the output was not recalled: %+v", o)
	}
	if body := do("recall", standards("none")); !strings.Contains(body, "choose a preset") {
		t.Errorf("a preset that is none:\n%s", webtest.Said(body))
	}
	if body := do("delete", standards("House & home")); !strings.Contains(body, "is gone") {
		t.Errorf("deleting:\n%s", webtest.Said(body))
	}
}

func TestPresetFilesGoOutAndComeIn(t *testing.T) {
	s := webtest.New(t)
	code, file := s.Get("/p/TEST/preset/file")
	p, err := preset.Read(strings.NewReader(file))
	if code != 200 || err != nil || p.Name != "Test" {
		t.Fatalf("%d, %v", code, err)
	}
	if _, file := s.Get("/p/TEST/preset/file?output=review"); !strings.Contains(file, `"kind": "output"`) {
		t.Errorf("an output's file:\n%s", file)
	}
	upload := func(text string) string {
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		part, _ := w.CreateFormFile("file", "house.json")
		part.Write([]byte(text))
		w.WriteField("station", "standards")
		w.Close()
		r := httptest.NewRequest("POST", "/p/TEST/preset/file", &b)
		r.Header.Set("Content-Type", w.FormDataContentType())
		r.Header.Set("HX-Request", "true")
		_, body := s.Do(r)
		return body
	}
	if body := upload(file); !strings.Contains(body, "Imported: the standards preset Test") {
		t.Errorf("a good file:\n%s", webtest.Said(body))
	}
	for text, says := range map[string]string{file: "already", file[:len(file)/2]: "was not imported", "": "line 1",
		strings.Replace(file, `"width": 2048`, `"width": -1`, 1): "size scope"} {
		if body := upload(text); !strings.Contains(body, says) {
			t.Errorf("want %q:\n%s", says, webtest.Said(body))
		}
	}
	if all, _ := s.House.Record.Presets(preset.Standards); len(all) != 1 {
		t.Errorf("there are %d presets", len(all))
	}
}
