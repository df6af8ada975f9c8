package main

import (
	"testing"

	"github.com/chromedp/chromedp"
)

// In the demo's second production some pictures are spoilt. Who waits in Screening sees what was found, and goes from a
// finding to its frame and its place; the address holds both.
func TestAFindingOpensAtItsFrameAndPlace(t *testing.T) {
	s := startAs(t, "demo", t.TempDir())
	p := page{t, browser(t)}
	p.do("open the spoilt sequence", chromedp.Navigate(s.url+"/p/SKETCH/screening?sequence=4&frame=1048"))
	p.wait("its last frame is shown when it is "+
		"good", `document.querySelector("#picture").dataset.shows === "1048 beauty"`)
	p.wait("what was found comes by itself", `document.querySelectorAll(".found button").length === 8 &&
		["black", "repeated frame", "band not rendered", "firefly"].every(f =>
			document.querySelector("#findings").textContent.includes(f + " 2"))`)
	p.wait("with pictures", `[...document.querySelectorAll(".found img")].slice(0, 4).every(i => i.naturalWidth > 0)`)
	p.click("go to the strip", `.found button[data-jump="1019"]`)
	p.wait("its frame is shown", `document.querySelector("#picture").dataset.shows === "1019 beauty"`)
	p.wait("its place is marked", `(() => {
		const place = document.querySelector("#place").getBoundingClientRect();
		const picture = document.querySelector("#picture").getBoundingClientRect();
		const near = (a, b) => Math.abs(a - b) < 2;
		return near(place.top - picture.top, picture.height * 180 / 270) && near(place.height,
			picture.height * 22 / 270)
			&& near(place.width, picture.width);
	})()`)
	p.wait(
		"the address holds it",
		`location.search.includes("frame=1019") && location.search.includes("place=0%2C180")`,
	)
	p.do("go on a frame", chromedp.KeyEvent("."))
	p.wait("nothing is marked there", `document.querySelector("#number").textContent === "1020" &&
		document.querySelector("#place").hidden`)
	p.do("go back to what was kept", chromedp.Navigate(
		s.url+"/p/SKETCH/screening?sequence=4&frame=1028&place=158,65,5,5"))
	p.wait("the speck is marked", `document.querySelector("#picture").dataset.shows === "1028 beauty" &&
		!document.querySelector("#place").hidden &&
		document.querySelector(".found [aria-current=true]").textContent.includes("1028")`)
	p.do("look closer", chromedp.Click("#closer > summary"), chromedp.WaitVisible("#spread"))
	p.wait("the marked part is measured", `document.querySelector("#spread").dataset.pixels === "25" &&
		document.querySelector("#spread").textContent.includes("300")`)
	above := `[...document.querySelectorAll("#spread tr")].filter(r => ["R", "G", "B"].includes(r.cells[0].textContent))
		.map(r => Number(r.cells[5].textContent)).join()`
	p.wait("some is above white", `!`+above+`.startsWith("0,0,0")`)
	p.do("show soft highlights", chromedp.Evaluate[chromedp.Void](
		`(c => { c.value = "soft"; c.onchange(); })(document.querySelector("#viewing"))`))
	p.wait("it is counted as it is shown", above+` === "0,0,0"`)
	p.do("and plain ones", chromedp.Evaluate[chromedp.Void](
		`(c => { c.value = ""; c.onchange(); })(document.querySelector("#viewing"))`))
	p.do("look at red alone", chromedp.Evaluate[chromedp.Void](
		`(c => { c.value = "R"; c.onchange(); })(document.querySelector("#channel"))`))
	p.wait("it is grey", `(() => {
		const c = document.querySelector("#picture");
		const [r, g, b] = c.getContext("2d").getImageData(100, 60, 1, 1).data;
		return r > 0 && r === g && g === b;
	})()`)
	p.do("a pixel for a pixel", chromedp.KeyEvent("x"))
	p.wait("it is enlarged, or all of "+
		"it", `(z => z === "fit" || z === "100 %")(document.querySelector("#zoom").textContent)`)
	p.do("larger", chromedp.KeyEvent("i"), chromedp.KeyEvent("i"))
	p.wait("it is larger, and stays in its frame", `(() => {
		const picture = document.querySelector("#picture").getBoundingClientRect();
		const stage = document.querySelector(".stage").getBoundingClientRect();
		return document.querySelector("#zoom").textContent.endsWith("%") && picture.width > 1.4 * stage.width &&
			picture.left <= stage.left + 1 && picture.right >= stage.right - 1;
	})()`)
	p.do("all of it", chromedp.KeyEvent("f"))
	p.wait("it fits", `document.querySelector("#zoom").textContent === "fit"`)
	p.do("play from here", chromedp.KeyEvent("<"))
	p.do("as far as two frames on", chromedp.KeyEvent("."), chromedp.KeyEvent("."), chromedp.KeyEvent(">"))
	p.wait("the range is told", `document.querySelector("#range").textContent === "1028 to 1030"`)
	p.do("once", chromedp.Click("#loops"), chromedp.Evaluate[chromedp.Void](`window.seen = new Set();
		new MutationObserver(() => window.seen.add(document.querySelector("#number").textContent))
			.observe(document.querySelector("#number"), { childList: true })`))
	p.do("play", chromedp.Click("#play"))
	p.wait("it "+
		"ends", `document.querySelector("#play").getAttribute("aria-pressed") === "false" && window.seen.size > 0`)
	p.wait("nothing else was shown", `[...window.seen].every(n => n >= 1028 && n <= 1030)`)
	p.click("inspect once more", "#inspect")
	p.wait("it is found again", `document.querySelectorAll(".found button").length === 8 &&
		!document.querySelector("#findings").textContent.includes("queued")`)
}
