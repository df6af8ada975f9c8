package main

import (
	"fmt"
	"math"
	"strconv"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// number reads an entry field.
func (p page) number(id string) float64 {
	p.t.Helper()
	v, err := strconv.ParseFloat(p.text(fmt.Sprintf(`document.getElementById(%q).value`, id)), 64)
	if err != nil {
		p.t.Fatal(err)
	}
	return v
}

// drag presses the mouse on an element and lets it go elsewhere, in pixels from there.
func (p page) drag(what, selector string, dx, dy float64) {
	p.t.Helper()
	middle := func(axis, size string) float64 {
		v, err := strconv.ParseFloat(
			p.text(
				fmt.Sprintf(
					`(b => String(b.%s + b.%s / 2))(document.querySelector(%q).getBoundingClientRect())`, axis, size,
					selector,
				),
			),
			64,
		)
		if err != nil {
			p.t.Fatal(err)
		}
		return v
	}
	x, y := middle("x", "width"), middle("y", "height")
	left := func(e *input.DispatchMouseEventParams) {
		e.Button, e.Buttons, e.ClickCount = input.MouseButtonLeft, 1, 1
	}
	p.do(
		what, chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, left),
		chromedp.MouseEvent(chromedp.MouseMoved, x+dx/2, y+dy/2, left),
		chromedp.MouseEvent(chromedp.MouseMoved, x+dx, y+dy, left),
		chromedp.MouseEvent(chromedp.MouseReleased, x+dx, y+dy, left),
	)
}

// sharp tells whether a picture has gone through all of its steps.
func sharp(selector string) string {
	return fmt.Sprintf(
		`(i => i?.complete && i.naturalWidth > 0 &&
			Number(i.dataset.step) === i.dataset.steps - 1)(document.querySelector(%q))`,
		selector,
	)
}

// A camera is dragged on the plan: its numbers and its picture change. It is turned, moved by keys, straightened, and
// locked; then it stays where it is.
func TestACameraIsDraggedOnThePlan(t *testing.T) {
	s := start(t, seeded(t, nil))
	p := page{t, browser(t)}
	p.do(
		"open a view", chromedp.Navigate(s.url+"/p/SALT/views?open=quay"),
		chromedp.WaitVisible("#plan .chosen .stands"),
	)
	picture := func() string { return p.text(`document.querySelector("#picture img").dataset.live`) }
	p.wait("its picture sharpens", sharp("#picture img"))
	before, east, south, heading := picture(), p.number("view-quay-x"), p.number(
		"view-quay-z",
	), p.number("view-quay-heading")
	scale, err := strconv.ParseFloat(p.text(`String(document.getElementById("plan").getScreenCTM().a)`), 64)
	if err != nil {
		t.Fatal(err)
	}
	p.do(
		"see the plan",
		chromedp.Evaluate[chromedp.Void](`document.getElementById("plan").scrollIntoView({block: "center"})`),
	)
	p.drag("drag the camera", ".chosen .stands", -60, -30)
	p.wait(
		"it stands by itself",
		`document.querySelector("#set-up").textContent.includes("It stands where this view says")`,
	)
	if dx, dz := p.number("view-quay-x")-east, p.number("view-quay-z")-south; math.Abs(dx+60/scale) > 1/scale ||
		math.Abs(dz+30/scale) > 1/scale {
		t.Errorf("60 pixels west and 30 north moved it by %v and %v m, want %v and %v", dx, dz, -60/scale, -30/scale)
	}
	if picture() == before {
		t.Error("its picture has the same address")
	}
	p.wait("the new picture comes", sharp("#picture img"))

	p.drag("turn it", ".chosen .ahead", 80, 0)
	p.wait(
		"the heading changes",
		fmt.Sprintf(`Math.abs(document.getElementById("view-quay-heading").value - %v) > 5`, heading),
	)
	east = p.number("view-quay-x")
	p.do(
		"two steps by keys", chromedp.Evaluate[chromedp.Void](`document.getElementById("plan").focus()`),
		chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight),
	)
	p.wait("it has moved", fmt.Sprintf(`Number(document.getElementById("view-quay-x").value) > %v`, east+0.05))
	if moved := p.number("view-quay-x") - east; math.Abs(moved-0.2) > 0.0015 {
		t.Errorf("two steps moved it by %v m, want 0.2", moved)
	}

	p.do(
		"tilt it",
		chromedp.Evaluate[chromedp.Void](
			`(e => { e.value = "12"; e.dispatchEvent(new Event("change", {bubbles: true}));
				})(document.getElementById("view-quay-tilt"))`,
		),
	)
	p.wait("it is tilted", `document.getElementById("view-quay-tilt").defaultValue === "12.00"`)
	focal := p.number("view-quay-focalLength")
	p.click("straighten", "#view-quay-straighten")
	p.wait("it is level", `document.getElementById("view-quay-tilt").defaultValue === "0.00"`)
	if shift, want := p.number("view-quay-lensShiftY"), focal*math.Tan(12*math.Pi/180); math.Abs(shift-want) > 0.011 {
		t.Errorf("the lens is shifted by %v mm, want %v", shift, want)
	}

	p.click("lock it", "#view-quay-locked")
	p.wait("it says so", `document.querySelector("#set-up").textContent.includes("The camera is locked")`)
	east = p.number("view-quay-x")
	p.drag("try to drag it", ".chosen .stands", 50, 0)
	p.wait("it cannot be typed into", `["x", "heading", "focalLength", "fNumber"].every(
		(name) => document.getElementById("view-quay-" + name).disabled)`)
	p.do("load the page again", chromedp.Navigate(s.url+"/p/SALT/views?open=quay"), chromedp.WaitVisible("#plan"))
	if got := p.number("view-quay-x"); got != east {
		t.Errorf("the locked camera has moved from %v to %v", east, got)
	}
}

