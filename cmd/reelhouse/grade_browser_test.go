package main

import (
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"reelhouse/core/frame"
	"reelhouse/core/grade"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
)

// duskShot makes a house with the ferry coming in, two frames of it, rendered with all that it takes to relight them.
func duskShot(t *testing.T) (data string, s *served) {
	t.Helper()
	data = seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		p.Shots[0].Frames, p.Shots[0].Outputs = frame.MustParse("1001-1002"), []string{"master"}
		p.Qualities[0].Scale.Percent = 10
		p.Mattes, p.Cut.Tracks, p.Deliveries = nil, nil, nil
		p.Grades = p.Grades[:1]
		p.Grades[0].Steps = nil
	})
	s = start(t, data)
	if out, complaints, err := run(t, "send", "--data", data, "--production", "SALT"); err != nil {
		t.Fatal(out, complaints, err)
	}
	if out, complaints, err := run(t, "wait", "--data", data, "1"); err != nil {
		t.Fatal(out, complaints, err)
	}
	return data, s
}

// covering finds a pixel of frame 1001 that is covered mostly by something, by asking the server about each.
func covering(t *testing.T, s *served, name string) (x, y int) {
	t.Helper()
	for y = 1; y < 85; y += 2 {
		for x = 1; x < 204; x += 3 {
			r, err := http.Get(
				fmt.Sprintf("%s/p/SALT/screen/1/1001/names?layer=cryptoobject&place=%d,%d,1,1", s.url, x, y),
			)
			if err != nil {
				t.Fatal(err)
			}
			var found struct{ Names []string }
			err = json.NewDecoder(r.Body).Decode(&found)
			r.Body.Close()
			if err == nil && len(found.Names) == 1 && found.Names[0] == name {
				return x, y
			}
		}
	}
	t.Fatalf("%s is not seen", name)
	return 0, 0
}

// numbers returns what a promise of the page gives.
func (p page) numbers(what, expression string) (all []float64) {
	p.t.Helper()
	text, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](
		"("+expression+").then(v => JSON.stringify(v))", chromedp.EvalAwaitPromise,
	))
	if err == nil {
		err = json.Unmarshal([]byte(text), &all)
	}
	if err != nil {
		p.t.Fatalf("%s: %v", what, err)
	}
	return all
}

func readPicture(t *testing.T, path string) *pixel.Image {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	p, err := picture.Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	return p.Image
}

