package main

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
)

// choose gives a control a value, as a person does who leaves it then.
func (p page) choose(id, value string) {
	p.t.Helper()
	p.wait(id+" is there", fmt.Sprintf(`document.getElementById(%q)`, id))
	p.do("choose "+value, chromedp.Evaluate[chromedp.Void](fmt.Sprintf(
		`(e => { e.value = %q; e.dispatchEvent(new Event("change", {bubbles: true})); })(document.getElementById(%q))`,
		value, id,
	)))
}

// send presses the one button of the batch sheet, and waits until so many frames are good.
func (p page) send(url string, good int) {
	p.t.Helper()
	p.do("open the sheet", chromedp.Navigate(url+"/batch"), chromedp.WaitVisible("#totals"))
	p.click("send", "#send")
	p.do("see it in the queue", chromedp.WaitVisible(`section[id^="batch-"]`))
	p.wait("all frames are good", fmt.Sprintf(`document.querySelector("[data-good]")?.dataset.good === "%d"`, good))
}

// revision returns the production of a data folder as it is now.
func revision(t *testing.T, data, code string) production.Production {
	t.Helper()
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	r, err := h.Record.Production(code)
	if err != nil {
		t.Fatal(err)
	}
	return r.Production
}

// decoded reads a rendered picture.
func decoded(t *testing.T, path string) picture.Picture {
	t.Helper()
	file, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	p, err := picture.Decode(file)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func mean(p *pixel.Plane) float64 {
	sum := 0.0
	for _, v := range p.Data {
		sum += float64(v)
	}
	return sum / float64(len(p.Data))
}

// tiny is a quality in which frames take no time.
func tiny(p *production.Production) {
	p.Quality, p.Cut.Tracks = "draft", nil
	p.Qualities[0].Scale, p.Qualities[0].Samples = raster.Reduction{Percent: 4}, 1
}

// Four stills in three shapes, each shape with a camera of its own, are four shots, and are sent by one press.
func TestFourStillsInThreeShapes(t *testing.T) {
	stills := []string{"quay", "bow", "alongside", "lighthouse"}
	data := seeded(t, func(p *production.Production) {
		tiny(p)
		p.Shots = nil
		for i, view := range stills {
			p.Shots = append(p.Shots, production.Shot{
				Code: fmt.Sprintf("%02d0", i+1), Name: view, View: view, Frames: frame.Of(1001, 1001), InBatch: true,
				Sizes: []string{"scope", "square", "tall"}, PassList: "minimum", Outputs: []string{"master"},
			})
		}
	})
	s := start(t, data)
	p := page{t, browser(t)}
	own := map[string]string{"square": "cam_turn", "tall": "cam_lighthouse"}
	for _, view := range stills {
		p.do("open the view", chromedp.Navigate(s.url+"/p/SALT/views?open="+view), chromedp.WaitVisible("#in-sizes"))
		for size, camera := range own {
			if view == "lighthouse" && size == "tall" {
				camera = "cam_quay"
			}
			p.choose("in-"+size+"-camera", camera)
			p.wait("it is said in one line", fmt.Sprintf(
				`document.querySelector("#in-sizes summary").textContent.includes("%s uses %s")`, size, camera))
		}
	}
	p.send(s.url+"/p/SALT", 12)
	seen := map[string]string{}
	for i, view := range stills {
		for _, size := range []string{"scope", "square", "tall"} {
			files, _ := filepath.Glob(filepath.Join(
				data, fmt.Sprintf("output/SALT/%02d0/master/%s/v001/*/*_%s_*.1001.exr", i+1, size, view)))
			if len(files) != 1 {
				t.Fatalf("%s in %s: %v", view, size, files)
			}
			part := decoded(t, files[0])
			through := part.Fact("camera")
			want := map[string]string{"square": "cam_turn", "tall": "cam_lighthouse"}[size]
			if size == "scope" {
				want = "cam_" + view
			} else if view == "lighthouse" && size == "tall" {
				want = "cam_quay"
			}
			if through != want {
				t.Errorf("%s in %s was taken through %q, want %s", view, size, through, want)
			}
			seen[fmt.Sprint(size, mean(part.Image.Plane("R")))] = view
		}
	}
	if len(seen) < 8 { // four scopes, two talls and two squares are others at least
		t.Errorf("the pictures are %v", seen)
	}
}

// A camera is moved by three keys, one of them dragged on the plan; the range of its shot is lengthened, and the keys
// with it; it is previewed, rendered, and exported. What glTF and USD readers that are not ours (three.js) find in the
// files is where the keys put it, to 1e-5 m.
func TestACameraIsMovedByKeys(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		tiny(p)
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames, p.Shots[0].Step, p.Shots[0].PassList = frame.Of(1001, 1049), 24, "minimum"
		handles := 0
		p.Shots[0].Outputs, p.Shots[0].Handles = []string{"master"}, &handles
	})
	s := start(t, data)
	p := page{t, browser(t)}
	at := func(n int) {
		p.do("go to a frame", chromedp.Navigate(fmt.Sprintf("%s/p/SALT/views?open=quay&frame=%d", s.url, n)),
			chromedp.WaitVisible("#motion"))
	}
	for _, n := range []int{1001, 1049} {
		at(n)
		p.click("set a key", "#view-key-quay-add")
		p.wait("it is there", fmt.Sprintf(`document.getElementById("key-%d-to")`, n))
	}
	at(1025)
	p.wait("the preview is sharp", sharp("#picture img"))
	p.drag("drag the camera", "#plan .chosen .stands", 40, -30)
	p.wait("that is a third key", `document.querySelectorAll("#plan .key").length === 3 &&
		document.getElementById("key-1025-to")`)
	p.wait("the preview is sharp again", sharp("#picture img"))
	path := p.text(`document.querySelector("#plan .chosen .path").getAttribute("points")`)
	p.drag("drag the third key on its path", `#plan .key[data-key="1049"]`, 25, 40)
	p.wait("the path goes there", fmt.Sprintf(
		`document.querySelector("#plan .chosen .path").getAttribute("points") !== %q`, path))
	p.choose("key-1025-ease", "rest")
	p.choose("key-1049-focalLength", "50")
	p.wait("it zooms", `document.getElementById("key-1049-focalLength").value === "50"`)

	p.do("open the shots", chromedp.Navigate(s.url+"/p/SALT/shots"), chromedp.WaitVisible("#shot-010-frames"))
	p.choose("shot-010-frames", "1001-1097")
	p.wait("it is longer", `document.querySelector("#shot-010 [data-count]").textContent === "97"`)
	v, _ := revision(t, data, "SALT").FindView("quay")
	m := v.Setup.Motion
	if len(m.Keys) != 3 || m.Keys[1].Frame != 1049 || m.Keys[2].Frame != 1097 || m.Keys[1].Ease != camera.Rest ||
		m.Keys[0].Stand.Position == m.Keys[1].Stand.Position || m.Keys[2].Focal != 50 ||
		m.Keys[0].Stand.Position == m.Keys[2].Stand.Position { // both were dragged from where the first is
		t.Fatalf("the keys are %+v", m.Keys)
	}
	at(1073)
	p.wait("the longer way is previewed", sharp("#picture img"))
	p.send(s.url+"/p/SALT", 5)
	of := func(n int) picture.Picture {
		files, _ := filepath.Glob(filepath.Join(data, fmt.Sprintf("output/SALT/010/master/scope/v001/*/*.%d.exr", n)))
		if len(files) != 1 {
			t.Fatalf("frame %d: %v", n, files)
		}
		return decoded(t, files[0])
	}
	first := of(1001)
	last := of(1097)
	if a, b := mean(first.Image.Plane("R")), mean(last.Image.Plane("R")); a == b {
		t.Error("the first frame and the last are the same picture")
	}
	if first.Fact("lens") != "34.0 mm" || last.Fact("lens") != "50.0 mm" {
		t.Errorf("lenses of %s and %s", first.Fact("lens"), last.Fact("lens"))
	}
	for _, format := range []string{"usda", "glb"} {
		file := filepath.Join(t.TempDir(), "cameras."+format)
		of := map[string]string{"usda": "usda", "glb": "gltf"}[format]
		if _, said, err := run(t, "cameras", "--data", data, "--format", of, "--view", "quay", file); err != nil {
			t.Fatalf("%v: %s", err, said)
		}
		out, err := exec.Command("node", "../../scripts/gltf/cameras.mjs", file, "quay", "1001", "24").CombinedOutput()
		if err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		var places map[int][3]float64
		if err := json.Unmarshal(out, &places); err != nil || len(places) < 97 {
			t.Fatalf("%v\n%s", err, out)
		}
		for n := 1001; n <= 1097; n++ {
			want := m.At(float64(n)).Stand.Position
			for i, v := range []float64{want.X, want.Y, want.Z} {
				if math.Abs(places[n][i]-v) > 1e-5 {
					t.Fatalf("%s: at frame %d it is at %v, want %v", format, n, places[n], want)
				}
			}
		}
	}
}