// brightness is the mean of a picture's codes, of 255.
func (p page) brightness(picture string) float64 {
	p.t.Helper()
	v, err := strconv.ParseFloat(p.text(`(i => {
		const c = document.createElement("canvas"); c.width = i.naturalWidth; c.height = i.naturalHeight;
		const x = c.getContext("2d"); x.drawImage(i, 0, 0);
		return String(x.getImageData(0, 0, c.width, c.height).data
			.reduce((sum, v, k) => k % 4 < 3 ? sum + v : sum, 0) / (3 * c.width * c.height));
	})(`+picture+`)`), 64)
	if err != nil {
		p.t.Fatal(err)
	}
	return v
}

// A night is built on the dusk, its sun taken away and its exposure lowered: the picture darkens, the lines say so, and
// one of them is given back. A lamp is switched off.
func TestALookIsMadeInTheBrowser(t *testing.T) {
	s := start(t, seeded(t, nil))
	p := page{t, browser(t)}
	shown := `document.querySelector("#look .overlaid img")`
	enter := func(id, value string) {
		p.do(
			"type "+value,
			chromedp.Evaluate[chromedp.Void](
				fmt.Sprintf(
					`(e => { e.value = %q; e.dispatchEvent(new Event("change", {bubbles: true}));
						})(document.getElementById(%q))`,
					value, id,
				),
			),
		)
	}
	brightness := func() float64 {
		p.wait("its picture sharpens", sharp("#look .overlaid img"))
		return p.brightness(shown)
	}
	p.do("open the looks", chromedp.Navigate(s.url+"/p/SALT/views?look=dusk"), chromedp.WaitVisible("#look"))
	dusk := brightness()
	p.click("build on the dusk", "#look-dusk-copy")
	p.wait("the new look is there", `document.getElementById("look-dusk_2") !== null`)
	p.do("open it", chromedp.Navigate(s.url+"/p/SALT/views?look=dusk_2"), chromedp.WaitVisible("#look"))
	enter("look-dusk_2-exposure", "-3")
	p.wait("its line is there", `document.getElementById("look-lines").textContent.includes("-3 EV")`)
	enter("look-dusk_2-sunIntensity", "0")
	p.wait("and the other one", `document.querySelectorAll("#look-lines tr").length === 2`)
	if night := brightness(); night > dusk*0.6 {
		t.Errorf("the night is %.1f of 255 bright, the dusk %.1f", night, dusk)
	}
	// The view's own thumbnail darkens when it is given the look.
	thumb := `document.querySelector("#view-bow .plate img")`
	mean := func() float64 {
		p.wait("the thumbnail comes", thumb+`?.complete && `+thumb+`.naturalWidth > 0`)
		return p.brightness(thumb)
	}
	p.do(
		"see the sheet",
		chromedp.Evaluate[chromedp.Void](`document.getElementById("view-bow").scrollIntoView({block: "center"})`),
	)
	before := mean()
	p.do(
		"give the view the night",
		chromedp.Evaluate[chromedp.Void](
			`(e => { e.value = "dusk_2"; e.dispatchEvent(new Event("change", {bubbles: true}));
				})(document.getElementById("view-bow-look"))`,
		),
	)
	p.wait(
		"the sheet has it",
		`document.querySelector("#view-bow-look option:checked").value === "dusk_2" &&
			document.getElementById("view-bow-look").closest("tr").textContent.includes("-3.00 EV")`,
	)
	p.do(
		"see it again",
		chromedp.Evaluate[chromedp.Void](`document.getElementById("view-bow").scrollIntoView({block: "center"})`),
	)
	if after := mean(); after > before*0.6 {
		t.Errorf("the thumbnail is %.1f of 255 bright by night, and %.1f at dusk", after, before)
	}
	p.click("give the exposure back", "#look-dusk_2-reset-exposure")
	p.wait("one line is left", `document.querySelectorAll("#look-lines tr").length === 1`)
	p.click("switch a lamp off", `#look-lights input[value="lamp_deck"]`)
	p.wait("a line says so", `document.getElementById("look-lines").textContent.includes("lamp_deck")`)
	if on := p.text(`String(document.querySelectorAll("#look-lights input:checked").length)`); on != "8" {
		t.Errorf("%s lamps are on, want 8", on)
	}
}