// Two objects are clicked, their matte is named and written, and the files are right. Then dusk becomes night: it is
// saved, made, and looked at beside the original.
func TestAMatteIsPickedAndDuskBecomesNight(t *testing.T) {
	data, s := duskShot(t)
	p := page{t, browser(t)}
	places := map[string][2]int{}
	for _, name := range []string{"ferry_cabin", "lighthouse"} {
		x, y := covering(t, s, name)
		places[name] = [2]int{x, y}
	}
	p.do("look at it", chromedp.Navigate(s.url+"/p/SALT/screening?sequence=1&frame=1001"))
	p.wait("it is shown", `document.querySelector("#picture").dataset.shows === "1001 beauty"`)
	p.press("open mattes", "#matting > summary")
	p.press("pick", "#matte-pick")
	clickAt := func(name string, shift bool) {
		t.Helper()
		at := places[name]
		p.do("click "+name, chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`(() => {
			const c = document.querySelector("#picture"), b = c.getBoundingClientRect();
			c.setPointerCapture = () => {};
			const at = { clientX: b.left + (%d + 0.5) * b.width / c.dataset.width, shiftKey: %v, button: 0,
				pointerId: 1,
				clientY: b.top + (%d + 0.5) * b.height / c.dataset.height, bubbles: true };
			c.dispatchEvent(new PointerEvent("pointerdown", at));
			c.dispatchEvent(new PointerEvent("pointerup", at));
		})()`, at[0], shift, at[1])))
	}
	picked := func(names ...string) string {
		return fmt.Sprintf(`[...document.querySelectorAll("#matte-picked [name=names]")].map(e => e.value).sort().join()
			=== %q`, strings.Join(names, ","))
	}
	clickAt("ferry_cabin", false)
	p.wait("one is picked", picked("ferry_cabin"))
	clickAt("lighthouse", false)
	p.wait("both are", picked("ferry_cabin", "lighthouse"))
	clickAt("lighthouse", true)
	p.wait("Shift takes it away", picked("ferry_cabin"))
	clickAt("lighthouse", false)
	p.wait("it is back", picked("ferry_cabin", "lighthouse"))
	p.wait("they are shown over the picture", `document.querySelector("#mapping").textContent.includes("tinted")`)
	p.do("name it", chromedp.SendKeys("#matte-name", "Boat and tower"))
	p.press("keep it", "#matte-keep")
	p.wait("it is kept", `document.querySelector("[data-matte=boatandtower]")`)
	p.press("write it", `[data-matte=boatandtower] [hx-vals*='"png"']`)
	p.wait("it is written", `document.querySelector("[data-matte=boatandtower]").textContent.includes("done")`)
	files, _ := filepath.Glob(filepath.Join(data, "output/SALT/010/master/scope/*/matte-boatandtower/*.png"))
	if len(files) != 2 {
		t.Fatalf("files are %v", files)
	}
	img := readPicture(t, files[0])
	for name, at := range places {
		if v := img.Plane("R").Data[at[1]*img.Width+at[0]]; v < 0.5 {
			t.Errorf("%s is covered by %v", name, v)
		}
	}
	if v := img.Plane("R").Data[2*img.Width+2]; v != 0 {
		t.Errorf("the sky is covered by %v", v)
	}
	// A matte is downloaded as every sequence is.
	address := p.text(`document.querySelector("[data-matte=boatandtower] a[download]").href`)
	if r, err := http.Get(address); err != nil || r.StatusCode != 200 {
		t.Errorf("%s: %v, %v", address, r.Status, err)
	} else {
		head, _ := io.ReadAll(r.Body)
		r.Body.Close()
		if !strings.HasPrefix(string(head), "PK") || strings.Count(string(head), "matte-boatandtower") < 2 {
			t.Error("what is downloaded is no zip of the matte")
		}
	}

	p.press("close mattes", "#matting > summary")
	p.press("open grading", "#regrading > summary")
	p.wait("they are", `!document.querySelector("#matting").open && document.querySelector("#regrading").open`)
	p.press("see it graded", "#grade-on")
	p.wait("night is shown", `document.querySelector("#mapping").textContent.includes("graded by Night")`)
	p.do("drag a light", chromedp.Evaluate[chromedp.Void](`(async () => {
		const range = document.querySelector("[data-light=light-boats] [type=range]");
		for (let v = 0; v <= 2; v += 0.25) {
			range.value = v;
			range.dispatchEvent(new Event("input", { bubbles: true }));
		}
	})()`))
	p.wait("it is relit here", `Number(document.querySelector("#picture").dataset.relit) > 0`)
	p.do("let go", chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-light=light-boats] [type=range]")
		.dispatchEvent(new Event("change", { bubbles: true }))`))
	p.wait(
		"it is saved",
		`document.querySelector("[data-light=light-boats] [name=intensity]").getAttribute("value") === "4"
		&& document.querySelector("#mapping").textContent.includes("graded by Night")`,
	)
	p.wait("nobody else has changed it", `document.querySelector("#elsewhere").hidden`)
	p.press("take it back", "#undo")
	p.arrive("it is as it was", `document.querySelector("[data-light=light-boats] [name=intensity]").value === "1.5" &&
		document.querySelector("#picture").dataset.shows`)
	p.press("open grading again", "#regrading > summary")
	p.press("make it", "#grade-make")
	p.wait("it is made", `document.querySelector("#grading-made").textContent.includes("done")`)
	night, _ := filepath.Glob(filepath.Join(data, "output/SALT/010/master/scope/*/grade-night/*.1001.exr"))
	dusk, _ := filepath.Glob(filepath.Join(data, "output/SALT/010/master/scope/*/all/*.1001.exr"))
	if len(night) != 1 || len(dusk) != 1 {
		t.Fatalf("files are %v and %v", night, dusk)
	}
	a, b := readPicture(t, dusk[0]), readPicture(t, night[0])
	was, is := a.Plane("R").Data[2*a.Width+2], b.Plane("R").Data[2*b.Width+2]
	if !(is < was/10) {
		t.Errorf("the sky had %v, and has %v by night", was, is)
	}
	p.press("look at it beside the original", "#grading-made a")
	p.arrive("both are there", `document.querySelector("#picture").dataset.compares === "side" &&
		document.querySelector("#picture").dataset.shows`)
	// It is made of these frames already.
	out, complaints, err := run(t, "follow", "--data", data, "--with", "grade name=night", "1")
	if err == nil {
		t.Error("it was made twice", out, complaints)
	}
}

// The browser relights as core/grade does, within a thousandth, for light from 0.001 to 1000.
func TestTheBrowserRelightsAsTheCoreDoes(t *testing.T) {
	data := seeded(t, nil)
	s := start(t, data)
	p := page{t, browser(t)}
	p.do("go there", chromedp.Navigate(s.url+"/p/SALT/standards"))
	r := rand.New(rand.NewPCG(22, 4))
	codes := []pass.Code{"light-a", "light-b", "light-c", "light-d", "light-e", "light-f", "light-g", "light-other"}
	const n = 64
	for range 20 {
		lights := map[pass.Code][3][]float32{}
		img := pixel.New(n, 1, "R", "G", "B")
		script := map[string][]float64{}
		for _, code := range codes {
			var l [3][]float32
			for i := range n {
				for c := range 3 {
					v := pixel.FromHalf(pixel.ToHalf(float32(math.Pow(10, 6*r.Float64()-3))))
					l[c] = append(l[c], v)
					script[string(code)] = append(script[string(code)], float64(v))
					img.Planes[c].Data[i] += v
				}
			}
			lights[code] = l
		}
		for i := range 3 * n {
			script["beauty"] = append(script["beauty"], float64(img.Planes[i%3].Data[i/3]))
		}
		g := grade.Grade{Code: "x"}
		for _, code := range codes {
			if r.IntN(3) == 0 {
				continue
			}
			colour := fmt.Sprintf("#%06x", r.IntN(1<<24))
			g.Lights = append(
				g.Lights,
				grade.Gain{Pass: code, Intensity: math.Pow(10, 6*r.Float64()-3), Colour: colour},
			)
		}
		whole := r.IntN(2) == 0
		if err := g.Apply(grade.Input{Picture: img, Lights: lights, Whole: whole}); err != nil {
			t.Fatal(err)
		}
		planes, _ := json.Marshal(script)
		gains, _ := json.Marshal(g.Lights)
		relit := p.numbers("relight", fmt.Sprintf(`import("/static/screening/relight.js").then(({ relit, gainOf }) => {
			const lights = new Map(Object.entries(%s).map(([k, v]) => [k, Float32Array.from(v)]));
			const gains = new Map((%s ?? []).map(g => [g.pass, gainOf(g.intensity, g.colour || "#ffffff")]));
			return [...relit({ width: %d, height: 1, lights }, gains, %v)];
		})`, planes, gains, n, whole))
		for i, v := range relit {
			want := float64(img.Planes[i%3].Data[i/3])
			scale := max(math.Abs(want), 0.001)
			if !whole { // differences of large numbers
				scale = max(scale, math.Abs(script["beauty"][i]))
			}
			if math.Abs(v-want) > scale/1000 {
				t.Fatalf("value %d is %v, want %v (all of the light: %v)", i, v, want, whole)
			}
		}
		if len(relit) != 3*n {
			t.Fatalf("%d values came back", len(relit))
		}
	}
	// Halves are read as they are written.
	values := []float32{0, 1, -2, 0.001, 65504, 6e-8} // red and then green and blue of two pixels
	codesOf := []string{}
	for _, v := range values {
		codesOf = append(codesOf, fmt.Sprint(pixel.ToHalf(v)))
	}
	halves := p.numbers("read halves", `import("/static/screening/relight.js").then(({ readLights }) => {
		const head = new TextEncoder().encode('{"width":2,"height":1,"passes":["beauty"]} ');
		const buffer = new ArrayBuffer(4 + head.length + head.length % 2 + 12);
		const padded = head.length + head.length % 2;
		new DataView(buffer).setUint32(0, padded, true);
		new Uint8Array(buffer, 4, padded).fill(32);
		new Uint8Array(buffer).set(head, 4);
		new Uint16Array(buffer, 4 + padded).set([`+strings.Join(codesOf, ",")+`]);
		const read = readLights(buffer).lights.get("beauty");
		return [0, 3, 1, 4, 2, 5].map(i => read[i]);
	})`)
	for i, v := range values {
		if want := float64(pixel.FromHalf(pixel.ToHalf(v))); halves[i] != want {
			t.Errorf("%v came as %v", want, halves[i])
		}
	}
	// How fast a light is changed: eight groups of 2048 x 858 pixels. It is said, and not asserted.
	took := p.numbers("measure", `import("/static/screening/relight.js").then(({ Relighting, curves }) => {
		const [width, height] = [2048, 858], lights = new Map();
		for (const name of ["beauty", "a", "b", "c", "d", "e", "f", "g", "h"])
			lights.set(name, new Float32Array(3 * width * height).fill(0.1));
		const r = new Relighting({ width, height, lights }, true);
		r.look(1, curves[""]);
		const gains = new Map([["a", [1, 1, 1]]]);
		r.change("a", gains);
		const times = [];
		for (let i = 0; i < 20; i++) {
			gains.set("a", [i, i, i]);
			const began = performance.now();
			r.change("a", gains);
			times.push(performance.now() - began);
		}
		return times;
	})`)
	slices.Sort(took)
	t.Logf("eight groups of 2048 x 858 pixels: %.1f ms an update, %.0f updates/s", took[len(took)/2],
		1000/took[len(took)/2])
}