// plane is a glTF file of a square of 2 m that stands before the south, with materials that glow in so many colours,
// each a variant, and no camera.
func plane(colours int) []byte {
	var numbers bytes.Buffer
	for _, v := range []float32{-1, 0, 0, 1, 0, 0, 1, 2, 0, -1, 0, 0, 1, 2, 0, -1, 2, 0} {
		for bits, k := math.Float32bits(v), 0; k < 4; k++ { // little-endian
			numbers.WriteByte(byte(bits >> (8 * k)))
		}
	}
	var variants, materials, mappings []string
	for i := range colours {
		variants = append(variants, fmt.Sprintf(`{"name":"c%d"}`, i+1))
		materials = append(materials, fmt.Sprintf(
			`{"name":"m%d","emissiveFactor":[%.3f,%.3f,0.2],"doubleSided":true}`, i+1,
			float64(i+1)/float64(colours+1), 1-float64(i)/float64(colours+1)))
		mappings = append(mappings, fmt.Sprintf(`{"material":%d,"variants":[%[1]d]}`, i))
	}
	list := func(parts []string) string { return strings.Join(parts, ",") }
	return []byte(`{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"name":"sign","mesh":0}],
		"extensionsUsed":["KHR_materials_variants"],
		"extensions":{"KHR_materials_variants":{"variants":[` + list(variants) + `]}},
		"materials":[` + list(materials) + `],
		"meshes":[{"name":"sign","primitives":[{"material":0,"attributes":{"POSITION":0},
			"extensions":{"KHR_materials_variants":{"mappings":[` + list(mappings) + `]}}}]}],
		"accessors":[{"bufferView":0,"componentType":5126,"count":6,"type":"VEC3","min":[-1,0,0],"max":[1,2,0]}],
		"bufferViews":[{"buffer":0,"byteLength":72}],"buffers":[{"byteLength":72,
			"uri":"data:application/octet-stream;base64,` + base64.StdEncoding.EncodeToString(numbers.Bytes()) + `"}]}`)
}

