package main

import (
	"bytes"
	"context"
	order "encoding/binary" // binary is the program
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"reelhouse/core/edit"
	"reelhouse/core/picture"
	"reelhouse/core/production"
	"reelhouse/house"
)

// browser returns a context with a fresh headless Chromium.
func browser(t *testing.T) context.Context {
	t.Helper()
	path, err := exec.LookPath("chromium")
	if err != nil {
		t.Fatal("chromium is not installed; `make test` installs it")
	}
	options := append(
		chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.NoFirstRun, chromedp.UserDataDir(t.TempDir()), chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true), chromedp.WindowSize(1280, 800),
	)
	allocator, cancel := chromedp.NewExecAllocator(context.Background(), options...)
	t.Cleanup(cancel)
	ctx, cancel := chromedp.NewContext(allocator)
	t.Cleanup(cancel)
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		t.Fatal(err)
	}
	listen(t, ctx)
	return ctx
}

// listen fails the test when a script of the tab throws something that nobody catches, or complains to the console.
func listen(t *testing.T, ctx context.Context) {
	t.Helper()
	var mutex sync.Mutex
	var complaints []string
	add := func(text string) {
		mutex.Lock()
		defer mutex.Unlock()
		complaints = append(complaints, text)
	}
	err := chromedp.Listen(ctx, func(event any) {
		switch e := event.(type) {
		case *runtime.EventExceptionThrown:
			text := e.ExceptionDetails.Text
			if e.ExceptionDetails.Exception != nil {
				text += " " + e.ExceptionDetails.Exception.Description
			}
			add(text)
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.ConsoleAPICalledTypeError {
				add(fmt.Sprintf("console: %s", e.Args[0].Value))
			}
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		mutex.Lock()
		defer mutex.Unlock()
		for _, text := range complaints[:min(len(complaints), 5)] {
			t.Errorf("in the tab: %s", text)
		}
	})
}

// A page drives one tab.
type page struct {
	t   *testing.T
	ctx context.Context
}

func (p page) do(what string, steps ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, 60*time.Second)
	defer cancel()
	if err := chromedp.Do(ctx, steps...); err != nil {
		p.t.Fatalf("%s: %v", what, err)
	}
}

// patience is how long a page may take to show what it should: frames are rendered meanwhile.
const patience = 4 * time.Minute

// calm holds when the scripts of the page have run, and htmx has put in place, and wired up, all that it was sent.
const calm = `performance.getEntriesByType("navigation")[0].domContentLoadedEventEnd > 0 && ` +
	`!document.querySelector(".htmx-added, .htmx-settling, .htmx-swapping, .htmx-request")`

// wait waits until an expression is true in the page and nothing more is under way. It looks at intervals, since a
// tab in the background draws no frames to look at.
func (p page) wait(what, expression string) {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	if _, err := chromedp.Run(ctx, chromedp.Poll[bool]("("+expression+") && "+calm,
		chromedp.WithPollingInterval(40*time.Millisecond), chromedp.WithPollingTimeout(0))); err != nil {
		last, end := context.WithTimeout(p.ctx, 5*time.Second)
		defer end()
		text, _ := chromedp.Run(last, chromedp.Evaluate[string]("document.body.innerText"))
		p.t.Fatalf("%s: %v\n%s", what, err, text)
	}
}

// arrive waits until an expression is true on the page that something has led to. Whoever asks while the tab is between
// two pages gets no answer, and asks again.
func (p page) arrive(what, expression string) {
	p.t.Helper()
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	look := time.NewTicker(40 * time.Millisecond)
	defer look.Stop()
	for {
		ask, end := context.WithTimeout(ctx, 5*time.Second)
		there, err := chromedp.Run(ask, chromedp.Evaluate[bool]("!!("+expression+") && "+calm))
		end()
		if err == nil && there {
			return
		}
		select {
		case <-ctx.Done():
			p.t.Fatalf("%s: %v", what, err)
		case <-look.C:
		}
	}
}

// click presses and releases the mouse over something, once the page is calm. A page that changes by itself may do so
// in between, and the click must reach what is there nevertheless.
func (p page) click(what, selector string) {
	p.t.Helper()
	p.wait(what, fmt.Sprintf("document.querySelector(%q)", selector))
	p.do(what, chromedp.Click(selector))
}

