package main

import (
	"testing"

	"github.com/chromedp/chromedp"

	"reelhouse/core/production"
)

// A person has a picture rendered in tiles, is told what was typed wrongly, and watches the tiles become a frame, without loading any page again.
func TestTilesAreSetAndWatched(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[3:4] // the title still
		p.Shots[0].Sizes, p.Shots[0].Tiles = []string{"scope"}, nil
	})
	s := start(t, data)
	p := page{t, browser(t)}
	p.do("open the sheet", chromedp.Navigate(s.url+"/p/SALT/batch"), chromedp.WaitVisible(`tr[data-row="040 night"] button`))
	p.press("open the sequence", `tr[data-row="040 night"] button`)
	p.wait("it is rendered as a whole", `document.getElementById("cut-into")?.textContent.includes("As a whole")`)
	typed := func(text string) {
		t.Helper()
		p.do("type "+text, chromedp.Evaluate[chromedp.Void](`(() => { const f = document.getElementById("tiles"); f.value = "`+text+`"; f.dispatchEvent(new Event("change", {bubbles: true})); })()`))
	}
	typed("many")
	p.wait("the mistake is told where it was typed", `!document.getElementById("tiles-wrong").hidden && document.getElementById("tiles-wrong").textContent.includes("neither columns")`)
	typed("2 x 2")
	p.wait("the side sheet follows", `document.getElementById("cut-into").textContent.includes("2 × 2 tiles of 52 × 22 px")`)
	p.wait("the sheet follows", `document.getElementById("totals").textContent.includes("1 of them in 4 tiles")`)
	p.press("close it", `[data-close-side]`)
	p.do("send", chromedp.Click("#send"), chromedp.WaitVisible(`section[id^="batch-"]`))
	p.do("open the frame", chromedp.Click(`section g[data-frame="1084"]`), chromedp.WaitVisible("#side svg"))
	p.wait("its tiles are shown", `document.querySelectorAll("#side [data-tile]").length === 4`)
	p.wait("they all become good", `document.querySelectorAll("#side [data-tile][data-state=good]").length === 4`)
	p.wait("the frame is put together", `document.querySelector("section g[data-frame='1084']").dataset.state === "good"`)
	p.do("open it again", chromedp.Click(`section g[data-frame="1084"]`))
	p.wait("its log tells of it", `document.querySelector("#side pre.log")?.textContent.includes("put together from 4 tiles")`)
}
