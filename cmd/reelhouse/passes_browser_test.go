package main

import (
	"fmt"
	"slices"
	"strconv"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/house"
)

// draw presses on one thing, moves down to another, and lets go there.
func (p page) draw(what, from, to string) {
	p.t.Helper()
	p.do(what, chromedp.Evaluate[chromedp.Void](
		fmt.Sprintf(`document.querySelector(%q).scrollIntoView({ block: "center" })`, from)))
	down, err := strconv.ParseFloat(p.text(fmt.Sprintf(
		`String(document.querySelector(%q).getBoundingClientRect().y -
			document.querySelector(%q).getBoundingClientRect().y)`, to, from)), 64)
	if err != nil {
		p.t.Fatal(err)
	}
	p.drag(what, from, 0, down)
}

// Six lists of 36 passes are set up with less than half the presses that a box for each would take.
func TestSixListsOfPassesAreSetUp(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.PassLists = p.PassLists[:1]
		p.PassLists[0].Code = "minimum"
		p.ShotDefaults.PassList = "minimum"
		for _, code := range []string{"comp", "relight", "data", "denoise", "all"} {
			p.PassLists = append(p.PassLists, production.PassList{
				Code: code, Name: code, Passes: []pass.Code{pass.Beauty}, Depth: pass.UsualDepth(),
			})
		}
		for i := range p.Shots {
			p.Shots[i].PassList = ""
		}
	})
	s := start(t, data)
	p := page{t, browser(t)}
	p.do("open the passes", chromedp.Navigate(s.url+"/p/SALT/passes"), chromedp.WaitVisible("#passes"))
	if n := p.text(`String(document.querySelectorAll("#passes tr:not(.group) .cell-box").length)`); n != "216" {
		t.Fatalf("there are %s boxes, want 36 by 6", n)
	}
	presses := 0
	has := func(code, list string) string { return "#has-" + code + "-" + list }
	tick := func(list string, codes ...string) {
		presses++
		from, to := has(codes[0], list), has(codes[len(codes)-1], list)
		p.wait(list+" is ready", fmt.Sprintf(`document.querySelector(%q)`, from))
		p.draw("draw over "+list, from, to)
		p.wait(to+" is ticked", fmt.Sprintf(`document.querySelector(%q).ariaChecked === "true"`, to))
	}
	group := func(list, name string) {
		presses++
		box := "#all-" + name + "-" + list
		p.draw("press the group "+name, box, box)
		p.wait("the group is ticked", fmt.Sprintf(`document.querySelector(%q).ariaChecked === "true"`, box))
	}
	group("relight", "Light")
	tick("relight", "depth", "distance", "position", "normal")
	tick("relight", "cryptoobject", "cryptomaterial", "cryptoasset")
	group("data", "Data")
	group("denoise", "Guides")
	tick("denoise", "denoised")
	for _, name := range pass.Groups() {
		group("all", string(name))
	}
	group("comp", "Mattes")
	tick("comp", "motion", "motionback")
	p.do("Tab stops at the table once, arrows move, Space ticks",
		chromedp.Evaluate[chromedp.Void](`document.querySelector("#has-facing-comp").focus()`),
		chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowUp), chromedp.KeyEvent(" "))
	presses++
	p.wait("it is ticked", `document.querySelector("#has-facing-comp").ariaChecked === "true"`)
	p.wait("it keeps the focus", `document.activeElement.id === "has-facing-comp"`)
	if stops := p.text(`String(document.querySelectorAll('#passes .cell-box[tabindex="0"]').length)`); stops != "1" {
		t.Errorf("Tab stops at %s boxes", stops)
	}

	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	now, err := h.Record.Production("SALT")
	if err != nil {
		t.Fatal(err)
	}
	boxes := 0
	for _, l := range now.PassLists {
		boxes += len(l.Passes) - 1 // each has the beauty from the start
	}
	relight, _ := now.FindPassList("relight")
	if all, _ := now.FindPassList("all"); len(all.Passes) != 36 || !slices.Contains(relight.Passes, pass.CryptoAsset) ||
		slices.Contains(relight.Passes, pass.UV) {
		t.Errorf("the lists are %v", now.PassLists)
	}
	t.Logf("%d boxes were ticked with %d presses", boxes, presses)
	if 2*presses > boxes {
		t.Errorf("%d presses ticked %d boxes", presses, boxes)
	}
}