// fresh makes a production in the browser, and imports a file as its scene.
func (p page) fresh(url string, scene []byte) {
	p.t.Helper()
	file := filepath.Join(p.t.TempDir(), "sign.gltf")
	if err := os.WriteFile(file, scene, 0o644); err != nil {
		p.t.Fatal(err)
	}
	p.do("open the house", chromedp.Navigate(url+"/?new=1"), chromedp.WaitVisible("#new-code"))
	p.do("make a production", chromedp.Evaluate[chromedp.Void](`(code => {
		code.value = "SIGN";
		document.getElementById("new-title").value = "Signs";
		code.form.requestSubmit();
	})(document.getElementById("new-code"))`))
	p.do("see it open", chromedp.WaitVisible(`body[data-code="SIGN"] #sheet`))
	p.do("go to its scenes", chromedp.Navigate(url+"/p/SIGN/scenes"), chromedp.WaitVisible("#scene-file"))
	p.do("choose a file", chromedp.SetUploadFiles("#scene-file", []string{file}))
	p.press("import it", "#import")
	p.wait("the scene is there", `document.getElementById("scene-plan") &&
		document.body.textContent.includes("sign.gltf")`)
}

// From nothing to a good frame with a scene that has no camera: one is set up on the plan.
func TestASceneWithoutCamerasIsRendered(t *testing.T) {
	data := t.TempDir()
	s := start(t, data)
	p := page{t, browser(t)}
	p.fresh(s.url, plane(1))
	p.do("open its view", chromedp.Navigate(s.url+"/p/SIGN/views?open=view1"), chromedp.WaitVisible("#plan"))
	p.drag("drag the camera on the plan", "#plan .chosen .stands", 30, 0)
	p.wait("it stands there", `Number(document.getElementById("view-view1-x").value) !== 0`)
	p.choose("view-view1-aim", "sign")
	p.wait("it looks at the sign", `Number(document.getElementById("view-view1-heading").value) > 180`)
	p.wait("its picture is sharp", sharp("#picture img"))
	p.do("open the shots", chromedp.Navigate(s.url+"/p/SIGN/shots"), chromedp.WaitVisible("#shot--add"))
	p.click("add a shot", "#shot--add")
	p.choose("shot-010-frames", "1001")
	p.wait("it is a still", `document.querySelector("#shot-010 [data-count]").textContent === "1"`)
	p.send(s.url+"/p/SIGN", 1)
	files, _ := filepath.Glob(filepath.Join(data, "output/SIGN/010/*/*/*/*/*.exr"))
	if len(files) != 1 {
		t.Fatalf("the files are %v", files)
	}
	if part := decoded(t, files[0]); part.Image.Plane("G").Stats().Max < 0.3 {
		t.Errorf("the sign is not in the picture: %+v", part.Image.Plane("G").Stats())
	}
}

