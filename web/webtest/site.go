// Package webtest serves a small house to tests of pages, and posts to it as pages do.
package webtest

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"log/slog"
	"maps"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/labstack/echo/v5"

	"reelhouse/core/camera"
	"reelhouse/core/edit"
	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/farm"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/preview"
	"reelhouse/store"
	"reelhouse/web"
	"reelhouse/web/kit"
)

// A Site is a server without a running node, over a house with the production TEST and one batch of it.
type Site struct {
	T       testing.TB
	Handler http.Handler
	House   *house.House
	Batch   store.Batch
	Hub     *farm.Hub
	App     *kit.App
	Routes  echo.Routes
}

// New returns a site that ends with the test.
func New(t testing.TB) *Site {
	t.Helper()
	h, b := housetest.New(t, "1001-1003")
	s := Over(t, h)
	s.Batch = b
	return s
}

// Over returns a site over a house.
func Over(t testing.TB, h *house.House) *Site {
	t.Helper()
	log, hub := slog.New(slog.DiscardHandler), farm.NewHub()
	app, e, err := web.New(web.Server{
		House: h, Node: farm.Farm{Nodes: []*farm.Node{{Name: "here", House: h, Hub: hub, Log: log}}}, Changes: hub,
		Thumbs:   preview.NewThumbs(h, nil),
		Previews: preview.New(h), Log: log, Version: "test", Hosts: []string{"example.com"},
	})
	if err != nil {
		t.Fatal(err)
	}
	return &Site{T: t, Handler: e, House: h, Hub: hub, App: app, Routes: e.Router().Routes()}
}

var saying = regexp.MustCompile(
	`(?s)<(?:p|span)[^>]*(?:class="mistake"|id="notice"|id="impact")[^>]*>(.*?)</(?:p|span)>`,
)

// Said returns what a page says to what was done: its notice and its mistakes.
func Said(body string) string {
	var all []string
	for _, m := range saying.FindAllStringSubmatch(body, -1) {
		all = append(all, m[1])
	}
	return strings.Join(all, "\n")
}

// Set edits one field and returns the page.
func (s *Site) Set(kind, of, field string, values ...string) string {
	s.T.Helper()
	form := url.Values{"of": {of}, "field": {field}, "values": values, "station": {"standards"}}
	if len(values) > 0 {
		form.Set("value", values[0])
	}
	code, body := s.Post("/p/TEST/edit/"+kind, form)
	if code != 200 {
		s.T.Fatalf("%s %s %s %v: %d\n%s", kind, of, field, values, code, Said(body))
	}
	return body
}

// Edits posts fields of a part and returns the answer.
func (s *Site) Edits(kind string, pairs ...string) string {
	s.T.Helper()
	form := url.Values{"station": {"batch"}}
	for i := 0; i < len(pairs); i += 2 {
		form.Add(pairs[i], pairs[i+1])
	}
	code, body := s.Post("/p/TEST/edit/"+kind, form)
	if code != 200 {
		s.T.Errorf("%s %v: %d", kind, pairs, code)
	}
	return body
}

// Draft returns what would be sent of the production.
func Draft(t *testing.T, s *Site) plan.Batch {
	t.Helper()
	d, err := s.House.Draft(s.Production().Production)
	if err != nil {
		t.Fatal(err)
	}
	return d.Batch
}

// Ask sends a request as it stands.
func (s *Site) Ask(method, target string, change func(r *http.Request)) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, target, nil)
	change(r)
	w := httptest.NewRecorder()
	s.Handler.ServeHTTP(w, r)
	return w
}