// A point is picked in the picture and tells how far away it is; the camera is focused there. From it a second one is
// measured. The picture follows while the camera is still being dragged.
func TestADistanceIsPickedAndFocusedAt(t *testing.T) {
	s := start(t, seeded(t, nil))
	p := page{t, browser(t)}
	p.do("open a view", chromedp.Navigate(s.url+"/p/SALT/views?open=quay"), chromedp.WaitVisible("#picture"))
	p.wait("its picture comes", `document.querySelector("#picture img").naturalWidth > 0`)
	click := func(x, y float64, shift bool) {
		p.do(
			"click",
			chromedp.Evaluate[chromedp.Void](
				fmt.Sprintf(
					`(e => { const b = e.getBoundingClientRect();
						e.dispatchEvent(new MouseEvent("click", {bubbles: true, shiftKey: %v,
						clientX: b.left + b.width * %v, clientY: b.top + b.height * %v}));
						})(document.getElementById("picture"))`,
					shift, x, y,
				),
			),
		)
	}
	click(0.5, 0.03, false)
	p.wait("the sky has no distance", `document.getElementById("picked").textContent.includes("no surface")`)
	click(0.52, 0.42, false)
	p.wait("the lighthouse is picked", `document.getElementById("picked").textContent.includes("lighthouse")`)
	click(0.31, 0.55, true)
	p.wait("it is measured", `document.getElementById("tape")?.textContent.includes("From lighthouse")`)
	if lines := p.text(`String(document.querySelectorAll("#picture .marks line").length)`); lines != "1" {
		t.Errorf("%s lines are drawn", lines)
	}
	deep := p.text(`document.getElementById("picked-focusDistance").getAttribute("hx-vals")
		.match(/"value":"([0-9.]+)"/)[1]`)
	p.click("focus there", "#picked-focusDistance")
	p.wait(
		"the focus is there",
		fmt.Sprintf(`document.getElementById("view-quay-focusDistance").defaultValue === String(Number(%q))`, deep),
	)

	p.do(
		"see the plan",
		chromedp.Evaluate[chromedp.Void](`document.getElementById("plan").scrollIntoView({block: "center"})`),
	)
	p.do(
		"watch",
		chromedp.Evaluate[chromedp.Void](
			`document.querySelector("#picture img").id = "watched";
				window.watched = document.getElementById("watched")`,
		),
	)
	p.drag("drag the camera", ".chosen .stands", -60, -30)
	p.wait("the picture followed", `Number(window.watched.dataset.tried) > 0`)
	p.wait(
		"it stands by itself",
		`document.querySelector("#set-up").textContent.includes("It stands where this view says")`,
	)

	p.do(
		"step on by a key", chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), chromedp.KeyEvent("]"),
		chromedp.WaitVisible("#view-bow-heading"),
	)
}

// A ring of eight is built round an object, and given another radius: its eight views are on the sheet, 45 degrees
// apart, and move together.
func TestARingOfEightIsBuilt(t *testing.T) {
	s := start(t, seeded(t, nil))
	p := page{t, browser(t)}
	p.do("open the views", chromedp.Navigate(s.url+"/p/SALT/views"), chromedp.WaitVisible("#rigs"))
	p.click("add a ring", "#rig--add-ring")
	p.wait("its eight views are there", `document.querySelectorAll("tr[id^=view-ring1_]").length === 8`)
	if apart := p.text(`document.getElementById("rig-ring1").textContent
		.includes("45° apart") ? "yes" : "no"`); apart != "yes" {
		t.Error("it does not say that they are 45° apart")
	}
	choose := func(id, value string) {
		p.do(
			"choose "+value,
			chromedp.Evaluate[chromedp.Void](
				fmt.Sprintf(
					`(e => { e.value = %q; e.dispatchEvent(new Event("change", {bubbles: true}));
						})(document.getElementById(%q))`,
					value, id,
				),
			),
		)
	}
	choose("rig-ring1-subject", "lighthouse")
	p.wait("it stands round the lighthouse", `Number(document.getElementById("rig-ring1-x").defaultValue) !== 0`)
	choose("rig-ring1-radius", "25")
	p.wait("it is wider", `document.getElementById("rig-ring1-radius").defaultValue === "25"`)
	p.do(
		"open the third view", chromedp.Navigate(s.url+"/p/SALT/views?open=ring1_3"),
		chromedp.WaitVisible("#view-ring1_3-heading"),
	)
	if heading := p.number("view-ring1_3-heading"); heading != 270 { // from the east, it looks to the west
		t.Errorf("the third looks to %v°", heading)
	}
	p.wait("its picture sharpens", sharp("#picture img"))
}