// press clicks something at once, wherever it is just then: on a page that changes meanwhile a click by the mouse may
// come when it has moved on.
func (p page) press(what, selector string) {
	p.t.Helper()
	const click = `document.querySelector(%q).dispatchEvent(new MouseEvent("click", {bubbles: true, cancelable: true}))`
	p.wait(what, fmt.Sprintf("document.querySelector(%q)", selector))
	p.do(what, chromedp.Evaluate[chromedp.Void](fmt.Sprintf(click, selector)))
}

func (p page) text(expression string) string {
	p.t.Helper()
	text, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](expression))
	if err != nil {
		p.t.Fatalf("%s: %v", expression, err)
	}
	return text
}

// A person walks the whole line: changes a range, sees the count change, makes a mistake and is told, sends,
// watches frames turn good, looks at them, and reads a depth.
func TestTheWholeLineInTheBrowser(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Shots = p.Shots[:1] })
	withSound(t, data)
	s := start(t, data)
	p := page{t, browser(t)}

	p.do("open the shots", chromedp.Navigate(s.url+"/p/SALT/shots"), chromedp.WaitVisible("#shot-010"))
	if got := p.text(`document.querySelector("#shot-010 [data-count]").textContent`); got != "48" {
		t.Errorf("the count is %s, want 48", got)
	}
	choose := chromedp.Evaluate[chromedp.Void](`document.querySelector("#shot-010-frames").select()`)
	p.do("type a wrong range", choose, chromedp.KeyEvent("1012-1001\t"))
	p.wait(
		"the mistake is shown",
		`document.querySelector("#shot-010 .mistake")?.textContent.includes("comes after the last")`,
	)
	p.do("type a range", choose, chromedp.KeyEvent("1001-1012\t"))
	p.wait(
		"the count follows",
		`document.querySelector("#shot-010 [data-count]").textContent === "12" &&
			document.querySelector("#ticket").textContent.includes("12 frames")`,
	)
	p.do("undo by the key", chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), chromedp.KeyEvent("z"))
	p.wait("the count is back", `document.querySelector("#shot-010 [data-count]").textContent === "48"`)
	p.do("redo by the key", chromedp.KeyEvent("y"))
	p.wait("the count is 12 again", `document.querySelector("#shot-010 [data-count]").textContent === "12"`)

	p.click("go to the batch sheet", `.spine a[href$="/batch"]`)
	p.do("go to the batch sheet", chromedp.WaitVisible("#totals"))
	if got := p.text(`document.querySelector("[data-total=frames]").textContent`); got != "12" {
		t.Errorf("the sheet has %s frames, want 12", got)
	}
	p.wait(
		"the small picture comes",
		`document.querySelector(".plate img")?.complete && document.querySelector(".plate img").naturalWidth > 0`,
	)
	p.click("send", "#send")
	p.do("send", chromedp.WaitVisible(`section[id^="batch-"]`))
	p.wait("a frame turns good without reloading", `document.querySelectorAll("[data-state=good]").length > 1`)
	p.wait("all frames are good", `document.querySelector("[data-good]").dataset.good === "12"`)
	p.press("open a frame's log", `g[data-frame="1003"]`)
	p.do("open a frame's log", chromedp.WaitVisible("#side pre.log"))
	if log := p.text(`document.querySelector("#side pre.log").textContent`); !strings.Contains(log, "wrote") ||
		!strings.Contains(log, "good after") {
		t.Errorf("the log is %s", log)
	}

	p.click("go to the screening", `#side a[href*="/screening"]`)
	p.do("go to the screening", chromedp.WaitVisible("#picture"))
	p.wait("the frame is shown", `document.querySelector("#picture").dataset.shows === "1003 beauty"`)
	p.do("next frame", chromedp.KeyEvent("."))
	p.wait("the next frame is shown", `document.querySelector("#picture").dataset.shows === "1004 beauty"`)
	p.do("next pass", chromedp.KeyEvent("]"))
	p.wait("one of its lights is shown", `document.querySelector("#picture").dataset.shows === "1004 light-boats"`)
	p.press("its depth", "button[data-pass=depth]")
	p.wait("its depth is shown", `document.querySelector("#picture").dataset.shows === "1004 depth"`)
	if url := p.text("location.search"); !strings.Contains(url, "frame=1004") || !strings.Contains(url, "pass=depth") {
		t.Errorf("the address does not hold what is seen: %s", url)
	}
	const x, y = 60, 32
	p.do("point at a pixel", chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`{
		const c = document.querySelector("#picture"), b = c.getBoundingClientRect();
		c.dispatchEvent(new PointerEvent("pointermove", {clientX: b.left + (%d + 0.5) * b.width / c.width,
			clientY: b.top + (%d + 0.5) * b.height / c.height, bubbles: true}));
	}`, x, y)))
	p.wait("values come", `document.querySelector("[data-of=Depth]") !== null`)
	shown, err := strconv.ParseFloat(p.text(`document.querySelector("[data-of=Depth]").dataset.probed`), 64)
	if err != nil {
		t.Fatal(err)
	}
	file, err := os.ReadFile(filepath.Join(data, "output/SALT/010/master/scope/v001/all/010_quay_scope_all.1004.exr"))
	if err != nil {
		t.Fatal(err)
	}
	picture, err := picture.Decode(file)
	if err != nil {
		t.Fatal(err)
	}
	if held := float64(picture.Image.Plane("depth.Z").Data[y*picture.Image.Width+x]); math.Abs(
		held-shown,
	) > 1e-4*held ||
		held <= 0 ||
		held >= 1000 {
		t.Errorf("the page says %v m, the file holds %v m", shown, held)
	}
	p.press("the picture", "button[data-pass=beauty]")
	p.wait("it is shown", `document.querySelector("#picture").dataset.shows === "1004 beauty"`)
	p.do("play", chromedp.KeyEvent(" "))
	p.wait("the sound of the cut is where the frames are", `((s, n) => !s.paused && s.currentTime > 0 &&
		Math.abs(s.currentTime - Number(s.dataset.seconds) - (n - Number(s.dataset.number)) / 24) < 0.3)(
		document.querySelector("#sound"), Number(document.querySelector("#number").textContent))`)
	p.do("stop", chromedp.KeyEvent(" "))
	p.wait("it is silent", `document.querySelector("#sound").paused`)
}

