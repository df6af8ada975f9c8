package main

import (
	"fmt"
	"net/http"
	"net/url"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"reelhouse/core/production"
)

// A person has a picture rendered in tiles, is told what was typed wrongly, and watches the tiles become a frame,
// without loading any page again.
func TestTilesAreSetAndWatched(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[3:4] // the title still
		p.Shots[0].Sizes, p.Shots[0].Tiles = []string{"scope"}, nil
	})
	s := start(t, data)
	p := page{t, browser(t)}
	p.do(
		"open the sheet", chromedp.Navigate(s.url+"/p/SALT/batch"),
		chromedp.WaitVisible(`tr[data-row="040 night"] button`),
	)
	p.press("open the sequence", `tr[data-row="040 night"] button`)
	p.wait("it is rendered as a whole", `document.getElementById("cut-into")?.textContent.includes("As a whole")`)
	typed := func(text string) {
		t.Helper()
		p.do(
			"type "+text,
			chromedp.Evaluate[chromedp.Void](
				`(() => { const f = document.getElementById("tiles"); f.value = "`+text+`";
					f.dispatchEvent(new Event("change", {bubbles: true})); })()`,
			),
		)
	}
	typed("many")
	p.wait(
		"the mistake is told where it was typed",
		`!document.getElementById("tiles-wrong").hidden &&
			document.getElementById("tiles-wrong").textContent.includes("neither columns")`,
	)
	typed("2 x 2")
	p.wait(
		"the side sheet follows",
		`document.getElementById("cut-into").textContent.includes("2 × 2 tiles of 52 × 22 px")`,
	)
	p.wait("the sheet follows", `document.getElementById("totals").textContent.includes("1 of them in 4 tiles")`)
	p.press("close it", `[data-close-side]`)
	p.click("send", "#send")
	p.do("send", chromedp.WaitVisible(`section[id^="batch-"]`))
	p.press("open the frame", `section g[data-frame="1084"]`)
	p.do("open the frame", chromedp.WaitVisible("#side svg"))
	p.wait("its tiles are shown", `document.querySelectorAll("#side [data-tile]").length === 4`)
	p.wait("they all become good", `document.querySelectorAll("#side [data-tile][data-state=good]").length === 4`)
	p.wait(
		"the frame is put together", `document.querySelector("section g[data-frame='1084']").dataset.state === "good"`,
	)
	p.press("open it again", `section g[data-frame="1084"]`)
	p.wait(
		"its log tells of it",
		`document.querySelector("#side pre.log")?.textContent.includes("put together from 4 tiles")`,
	)
}

// What a page shows of frames changes many times a second while a batch is rendered. A click that began before a change
// reaches the frame all the same, and who walks through the frames by keyboard stays where they are.
func TestAPageThatChangesKeepsFocusAndClicks(t *testing.T) {
	s := start(t, seeded(t, func(p *production.Production) { p.Shots = p.Shots[:1] }))
	p := page{t, browser(t)}
	p.do("open the sheet", chromedp.Navigate(s.url+"/p/SALT/batch"), chromedp.WaitVisible("#send"))
	p.click("send", "#send")
	p.do("send", chromedp.WaitVisible(`section[id^="batch-"]`))
	act := func(event string) {
		t.Helper()
		answer, err := http.PostForm(
			s.url+"/p/SALT/act", url.Values{"event": {event}, "batch": {"1"}, "station": {"queue"}},
		)
		if err != nil || answer.StatusCode != http.StatusOK {
			t.Fatalf("%s: %v, %v", event, answer, err)
		}
		answer.Body.Close()
	}
	const last = `section g[data-frame="1048"]`
	act("hold")
	p.wait("the last frame is held, and nothing moves the page", `document.fonts.status === "loaded" &&
		document.querySelector('`+last+`')?.dataset.state === "held" &&
		!document.querySelector("section g[data-state=rendering], section g[data-state=checking]") &&
		document.querySelector("#ticket").textContent.includes("Nothing is rendering")`)
	p.do("go to it by keyboard", chromedp.Focus(last))
	var x, y float64
	const place = `(b => b.left + b.width / 2 + " " + (b.top + b.height / 2))(document.querySelector('` + last +
		` rect').getBoundingClientRect())`
	before := p.text(place)
	if _, err := fmt.Sscan(before, &x, &y); err != nil {
		t.Fatal(err)
	}
	left := func(e *input.DispatchMouseEventParams) { e.Button, e.ClickCount = input.MouseButtonLeft, 1 }
	p.do("press the mouse", chromedp.MouseEvent(chromedp.MousePressed, x, y, left))
	act("release")
	p.wait("the page has changed", `document.querySelector('`+last+`')?.dataset.state !== "held" &&
		document.querySelector("#ticket .running").textContent.includes("left")`)
	if now := p.text(place); now != before {
		t.Errorf("it was at %s, and is at %s now that there is more to say above it", before, now)
	}
	if focus := p.text(`document.activeElement.dataset.frame ?? document.activeElement.tagName`); focus != "1048" {
		t.Errorf("the keyboard is at %s now", focus)
	}
	p.do("let go of it", chromedp.MouseEvent(chromedp.MouseReleased, x, y, left))
	p.do("its side sheet opens", chromedp.WaitVisible("#side h2"))
}

