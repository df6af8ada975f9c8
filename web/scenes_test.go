package web

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"mime/multipart"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// bring uploads files by their names, or takes one of the folder incoming in.
func (s *site) bring(incoming string, files map[string][]byte) string {
	s.t.Helper()
	return s.upload("/p/TEST/scene", map[string]string{"incoming": incoming}, files)
}

// upload sends a form with files by their names.
func (s *site) upload(path string, fields map[string]string, files map[string][]byte) string {
	s.t.Helper()
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for name, value := range fields {
		m.WriteField(name, value)
	}
	for name, data := range files {
		part, err := m.CreateFormFile("file", name)
		if err != nil {
			s.t.Fatal(err)
		}
		part.Write(data)
	}
	m.Close()
	r := httptest.NewRequest("POST", path, &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	r.Header.Set("HX-Request", "true")
	_, body := s.do(r)
	return body
}

// sceneFiles is a scene of a triangle with a camera, its numbers in a file of their own.
func sceneFiles(camera string, height float64) (scene, numbers []byte) {
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

func (s *site) says(body string, texts ...string) {
	s.t.Helper()
	for _, text := range texts {
		if !strings.Contains(body, text) {
			s.t.Errorf("the page does not say %q:\n%s", text, body)
		}
	}
}

func TestScenesOfSeveralFilesAreTakenIn(t *testing.T) {
	s := newSite(t)
	scene, numbers := sceneFiles("cam", 2)
	s.says(
		s.bring("", map[string][]byte{"floor.gltf": scene}), "floor.gltf was not imported",
		"floor.bin&#34; did not come with the scene",
	)
	s.says(s.bring("", map[string][]byte{"floor.gltf": scene, "other.glb": scene}), "two scene files")
	s.says(s.bring("", map[string][]byte{"floor.bin": numbers, "x.png": nil}), "no .gltf or .glb file among them")
	if body := s.bring("", map[string][]byte{"floor.gltf": scene, "floor.bin": numbers}); !strings.Contains(
		body, "by a test",
	) {
		t.Errorf("both files:\n%s", body)
	}
	p := s.production()
	if p.Scene.Name != "floor.gltf" || p.Scene.Before == "" {
		t.Errorf("the production has %+v", p.Scene)
	}
	if _, err := s.house.Assets.Scene(p.Scene); err != nil {
		t.Error(err)
	}
	// The same files again are the same scene, and what was before stays so.
	s.bring("", map[string][]byte{"floor.bin": numbers, "floor.gltf": scene})
	if now := s.production().Scene; now != p.Scene {
		t.Errorf("the same files made %+v of %+v", now, p.Scene)
	}
}

func TestANewerFileIsCompared(t *testing.T) {
	s := newSite(t)
	scene, numbers := sceneFiles("cam_new", 3)
	body := s.bring("", map[string][]byte{"floor.gltf": scene, "floor.bin": numbers})
	s.says(
		body, "Different from the file before", "is gone", "is new",
		"View v looks through cam, which is not in the scene",
	)
	if p := s.production(); len(p.Views) != 2 || p.Views[1].Camera != "cam_new" {
		t.Errorf("views are %+v", p.Views)
	}
	s.undo("scenes")
	if _, body := s.get("/p/TEST/scenes"); strings.Contains(body, "Different from") {
		t.Error("after undo, it is still compared")
	}
}

func TestScenesOfTheFolderIncoming(t *testing.T) {
	s := newSite(t)
	scene, numbers := sceneFiles("cam", 2)
	folder := filepath.Join(s.house.Dir, "incoming", "set")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"floor.gltf": scene, "floor.bin": numbers, "notes.txt": []byte("x"),
		"broken.glb": []byte("glTF")} {
		if err := os.WriteFile(filepath.Join(folder, name), data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	_, body := s.get("/p/TEST/scenes")
	s.says(body, "<option>set/broken.glb</option><option>set/floor.gltf</option>")
	if strings.Contains(body, "notes.txt") {
		t.Error("a text is offered as a scene")
	}
	s.says(s.bring("set/broken.glb", nil), "set/broken.glb was not imported", "cut short")
	s.says(s.bring("../secret.glb", nil), "there is no &#34;../secret.glb&#34; in the folder incoming")
	s.bring("set/floor.gltf", nil)
	if p := s.production(); p.Scene.Name != "floor.gltf" {
		t.Errorf("the production has %+v", p.Scene)
	}
}

func TestTheUnitOfASceneIsCorrected(t *testing.T) {
	s := newSite(t)
	_, body := s.get("/p/TEST/scenes")
	s.says(body, "18 × 0 × 18 m", "a swimming pool", "as it is now")
	_, body = s.post("/p/TEST/edit/scene", url.Values{"field": {"unit"}, "value": {"0.01"}, "station": {"scenes"}})
	s.says(body, "0.18 × 0 × 0.18 m", "like a sheet of paper", "2 nodes")
	scene, err := s.house.Assets.Scene(s.production().Scene)
	if err != nil {
		t.Fatal(err)
	}
	if at := scene.At(0).World[scene.FindCamera("cam")].Origin; at.Y != 0.02 || at.Z != 0.05 {
		t.Errorf("the camera stands at %v", at)
	}
	for _, wrong := range []string{"0", "-1", "x", "1e9", "NaN"} {
		_, body := s.post("/p/TEST/edit/scene", url.Values{"field": {"unit"}, "value": {wrong}, "station": {"scenes"}})
		s.says(body, "is not a number")
	}
	if s.production().Scene.Unit != 0.01 {
		t.Error("a mistake changed the unit")
	}
	// A newer file of the same house is most likely in the same unit.
	file, numbers := sceneFiles("cam", 2)
	s.bring("", map[string][]byte{"floor.gltf": file, "floor.bin": numbers})
	if s.production().Scene.Unit != 0.01 {
		t.Error("a newer file lost the unit")
	}
}

func TestASceneOfAFileIsChosen(t *testing.T) {
	s := newSite(t)
	const two = `{"asset":{"version":"2.0"},"scene":1,"scenes":[{"name":"day","nodes":[0]},{"name":"night",
		"nodes":[1]}],
		"nodes":[{"name":"cam_day","camera":0},{"name":"cam","camera":0}],"cameras":[{"type":"perspective",
			"perspective":{"yfov":1,"aspectRatio":1.5,"znear":0.1}}]}`
	s.says(
		s.bring("", map[string][]byte{"two.gltf": []byte(two)}), "The file holds several",
		`<option value="1">day</option>`, `<option value="2" selected>night</option>`,
	)
	choose := func(number string) string {
		_, body := s.post(
			"/p/TEST/edit/scene", url.Values{"field": {"number"}, "value": {number}, "station": {"scenes"}},
		)
		return body
	}
	s.says(choose("1"), "cam_day", "View v looks through cam, which is not in the scene")
	s.says(choose("3"), "no scene 3")
	if p := s.production(); p.Scene.Number != 1 {
		t.Errorf("the scene is %+v", p.Scene)
	}
}

// A file that is not read here is kept as it came, under its own ending; its cameras become views, and nothing else is
// claimed.
func TestAnOpaqueSceneIsRegistered(t *testing.T) {
	s := newSite(t)
	send := func(cameras, last string, file []byte) string {
		return s.upload(
			"/p/TEST/scene/opaque", map[string]string{"cameras": cameras, "last": last, "station": "scenes"},
			map[string][]byte{"harbour.Stage": file},
		)
	}
	s.says(send("", "", []byte("x")), "no camera is named")
	s.says(send("a,a", "", []byte("x")), "named twice")
	s.says(send("a", "900", []byte("x")), "from 1001 on")
	s.says(send("a", "", nil), "is empty")
	s.says(s.upload("/p/TEST/scene/opaque", map[string]string{"cameras": "a"}, nil), "choose the scene file")
	s.says(
		send("wide, close up", "1048", []byte("something of its own")), "harbour.Stage", "outside renderer only",
		"wide, close up", "1001–1048", "View v looks through cam",
	)
	p := s.production()
	if len(p.Views) != 3 || p.Views[2].Code != "close_up" || p.Views[2].Camera != "close up" {
		t.Errorf("views %+v", p.Views)
	}
	if data, err := os.ReadFile(s.house.Assets.ScenePath(p.Scene)); err != nil ||
		string(data) != "something of its own" ||
		filepath.Ext(s.house.Assets.ScenePath(p.Scene)) != ".stage" {
		t.Errorf("kept at %s: %q, %v", s.house.Assets.ScenePath(p.Scene), data, err)
	}
	_, body := s.get("/p/TEST/views?open=wide")
	s.says(body, "read by its own renderer only", "close up")
	for _, path := range []string{"/p/TEST/preview?view=wide&step=0", "/p/TEST/cameras?format=usda"} {
		if code, body := s.get(path); code == 200 {
			t.Errorf("%s answers %s", path, body)
		}
	}
	if d, err := s.house.Draft(p.Production); err != nil || d.Sendable(false) && len(d.Findings) == 0 {
		t.Errorf("draft %+v, %v", d.Findings, err)
	}
	// A file that is read takes its place.
	scene, numbers := sceneFiles("cam", 2)
	s.says(s.bring("", map[string][]byte{"new.gltf": scene, "floor.bin": numbers}), "Imported: new.gltf")
	if p := s.production(); p.Scene.Opaque != nil {
		t.Errorf("the scene is %+v", p.Scene)
	}
}