// Twelve variants of a title come from a table of twelve rows and one set-up: names differ, and so do pictures.
func TestTwelveTitlesFromATable(t *testing.T) {
	data := t.TempDir()
	s := start(t, data)
	p := page{t, browser(t)}
	p.fresh(s.url, plane(12))
	p.do("open the looks", chromedp.Navigate(s.url+"/p/SIGN/views?look=plain"),
		chromedp.WaitVisible("#look-plain-variant"))
	p.choose("look-plain-variant", "(value:colour)")
	p.wait("it is kept", `document.getElementById("look-plain-variant").value === "(value:colour)" &&
		document.getElementById("notice").textContent.includes("Saved")`)
	p.do("open the names", chromedp.Navigate(s.url+"/p/SIGN/output"), chromedp.WaitVisible("#names--pattern"))
	p.choose("names--pattern", "(production)/(value:title)_(camera).(label).(ext)")
	p.wait("they are kept", `document.getElementById("notice").textContent.includes("Saved")`)
	table := "code,view,frames,outputs,pass list,value:title,colour of the sign\n"
	titles := strings.Fields("Ebb Flood Slack Spring Neap Surge Eddy Race Bore Swell Wake Lee")
	for i, title := range titles {
		table += fmt.Sprintf("%02d0,view1,1001,master,minimum,%s,c%d\n", i+1, title, i+1)
	}
	file := filepath.Join(t.TempDir(), "titles.csv")
	if err := os.WriteFile(file, []byte(table), 0o644); err != nil {
		t.Fatal(err)
	}
	p.do("open the shots", chromedp.Navigate(s.url+"/p/SIGN/shots"), chromedp.WaitVisible("#bring-shots"))
	p.press("bring in a table", "#bring-shots")
	p.wait("a file can be chosen", `document.getElementById("table-file") !== null`)
	p.do("choose the file", chromedp.SetUploadFiles("#table-file", []string{file}))
	p.wait("its columns are shown", `document.querySelectorAll("#side select").length === 7`)
	p.do("call the last column a value", chromedp.Evaluate[chromedp.Void](
		`(e => { e.value = "value"; e.dispatchEvent(new Event("change", {bubbles: true})); })(
			document.querySelectorAll("#side select")[6])`))
	p.wait("its key is another than the look asks for", `document.getElementById("table-mistakes")?.textContent
		.includes("the value colour")`)
	// The look asks for (value:colour); the table is mended to call its column so.
	mended := strings.Replace(table, "colour of the sign", "value:colour", 1)
	if err := os.WriteFile(file, []byte(mended), 0o644); err != nil {
		t.Fatal(err)
	}
	p.press("again", "#side [hx-get$='/shots/table']")
	p.wait("another file can be chosen", `document.getElementById("table-file") !== null`)
	p.do("choose the mended file", chromedp.SetUploadFiles("#table-file", []string{file}))
	p.wait("it can be taken in", `document.getElementById("take-table") !== null`)
	p.press("take it in", "#take-table")
	p.wait("the shots are there", `document.querySelectorAll("tr[id^=shot-]").length === 12`)
	p.do("make it small", chromedp.Navigate(s.url+"/p/SIGN/standards"), chromedp.WaitVisible("#quality-draft-scale"))
	p.choose("quality-draft-scale", "4 %")
	p.wait("it is small", `document.getElementById("quality-draft-scale").value.startsWith("4")`)
	p.send(s.url+"/p/SIGN", 12)
	files, _ := filepath.Glob(filepath.Join(data, "output/SIGN/*.exr"))
	var names []string
	seen := map[string]string{}
	for _, path := range files {
		part := decoded(t, path)
		names = append(names, strings.TrimSuffix(filepath.Base(path), "_own.1001.exr"))
		seen[strconv.FormatFloat(mean(part.Image.Plane("R")), 'f', 6, 64)] = path
	}
	slices.Sort(titles)
	if slices.Sort(names); !slices.Equal(names, titles) {
		t.Errorf("the files are %v", names)
	}
	if len(seen) != 12 {
		t.Errorf("%d different pictures", len(seen))
	}
}

