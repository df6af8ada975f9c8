package scenes_test

import (
	"bytes"
	"mime/multipart"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"reelhouse/web/webtest"
)

func TestScenesOfSeveralFilesAreTakenIn(t *testing.T) {
	s := webtest.New(t)
	scene, numbers := webtest.SceneFiles("cam", 2)
	s.Says(
		s.Bring("", map[string][]byte{"floor.gltf": scene}), "floor.gltf was not imported",
		"floor.bin&#34; did not come with the scene",
	)
	s.Says(s.Bring("", map[string][]byte{"floor.gltf": scene, "other.glb": scene}), "two scene files")
	s.Says(s.Bring("", map[string][]byte{"floor.bin": numbers, "x.png": nil}), "no .gltf or .glb file among them")
	if body := s.Bring("", map[string][]byte{"floor.gltf": scene, "floor.bin": numbers}); !strings.Contains(
		body, "by a test",
	) {
		t.Errorf("both files:\n%s", body)
	}
	p := s.Production()
	if p.Scene.Name != "floor.gltf" || p.Scene.Before == "" {
		t.Errorf("the production has %+v", p.Scene)
	}
	if _, err := s.House.Assets.Scene(p.Scene); err != nil {
		t.Error(err)
	}
	// The same files again are the same scene, and what was before stays so.
	s.Bring("", map[string][]byte{"floor.bin": numbers, "floor.gltf": scene})
	if now := s.Production().Scene; now != p.Scene {
		t.Errorf("the same files made %+v of %+v", now, p.Scene)
	}
}

func TestANewerFileIsCompared(t *testing.T) {
	s := webtest.New(t)
	scene, numbers := webtest.SceneFiles("cam_new", 3)
	body := s.Bring("", map[string][]byte{"floor.gltf": scene, "floor.bin": numbers})
	s.Says(
		body, "Different from the file before", "is gone", "is new",
		"View v looks through cam, which is not in the scene",
	)
	if p := s.Production(); len(p.Views) != 2 || p.Views[1].Camera != "cam_new" {
		t.Errorf("views are %+v", p.Views)
	}
	s.Undo("scenes")
	if _, body := s.Get("/p/TEST/scenes"); strings.Contains(body, "Different from") {
		t.Error("after undo, it is still compared")
	}
}