// Finish makes a frame good by hand, with a file whose depth is 7.2 m everywhere but in its first pixel.
func (s *Site) Finish() (sequence int64, number int) {
	s.T.Helper()
	l, err := s.House.Record.Lease("hand")
	if err != nil {
		s.T.Fatal(err)
	}
	size := l.Sequence.Spec.Size
	img := pixel.New(
		size.Width, size.Height, "R", "G", "B", "A", "depth.Z", "normal.X", "normal.Y", "normal.Z", "object.R",
		"object.G", "object.B",
	)
	for i := range img.Plane("depth.Z").Data {
		img.Plane("depth.Z").Data[i] = 7.2
		img.Plane("R").Data[i] = 0.18
	}
	img.Plane("depth.Z").Data[0] = 1000
	var b bytes.Buffer
	if err := picture.Encode(&b, output.EXR.Usual(), img, l.Sequence.Spec.Passes,
		picture.Header{Rate: frame.Rate{Numerator: 24, Denominator: 1}}); err != nil {
		s.T.Fatal(err)
	}
	path := l.Sequence.Spec.Files[0].Path.Frame(l.Number)
	full := filepath.Join(s.House.Output(), path)
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		s.T.Fatal(err)
	}
	if err := os.WriteFile(full, b.Bytes(), 0o644); err != nil {
		s.T.Fatal(err)
	}
	if err := s.House.Record.Check(l); err != nil {
		s.T.Fatal(err)
	}
	if err := s.House.Record.Accept(l, 1, []store.File{{Path: path, Bytes: int64(b.Len()),
		SHA256: strings.Repeat("ab", 32)}}, "by hand"); err != nil {
		s.T.Fatal(err)
	}
	return l.SequenceID, l.Number
}

// EditLook edits a field of a look, as its page does, and returns the page.
func (s *Site) EditLook(code, field string, values ...string) string {
	s.T.Helper()
	form := url.Values{"of": {code}, "field": {field}, "station": {"views"}, "look": {code}, "values": values}
	if len(values) == 1 {
		form["value"] = values
	}
	_, body := s.Post("/p/TEST/edit/look", form)
	return body
}

// Look returns a look as it is kept.
func (s *Site) Look(code string) look.Look {
	s.T.Helper()
	l, ok := s.Production().FindLook(code)
	if !ok {
		s.T.Fatalf("there is no look %s", code)
	}
	return l
}

// EditRig edits a field of the first ring, and returns the page.
func (s *Site) EditRig(field, value string) string {
	s.T.Helper()
	form := url.Values{"of": {"ring1"}, "field": {field}, "value": {value}, "station": {"views"}}
	if field == "add" {
		form.Set("of", "")
	}
	_, body := s.Post("/p/TEST/edit/rig", form)
	return body
}

// Bring uploads files by their names, or takes one of the folder incoming in.
func (s *Site) Bring(incoming string, files map[string][]byte) string {
	s.T.Helper()
	return s.Upload("/p/TEST/scene", map[string]string{"incoming": incoming}, files)
}

// Upload sends a form with files by their names.
func (s *Site) Upload(path string, fields map[string]string, files map[string][]byte) string {
	s.T.Helper()
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for name, value := range fields {
		m.WriteField(name, value)
	}
	for name, data := range files {
		part, err := m.CreateFormFile("file", name)
		if err != nil {
			s.T.Fatal(err)
		}
		part.Write(data)
	}
	m.Close()
	r := httptest.NewRequest("POST", path, &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	r.Header.Set("HX-Request", "true")
	_, body := s.Do(r)
	return body
}

// SceneFiles is a scene of a triangle with a camera, its numbers in a file of their own.
func SceneFiles(camera string, height float64) (scene, numbers []byte) {
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, []float32{-9, 0, 9, 9, 0, 9, 0, 0, -9})
	scene = fmt.Appendf(
		nil,
		`{"asset":{"version":"2.0","generator":"a test"},"scene":0,"scenes":[{"nodes":[0,1]}],"nodes":[{"name":"floor",
			"mesh":0},{"name":%q,"camera":0,"translation":[0,%v,5]}],
		"meshes":[{"name":"floor","primitives":[{"attributes":{"POSITION":0}}]}],"cameras":[{"type":"perspective",
			"perspective":{"yfov":1,"aspectRatio":1.5,"znear":0.1}}],
		"buffers":[{"byteLength":36,"uri":"floor.bin"}],"bufferViews":[{"buffer":0,"byteLength":36}],
			"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[-9,0,-9],"max":[9,0,9]}]}`,
		camera,
		height,
	)
	return scene, b.Bytes()
}