// A turnaround of eight cameras in four poses, each file named by its pose and its angle.
func TestATurnaroundIsNamedByPoseAndAngle(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		tiny(p)
		p.Shots = p.Shots[5:6]
		p.Shots[0].Frames, p.Shots[0].Step, p.Shots[0].InBatch = frame.MustParse("1001,1007,1013,1019"), 0, true
		p.Shots[0].Outputs, p.Shots[0].PassList = []string{"master"}, "minimum"
		handles := 0
		p.Shots[0].Handles = &handles
	})
	s := start(t, data)
	p := page{t, browser(t)}
	p.do("open the shot", chromedp.Navigate(s.url+"/p/SALT/shots?open=060"), chromedp.WaitVisible("#shot-060-labels"))
	p.choose("shot-060-labels", "1001 = calm; 1007 = rising; 1013 = crest; 1019 = falling")
	p.wait("the poses are kept", `document.getElementById("notice").textContent.includes("Saved")`)
	p.do("open the names", chromedp.Navigate(s.url+"/p/SALT/output"), chromedp.WaitVisible("#names--pattern"))
	p.choose("names--pattern", "(production)/(shot)/(label)_(angle:3).(ext)")
	p.wait("they are proved", `document.querySelector("[data-proof]")?.dataset.proof === "paths" &&
		document.getElementById("notice").textContent.includes("Saved")`)
	p.send(s.url+"/p/SALT", 32)
	for _, pose := range []string{"calm", "rising", "crest", "falling"} {
		for angle := 0; angle < 360; angle += 45 {
			path := fmt.Sprintf("output/SALT/060/%s_%03d.exr", pose, angle)
			if _, err := os.Stat(filepath.Join(data, path)); err != nil {
				t.Error(err)
			}
		}
	}
}