func TestScenesOfTheFolderIncoming(t *testing.T) {
	s := webtest.New(t)
	scene, numbers := webtest.SceneFiles("cam", 2)
	folder := filepath.Join(s.House.Dir, "incoming", "set")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"floor.gltf": scene, "floor.bin": numbers, "notes.txt": []byte("x"),
		"broken.glb": []byte("glTF")} {
		if err := os.WriteFile(filepath.Join(folder, name), data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	_, body := s.Get("/p/TEST/scenes")
	s.Says(body, "<option>set/broken.glb</option><option>set/floor.gltf</option>")
	if strings.Contains(body, "notes.txt") {
		t.Error("a text is offered as a scene")
	}
	s.Says(s.Bring("set/broken.glb", nil), "set/broken.glb was not imported", "cut short")
	s.Says(s.Bring("../secret.glb", nil), "there is no &#34;../secret.glb&#34; in the folder incoming")
	s.Bring("set/floor.gltf", nil)
	if p := s.Production(); p.Scene.Name != "floor.gltf" {
		t.Errorf("the production has %+v", p.Scene)
	}
}

func TestTheUnitOfASceneIsCorrected(t *testing.T) {
	s := webtest.New(t)
	_, body := s.Get("/p/TEST/scenes")
	s.Says(body, "18 × 0 × 18 m", "a swimming pool", "as it is now")
	_, body = s.Post("/p/TEST/edit/scene", url.Values{"field": {"unit"}, "value": {"0.01"}, "station": {"scenes"}})
	s.Says(body, "0.18 × 0 × 0.18 m", "about as long as a sheet of paper", "2 nodes")
	scene, err := s.House.Assets.Scene(s.Production().Scene)
	if err != nil {
		t.Fatal(err)
	}
	if at := scene.At(0).World[scene.FindCamera("cam")].Origin; at.Y != 0.02 || at.Z != 0.05 {
		t.Errorf("the camera stands at %v", at)
	}
	for _, wrong := range []string{"0", "-1", "x", "1e9", "NaN"} {
		_, body := s.Post(
			"/p/TEST/edit/scene",
			url.Values{"field": {"unit"}, "value": {wrong}, "station": {"scenes"}},
		)
		s.Says(body, "is not a number")
	}
	if s.Production().Scene.Unit != 0.01 {
		t.Error("a mistake changed the unit")
	}
	// A newer file of the same house is most likely in the same unit.
	file, numbers := webtest.SceneFiles("cam", 2)
	s.Bring("", map[string][]byte{"floor.gltf": file, "floor.bin": numbers})
	if s.Production().Scene.Unit != 0.01 {
		t.Error("a newer file lost the unit")
	}
}

func TestASceneOfAFileIsChosen(t *testing.T) {
	s := webtest.New(t)
	const two = `{"asset":{"version":"2.0"},"scene":1,"scenes":[{"name":"day","nodes":[0]},{"name":"night",
		"nodes":[1]}],
		"nodes":[{"name":"cam_day","camera":0},{"name":"cam","camera":0}],"cameras":[{"type":"perspective",
			"perspective":{"yfov":1,"aspectRatio":1.5,"znear":0.1}}]}`
	s.Says(
		s.Bring("", map[string][]byte{"two.gltf": []byte(two)}), "The file holds several",
		`<option value="1">day</option>`, `<option value="2" selected>night</option>`,
	)
	choose := func(number string) string {
		_, body := s.Post(
			"/p/TEST/edit/scene", url.Values{"field": {"number"}, "value": {number}, "station": {"scenes"}},
		)
		return body
	}
	s.Says(choose("1"), "cam_day", "View v looks through cam, which is not in the scene")
	s.Says(choose("3"), "no scene 3")
	if p := s.Production(); p.Scene.Number != 1 {
		t.Errorf("the scene is %+v", p.Scene)
	}
}

// A file that is not read here is kept as it came, under its own ending; its cameras become views, and nothing else is
// claimed.
func TestAnOpaqueSceneIsRegistered(t *testing.T) {
	s := webtest.New(t)
	send := func(cameras, last string, file []byte) string {
		return s.Upload(
			"/p/TEST/scene/opaque", map[string]string{"cameras": cameras, "last": last, "station": "scenes"},
			map[string][]byte{"harbour.Stage": file},
		)
	}
	s.Says(send("", "", []byte("x")), "no camera is named")
	s.Says(send("a,a", "", []byte("x")), "named twice")
	s.Says(send("a", "900", []byte("x")), "from 1001 on")
	s.Says(send("a", "", nil), "is empty")
	s.Says(s.Upload("/p/TEST/scene/opaque", map[string]string{"cameras": "a"}, nil), "choose the scene file")
	s.Says(
		send("wide, close up", "1048", []byte("something of its own")), "harbour.Stage", "outside renderer only",
		"wide, close up", "1001–1048", "View v looks through cam",
	)
	p := s.Production()
	if len(p.Views) != 3 || p.Views[2].Code != "close_up" || p.Views[2].Camera != "close up" {
		t.Errorf("views %+v", p.Views)
	}
	if data, err := os.ReadFile(s.House.Assets.ScenePath(p.Scene)); err != nil ||
		string(data) != "something of its own" ||
		filepath.Ext(s.House.Assets.ScenePath(p.Scene)) != ".stage" {
		t.Errorf("kept at %s: %q, %v", s.House.Assets.ScenePath(p.Scene), data, err)
	}
	_, body := s.Get("/p/TEST/views?open=wide")
	s.Says(body, "read by its own renderer only", "close up")
	for _, path := range []string{"/p/TEST/preview?view=wide&step=0", "/p/TEST/cameras?format=usda"} {
		if code, body := s.Get(path); code == 200 {
			t.Errorf("%s answers %s", path, body)
		}
	}
	if d, err := s.House.Draft(p.Production); err != nil || d.Sendable(false) && len(d.Findings) == 0 {
		t.Errorf("draft %+v, %v", d.Findings, err)
	}
	// A file that is read takes its place.
	scene, numbers := webtest.SceneFiles("cam", 2)
	s.Says(s.Bring("", map[string][]byte{"new.gltf": scene, "floor.bin": numbers}), "Imported: new.gltf")
	if p := s.Production(); p.Scene.Opaque != nil {
		t.Errorf("the scene is %+v", p.Scene)
	}
}

// Of USD text the cameras are read: their names, what they see and how they move.
func TestCamerasOfAnOpaqueSceneAreRead(t *testing.T) {
	s := webtest.New(t)
	usd, err := os.ReadFile("../../../core/usd/testdata/harbour.usda")
	if err != nil {
		t.Fatal(err)
	}
	send := func(data []byte) string {
		return s.Upload(
			"/p/TEST/scene/opaque", map[string]string{"cameras": "", "last": "", "station": "scenes"},
			map[string][]byte{"harbour.usda": data},
		)
	}
	s.Says(send([]byte("#usda 1.0\ndef Camera {}")), "line 2: ")
	s.Says(send([]byte("#usda 1.0\n")), "it has no camera")
	s.Says(
		send(
			usd,
		),
		"harbour.usda",
		"as the file has them",
		"its cameras were read",
		"24.0 mm on 36 mm",
		"11.00, 1.00, -2.00 m",
		"1001–1025",
		"orthographic, 4.00 m high",
		"It refers to quay.usda",
		"Cameras (glTF)",
	)
	p := s.Production()
	if o := p.Scene.Opaque; o == nil || !o.Read || !slices.Equal(o.Cameras, []string{"wide", "plan"}) ||
		o.Seconds != 1 {
		t.Errorf("the scene is %+v", p.Scene.Opaque)
	}
	if code, body := s.Get("/p/TEST/cameras?format=usda&view=wide"); code != 200 ||
		!strings.Contains(body, `def Camera "wide"`) ||
		!strings.Contains(body, "1025: ( (") {
		t.Errorf("the cameras are written as %d %s", code, body)
	}
	_, body := s.Get("/p/TEST/views")
	s.Says(body, "lenses and moves are known", "24.0 mm")
	// The names of the renderer may be typed, too; then nothing of the file is read.
	s.Says(
		s.Upload(
			"/p/TEST/scene/opaque",
			map[string]string{"cameras": "/World/Boom/wide", "last": "1010", "station": "scenes"},
			map[string][]byte{"harbour.usda": usd},
		),
		"as they were typed",
	)
}

func TestABrokenSceneIsRefusedWithTheReason(t *testing.T) {
	s := webtest.New(t)
	upload := func(name, content string) string {
		var b bytes.Buffer
		m := multipart.NewWriter(&b)
		if name != "" {
			part, err := m.CreateFormFile("file", name)
			if err != nil {
				t.Fatal(err)
			}
			part.Write([]byte(content))
		}
		m.Close()
		r := httptest.NewRequest("POST", "/p/TEST/scene", &b)
		r.Header.Set("Content-Type", m.FormDataContentType())
		r.Header.Set("HX-Request", "true")
		_, body := s.Do(r)
		return body
	}
	before := s.Production().Number
	if body := upload("broken.glb", "glTF\x02\x00\x00\x00\xff\xff\x00\x00"); !strings.Contains(
		body, "broken.glb was not imported",
	) ||
		!strings.Contains(body, "cut short") {
		t.Errorf("a broken file:\n%s", body)
	}
	if body := upload("", ""); !strings.Contains(body, "no file was chosen") {
		t.Errorf("no file:\n%s", body)
	}
	if s.Production().Number != before {
		t.Error("a refused file changed the production")
	}
}

// A scene without cameras gives a view with a camera of its own, all of the scene in its picture; one of points and
// lines alone is refused with that reason.
func TestASceneWithoutCamerasIsUsable(t *testing.T) {
	s := webtest.New(t)
	s.Edits("shot", "of", "010", "field", "remove", "value", "")
	s.Set("view", "v", "remove", "")
	file, numbers := webtest.SceneFiles("cam", 2)
	bare := strings.Replace(string(file), `,"camera":0`, "", 1)
	body := s.Bring("", map[string][]byte{"bare.gltf": []byte(bare), "floor.bin": numbers})
	s.Says(body, "There is none in the scene", "a view can have one of its own", "scene-plan")
	p := s.Production()
	if len(p.Views) != 1 || p.Views[0].Camera != "" || p.Views[0].Setup.Stand == nil || len(p.Problems()) > 0 {
		t.Fatalf("views %+v, problems %v", p.Views, p.Problems())
	}
	if code, _ := s.Get("/p/TEST/preview?step=0&view=" + p.Views[0].Code); code != 200 {
		t.Errorf("its picture: %d", code)
	}
	for _, path := range []string{"/scene/picture?camera=cam&frame=1001", "/scene/picture?frame=1001"} {
		if code, _ := s.Get("/p/TEST" + path); code != 404 {
			t.Errorf("%s: %d", path, code)
		}
	}
	unnamed := strings.Replace(string(file), `"name":"cam",`, "", 1) // a view finds it by the name that it is given
	body = s.Bring("", map[string][]byte{"floor.gltf": []byte(unnamed), "floor.bin": numbers})
	s.Says(body, "camera_2")
	const lines = `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],
		"meshes":[{"primitives":[{"mode":1,"attributes":{"POSITION":0}}]}],
		"accessors":[{"bufferView":0,"componentType":5126,"count":2,"type":"VEC3","min":[0,0,0],"max":[0,0,0]}],
		"bufferViews":[{"buffer":0,"byteLength":24}],
		"buffers":[{"byteLength":24,"uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"}]}`
	s.Says(s.Bring("", map[string][]byte{"lines.gltf": []byte(lines)}), "points and lines alone")
}