// Says fails if a page does not say all of the texts.
func (s *Site) Says(body string, texts ...string) {
	s.T.Helper()
	for _, text := range texts {
		if !strings.Contains(body, text) {
			s.T.Errorf("the page does not say %q:\n%s", text, body)
		}
	}
}

// EditView edits a field of the view v, as its page does, and returns the page.
func (s *Site) EditView(field, value string) string {
	s.T.Helper()
	_, body := s.Post(
		"/p/TEST/edit/view",
		url.Values{
			"of": {"v"}, "field": {field}, "value": {value}, "frame": {"1001"}, "station": {"views"}, "open": {"v"},
		},
	)
	return body
}

// MoveView posts an edit that moves the camera of view v, with pairs of its fields.
func (s *Site) MoveView(command string, pairs ...string) string {
	s.T.Helper()
	form := url.Values{"of": {"v"}, "frame": {"1001"}, "station": {"views"}, "open": {"v"}}
	for i := 0; i < len(pairs); i += 2 {
		form.Set("set."+pairs[i], pairs[i+1])
	}
	_, body := s.Post("/p/TEST/edit/view."+command, form)
	return body
}

// Setup returns how the camera of the first view is set up.
func (s *Site) Setup() camera.Setup {
	s.T.Helper()
	return s.Production().Views[0].Setup
}

// Do answers a request with its status and body.
func (s *Site) Do(r *http.Request) (int, string) {
	s.T.Helper()
	w := httptest.NewRecorder()
	s.Handler.ServeHTTP(w, r)
	return w.Code, w.Body.String()
}

// Get asks for a page.
func (s *Site) Get(path string) (int, string) {
	return s.Do(httptest.NewRequest("GET", path, nil))
}

// Post posts a form as a page does.
func (s *Site) Post(path string, form url.Values) (int, string) {
	form = maps.Clone(form)
	if form == nil {
		form = url.Values{}
	}
	if !form.Has("seen") {
		form.Set("seen", fmt.Sprint(s.Production().Number))
	}
	if command, ok := strings.CutPrefix(path, "/p/TEST/edit/"); ok {
		path += asCommand(command, form)
	}
	r := httptest.NewRequest("POST", path, strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("HX-Request", "true")
	return s.Do(r)
}

// asCommand returns what is missing of a command's name, as the controls of pages have it: "set" unless the field is an
// action, and the commands of locks, burn-ins and groups.
func asCommand(command string, form url.Values) (missing string) {
	field := form.Get("field")
	if strings.Contains(command, ".") {
		return ""
	}
	if slices.Contains(edit.Names(), command+"."+field) {
		form.Del("field")
		return "." + field
	}
	for prefix, other := range map[string][3]string{
		"lock-": {".lock", "locked", "set.quantity"}, "stamp-": {".stamp", "", ""},
		"group-": {".group", "group", "set.pass"},
	} {
		if rest, ok := strings.CutPrefix(field, prefix); ok {
			if form.Set("field", rest); other[1] != "" {
				form.Set("field", other[1])
				form.Set(other[2], rest)
			}
			return other[0]
		}
	}
	return ".set"
}

// Undo undoes what the page offers to undo.
func (s *Site) Undo(station string) string {
	s.T.Helper()
	steps, err := s.House.Record.Steps("TEST", store.Author{})
	if err != nil || steps.Undo == nil {
		s.T.Fatalf("nothing to undo: %v", err)
	}
	_, body := s.Post("/p/TEST/undo", url.Values{"station": {station}, "number": {fmt.Sprint(steps.Undo.Number)}})
	return body
}

// Plain posts as a form without scripts does, so that the answer's status tells.
func (s *Site) Plain(path string, form url.Values) (int, string) {
	r := httptest.NewRequest("POST", path, strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return s.Do(r)
}

// Production returns the production TEST as it is kept.
func (s *Site) Production() store.Revision {
	s.T.Helper()
	p, err := s.House.Record.Production("TEST")
	if err != nil {
		s.T.Fatal(err)
	}
	return p
}