// listening waits until so many pages listen, and an expression is true in the tab. The tab's page may be another one
// meanwhile. Browsers drop pages by themselves after a while, so that there is no waiting for long.
func (p page) listening(what string, pages int, expression string) {
	p.t.Helper()
	end := time.Now().Add(20 * time.Second)
	for {
		is, err := chromedp.Run(p.ctx, chromedp.Evaluate[bool](fmt.Sprintf(
			`fetch("/metrics").then(r => r.text())
				.then(t => /^reelhouse_listening_pages %d$/m.test(t) && Boolean(%s))`, pages, expression,
		), chromedp.EvalAwaitPromise))
		if is {
			return
		}
		if time.Now().After(end) {
			p.t.Fatalf("%s: %d pages do not listen (%v)", what, pages, err)
		}
	}
}

// A page that was left holds no connection. Browsers keep such pages, with what they wait for, to go back to; there are
// six connections to a server, and the seventh click would wait for one.
func TestAPageThatWasLeftLetsGo(t *testing.T) {
	s := start(t, seeded(t, nil))
	p := page{t, browser(t)}
	for _, path := range []string{"batch", "shots", "queue"} {
		p.do(path, chromedp.Navigate(s.url+"/p/SALT/"+path))
		p.wait(path, fmt.Sprintf("location.pathname.endsWith(%q)", path))
		p.listening(path, 1, "window.left = true")
	}
	p.do("back", chromedp.Evaluate[chromedp.Void]("history.back()"))
	p.listening("back", 1, `location.pathname === "/p/SALT/shots" && window.left === undefined`)
}

// A tab that nobody looks at holds no connection either, and catches up when it is seen again.
func TestATabThatNobodyLooksAtLetsGo(t *testing.T) {
	data := seeded(t, nil)
	s := start(t, data)
	p := page{t, browser(t)}
	look := func(hidden bool) {
		p.do("look", chromedp.Evaluate[chromedp.Void](fmt.Sprintf(
			`Object.defineProperty(document, "hidden", {value: %v, configurable: true});
			document.dispatchEvent(new Event("visibilitychange"))`, hidden,
		)))
	}
	p.do("open the shots", chromedp.Navigate(s.url+"/p/SALT/shots"))
	p.listening("it listens", 1, "true")
	look(true)
	p.listening("it lets go", 0, "true")
	if out, complaints, err := run(t, "edit", "shot.set", "shots=010", "note=later", "--data", data); err != nil {
		t.Fatal(out, complaints)
	}
	look(false)
	p.listening("it has caught up", 1, `!document.getElementById("elsewhere").hidden`)
}