// withSound gives the cut of the demo ten seconds of a sound.
func withSound(t *testing.T, data string) {
	t.Helper()
	const rate, seconds = 8000, 10
	wave := []byte("RIFF\x00\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00")
	le := order.LittleEndian
	for _, v := range []uint32{rate, 2 * rate, 2 | 16<<16} {
		wave = le.AppendUint32(wave, v)
	}
	wave = le.AppendUint32(append(wave, "data"...), 2*rate*seconds)
	for i := range rate * seconds {
		wave = le.AppendUint16(wave, uint16(int16(3000*math.Sin(float64(i)/5))))
	}
	le.PutUint32(wave[4:], uint32(len(wave)-8))
	h, err := house.Open(data, false)
	if err != nil {
		t.Fatal(err)
	}
	sound, err := h.Assets.ImportSound("harbour.wav", bytes.NewReader(wave))
	if err == nil {
		_, _, err = h.Do(demoCode, house.Editing{}, edit.SetSound{Sound: sound})
	}
	if err := errors.Join(err, h.Close()); err != nil {
		t.Fatal(err)
	}
}

// TestScreenshots makes docs/screenshots again from the demo, rendered at its real draft. It runs only when
// it is asked for (`make screenshots`).
func TestScreenshots(t *testing.T) {
	if os.Getenv("REELHOUSE_SCREENSHOTS") == "" {
		t.Skip("set REELHOUSE_SCREENSHOTS to make the pictures of the documentation")
	}
	data := t.TempDir()
	h, err := house.Open(data, false)
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(seed(h), h.Close()); err != nil {
		t.Fatal(err)
	}
	base := start(t, data).url + "/p/SALT/"
	p := page{t, browser(t)}
	var keep func(name, ready string)
	shoot := func(name, path, ready string) {
		p.do(name, chromedp.Navigate(base+path))
		keep(name, ready)
	}
	keep = func(name, ready string) {
		p.wait(
			name,
			`Array.from(document.querySelectorAll(".plate img")).filter(i => i.getBoundingClientRect().top < 800 &&
				i.getBoundingClientRect().bottom > 0).every(i => i.complete && i.naturalWidth > 0)`,
		)
		p.wait(name, `document.fonts.status === "loaded"`)
		p.wait(name, ready)
		png, err := chromedp.Run(p.ctx, chromedp.CaptureScreenshot())
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join("../../docs/screenshots", name+".png"), png, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	shoot("output", "output?open=review", `document.querySelector("#stamp-picture").naturalWidth > 300`)
	shoot(
		"set-up", "views?open=quay&beside1=bow&beside2=night&beside3=turn_1#set-up",
		sharp("#beside figure:last-child img"),
	)
	shoot("look", "views?look=lamplight#look", sharp("#look .overlaid img"))
	shoot("cut", "cut?open=0+1", `document.getElementById("player").dataset.shows === "0"`)
	shoot("passes", "passes?view=bow#wall", `document.querySelector("#large-pass img").naturalWidth > 0`)
	for _, name := range []string{"standards", "scenes", "views", "shots"} {
		shoot(name, name, "true")
	}
	shoot("batch", "batch", `document.querySelectorAll(".plate img[src]").length > 3`)
	p.click("send", "#send")
	p.do("send", chromedp.WaitVisible(`section[id^="batch-"]`))
	p.wait("enough frames are good", `Number(document.querySelector("[data-good]").dataset.good) > 56`)
	shoot("queue", "queue", `document.querySelector("[data-state=rendering]") !== null`)
	p.do("screening", chromedp.Navigate(base+"screening?sequence=1&frame=1008"))
	p.arrive("it is shown", `document.querySelector("#picture").dataset.shows === "1008 beauty"`)
	p.do("see a matte", chromedp.Click("#matting > summary"))
	p.press("see a matte", "[data-show-matte=ferry]")
	keep("screening", `document.querySelector("#mapping").textContent.includes("tinted")`)
	p.do("relight", chromedp.Click("#matting > summary"), chromedp.Click("#regrading > summary"))
	p.press("see it graded", "#grade-on")
	keep("relight", `document.querySelector("#mapping").textContent.includes("graded by Night")`)
	shoot("wall", "screening", `[...document.querySelectorAll("#wall img")].length > 1 &&
		[...document.querySelectorAll("#wall img")].every(i => i.complete && i.naturalWidth > 0)`)
	sketched := t.TempDir()
	sketches, call := startAs(t, "demo", sketched).url, caller(t, sketched)
	p.do("findings", chromedp.Navigate(sketches+"/p/SKETCH/screening?sequence=4&frame=1019&place=0,180,480,22"))
	p.wait("it is inspected", `document.querySelectorAll(".found img").length > 7 &&
		document.querySelector("#picture").dataset.shows === "1019 beauty"`)
	call(0, "verdict", "1/020/front/hd", "retake", "--frames", "1013, 1019", "--note", "a strip is missing",
		"--by", "Mira")
	call(0, "verdict", "1/020/front/hd", "approved", "--frames", "1005-1012", "--by", "Mira")
	p.do("as who comes later", chromedp.Reload())
	keep("findings",
		`document.querySelectorAll(".found img").length > 7 &&
			[...document.querySelectorAll(".found img")].every(i => i.naturalWidth > 0) &&
			document.querySelector("#picture").dataset.shows === "1019 beauty"`)
	call(0, "edit", "--production", "SKETCH", "shot.set", "shots=020", "values=")
	call(0, "retakes", "SKETCH", "--send")
	call(0, "wait", "2")
	p.do("find the new version", chromedp.Navigate(sketches+"/p/SKETCH/screening?find=v002"))
	p.arrive("it is there", `document.querySelectorAll(".wall-card").length === 1`)
	version := p.text(`document.querySelector(".wall-card").dataset.sequence`)
	p.do("compare", chromedp.Navigate(
		sketches+"/p/SKETCH/screening?sequence="+version+"&frame=1019&with=s4&mode=wipe"))
	p.arrive("both are shown", `document.querySelector("#picture").dataset.compares === "wipe"`)
	p.do("turn the line", chromedp.Evaluate[chromedp.Void](
		`(a => { a.value = 25; a.oninput(); })(document.querySelector("#wipe-angle"))`))
	keep("compare", "true")
	if out, complaints, err := run(t, "send", "--production", "SALT", "--shots", "060", "--quality", "draft", "--data",
		data); err != nil {
		t.Fatalf("%v: %s%s", err, out, complaints)
	}
	for _, batch := range []string{"1", "2"} {
		if out, complaints, err := run(t, "wait", batch, "--data", data); err != nil {
			t.Fatalf("%v: %s%s", err, out, complaints)
		}
	}
	p.do("deliver", chromedp.Navigate(base+"delivery"))
	p.arrive("it can go out", `document.querySelector("#deliver")`)
	p.press("deliver", "#deliver")
	p.wait("it is complete", `document.querySelector("#sent-1")?.dataset.state === "complete"`)
	shoot("delivery", "delivery",
		`[...document.querySelectorAll(".still-cell img")].slice(0, 4).every(i => i.naturalWidth > 0)`)
	for _, edit := range [][]string{
		{"shot.set", "shots=010", "note=wait for the ferry"}, {"shot.set", "shots=010", "frames=1001-1036"},
		{"look.set", "look=dusk", "sunElevation=4"}, {"size.set", "size=scope", "width=2050"},
	} {
		if out, complaints, err := run(t, append(append([]string{"edit"}, edit...), "--data", data)...); err != nil {
			t.Fatalf("%v: %s%s", err, out, complaints)
		}
	}
	shoot("history", "history?from=2&to=4", `document.getElementById("compared") !== null`)
	for _, edit := range [][]string{
		{"view-key.add", "view=quay", "frame=1001"}, {"view-key.add", "view=quay", "frame=1036"},
		{"view.place", "view=quay", "frame=1020", "side=above", "x=26", "y=44"},
		{"view.aim", "view=quay", "frame=1001", "object=lighthouse"},
		{"view.aim", "view=quay", "frame=1020", "object=lighthouse"},
		{"view.aim", "view=quay", "frame=1036", "object=lighthouse"},
	} {
		if out, complaints, err := run(t, append(append([]string{"edit"}, edit...), "--data", data)...); err != nil {
			t.Fatalf("%v: %s%s", err, out, complaints)
		}
	}
	p.do("take night paper", chromedp.Evaluate[chromedp.Void](`localStorage.setItem("paper", "night")`))
	shoot("night", "views?open=quay&frame=1028#set-up", sharp("#picture img"))
}

// A person agrees on a size in one tab while a second tab shows the page: the second is told, a change of the
// same field waits for a decision, and nothing is lost.
func TestTwoTabsOfOneProduction(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Shots = p.Shots[:1] })
	s := start(t, data)
	first := page{t, browser(t)}
	other, cancel := chromedp.NewContext(first.ctx)
	t.Cleanup(cancel)
	// without a time limit, which would end the tab
	if err := chromedp.Do(other, chromedp.EmulateViewport(1280, 800)); err != nil {
		t.Fatal(err)
	}
	listen(t, other)
	second := page{t, other}
	for _, p := range []page{first, second} {
		p.do(
			"open the standards", chromedp.Navigate(s.url+"/p/SALT/standards?open=hd"),
			chromedp.WaitVisible("#size-hd-width"),
		)
	}
	typed := func(p page, field, text string) {
		t.Helper()
		p.do(
			"type "+text,
			chromedp.Evaluate[chromedp.Void](
				fmt.Sprintf(
					`(() => { const f = document.getElementById(%q); f.value = %q;
						f.dispatchEvent(new Event("change", {bubbles: true})); })()`,
					field, text,
				),
			),
		)
	}
	typed(first, "size-scope-width", "3000")
	first.wait("it shows what that changes", `document.querySelector("#impact")?.textContent.includes("1 shot")`)
	second.wait(
		"the second tab is told",
		`!document.querySelector("#elsewhere").hidden &&
			document.querySelector("#elsewhere").textContent.includes("size scope: width")`,
	)
	typed(second, "size-scope-width", "2000")
	second.wait(
		"the second is asked",
		`document.querySelector("#notice").textContent.includes("changed elsewhere in the meantime, to 3000") &&
			document.getElementById("size-scope-width").value === "2000"`,
	)
	second.do(
		"keep mine",
		chromedp.Evaluate[chromedp.Void](
			`[...document.querySelectorAll("button")].find(b => b.textContent === "Keep mine").click()`,
		),
	)
	second.wait(
		"it is kept",
		`document.querySelector("#notice").textContent.includes("Saved") &&
			document.getElementById("size-scope-width").value === "2000"`,
	)
	first.wait("the first is told", `!document.querySelector("#elsewhere").hidden`)
	if open := second.text(`document.querySelector("#size-details h2").textContent`); open != "Details of HD 16:9" {
		t.Errorf("the details closed: %q", open)
	}
	second.do("undo", chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), chromedp.KeyEvent("z"))
	second.wait("undone", `document.getElementById("size-scope-width").value === "3000"`)
}

// A person writes a name pattern with blocks, completion and text, which stay in step, and sees the stamp live.
func TestNamesAndStampsInTheBrowser(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Shots = p.Shots[:1] })
	s := start(t, data)
	p := page{t, browser(t)}
	p.do(
		"open the output", chromedp.Navigate(s.url+"/p/SALT/output?open=review"),
		chromedp.WaitVisible("#names--pattern"),
	)
	p.do(
		"type the beginning of a field",
		chromedp.Evaluate[chromedp.Void](
			`(() => { const f = document.getElementById("names--pattern"); f.focus(); f.select(); })()`,
		),
		chromedp.KeyEvent("(shot)/(ou"),
	)
	p.wait(
		"it is completed",
		`document.querySelector("[data-complete]")?.dataset.complete === "(output)" &&
			document.querySelector("#names .mistake") !== null`,
	)
	p.do("take the completion", chromedp.KeyEvent("\t"))
	p.wait(
		"text and blocks are in step",
		`document.getElementById("names--pattern").value === "(shot)/(output)" &&
			document.querySelectorAll(".blocks .block").length === 2`,
	)
	p.do("go on", chromedp.KeyEvent("/(size).(frame:4).(ext)"))
	p.wait(
		"the proof is there",
		`document.querySelector("[data-proof]")?.dataset.proof === "pattern" &&
			document.querySelector("#names").dataset.shows.endsWith("(ext)")`,
	)
	p.do(
		"take a block out",
		chromedp.Evaluate[chromedp.Void](
			`[...document.querySelectorAll(".blocks .block")].find(b => b.textContent.includes("(size)"))
				.querySelector("[data-take]").click()`,
		),
	)
	p.wait("the text follows", `document.getElementById("names--pattern").value === "(shot)/(output)/.(frame:4).(ext)"`)
	p.do(
		"put another in",
		chromedp.Evaluate[chromedp.Void](
			`(() => { const f = document.getElementById("names--pattern"); f.setSelectionRange(16, 16);
				[...document.querySelectorAll("[data-insert]")].find(b => b.dataset.insert === "(view)").click(); })()`,
		),
	)
	p.wait(
		"it stands there",
		`document.getElementById("names--pattern").value === "(shot)/(output)/(view).(frame:4).(ext)"`,
	)
	p.do("leave the field", chromedp.Evaluate[chromedp.Void](`document.getElementById("names--pattern").blur()`))
	p.wait("it is kept", `document.querySelector("#notice").textContent.includes("Saved: names: name pattern")`)

	p.wait("the stamp's picture is there", `document.querySelector("#stamp-picture").naturalWidth > 300`)
	p.do(
		"type a note",
		chromedp.Evaluate[chromedp.Void](
			`(() => { const i = document.getElementById("stamp-picture"); i.dataset.before = i.src;
				const f = document.getElementById("output-review-stamp-top-middle"); f.value = "for (title)";
					f.dispatchEvent(new Event("input", {bubbles: true})); })()`,
		),
	)
	p.wait(
		"the picture follows before it is kept",
		`(() => { const i = document.querySelector("#stamp-picture"); return i.src !== i.dataset.before &&
			i.src.includes("top-middle=for") && i.complete && i.naturalWidth > 300 &&
				document.getElementById("stamp-trouble").hidden; })()`,
	)
	p.do(
		"misspell a field",
		chromedp.Evaluate[chromedp.Void](
			`(() => { const f = document.getElementById("output-review-stamp-top-middle"); f.value = "for (titel)";
				f.dispatchEvent(new Event("input", {bubbles: true})); })()`,
		),
	)
	p.wait("it is said", `!document.getElementById("stamp-trouble").hidden`)
}
