package main

import (
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"reelhouse/core/camera"
	"reelhouse/core/mhl"
	"reelhouse/core/movie"
	"reelhouse/core/production"
	"reelhouse/house/housetest"
)

// From a shot that is looked at to its movie and its contact sheet: eight clicks, of which one approves it. The movie
// plays in the browser, and what was handed on proves itself.
func TestAMovieAndAContactSheetInTenClicks(t *testing.T) {
	data := t.TempDir()
	s := startAs(t, "demo", data)
	p := page{t, browser(t)}
	clicks := 0
	click := func(what, selector string) {
		t.Helper()
		clicks++
		p.press(what, selector)
	}
	p.do("look at a shot", chromedp.Navigate(s.url+"/p/SKETCH/screening?sequence=1"))
	p.wait("all of it is good", `document.querySelectorAll(".room .strip .s-good").length === 24 &&
		document.querySelector("#picture").dataset.shows`)
	click("decide on all of it", "[data-take=all]")
	p.wait("all is named", `document.querySelector("#decide-frames").value === "1001-1024"`)
	click("approve it", "#decide [value=approved]")
	p.wait("it is approved", `document.querySelector("#verdicts").textContent.includes("approved")`)
	click("go to Delivery", ".spine a[href$='/delivery']")
	p.arrive("it is there", `document.querySelector("#add-review")`)
	click("begin with a movie and a contact sheet", "#add-review")
	p.wait("it is a recipe", `document.querySelector("#recipe h2")?.textContent === "Movie and contact sheet" &&
		document.querySelector("#delivery-delivery2-approved")`)
	click("of what is approved", "#delivery-delivery2-approved")
	p.wait("it holds the shot alone", `document.querySelectorAll("#recipe tbody tr").length === 1 &&
		document.querySelector("#recipe").textContent.includes("movies/010_front_hd.mp4") &&
		document.querySelector("#deliver")`)
	click("deliver it", "#deliver")
	p.wait("it is complete", `document.querySelector("#sent-1")?.dataset.state === "complete"`)
	address := p.text(`document.querySelector("#sent-1 a[href$='010_front_hd.mp4']").href`)
	sheet := p.text(`document.querySelector("#sent-1 a[href$='contact_sheet.pdf']").href`)
	clicks += 2 // on these
	if clicks > 10 {
		t.Errorf("it takes %d clicks", clicks)
	}
	for link, begins := range map[string]string{address: "ftyp", sheet: "%PDF"} {
		r, err := http.Get(link)
		if err != nil {
			t.Fatal(err)
		}
		head, err := io.ReadAll(io.LimitReader(r.Body, 16))
		r.Body.Close()
		if err != nil || r.StatusCode != 200 || !strings.Contains(string(head), begins) {
			t.Errorf("%s: %s, %q, %v", link, r.Status, head, err)
		}
	}
	if out, complaints, err := run(t, "verify", filepath.Join(data, "deliveries/SKETCH_delivery2_001")); err != nil {
		t.Error(out, complaints, err)
	}
}

// turned makes a house whose only shot goes round something in eight views, delivered with a page for the web.
func turned(t *testing.T) (folder string) {
	t.Helper()
	h, _ := housetest.New(t, "1001-1002", func(p *production.Production) {
		err := p.SetRig(camera.Rig{
			Kind: camera.Ring, Code: "turn", Name: "Turn", Camera: "cam", Look: p.Looks[0].Code, Count: 8, Radius: 6,
			Height: 1, Arc: 360,
		}, nil)
		if err != nil {
			t.Fatal(err)
		}
		p.Shots[0].View = "turn"
		d := production.Delivery{
			Code: "web", Name: "For the web", NoFiles: true, Page: true, Movie: movie.Usual(), Hash: mhl.XXH64,
		}
		d.Movie.Of = movie.Turn
		p.Deliveries = []production.Delivery{d}
	})
	housetest.DrawAll(t, h)
	if out, complaints, err := run(t, "deliver", "web", "--data", h.Dir); err != nil {
		t.Fatal(out, complaints, err)
	}
	return filepath.Join(h.Deliveries(), "TEST_web_001")
}

// The page for the web works from a disk, without a server: what was turned round turns when it is dragged, and by the
// keyboard, and the movie beside it plays.
func TestAPageForTheWebTurnsWithoutAServer(t *testing.T) {
	folder := turned(t)
	p := page{t, browser(t)}
	p.do("open it", chromedp.Navigate("file://"+filepath.Join(folder, "index.html")))
	p.arrive("its pictures are there", `document.querySelectorAll(".turn img").length === 8 &&
		[...document.querySelectorAll("img")].every(i => i.naturalWidth > 0)`)
	p.wait("the movie can be played", `document.querySelector("video").readyState > 0 &&
		document.querySelector("video").duration > 1.5`)
	at := func(n int) string {
		return fmt.Sprintf(`document.querySelector(".turn").getAttribute("aria-valuenow") === "%d" &&
			document.querySelectorAll(".turn img.shown").length === 1`, n)
	}
	p.wait("the first view is shown", at(1))
	p.do("drag", chromedp.Evaluate[chromedp.Void](`(() => {
		const turn = document.querySelector(".turn"), b = turn.getBoundingClientRect();
		const ev = (type, x) => turn.dispatchEvent(new PointerEvent(type, { bubbles: true, pointerId: 1, clientX: x }));
		ev("pointerdown", b.left + 5);
		ev("pointermove", b.left + 5 + 2 * Math.max(12, turn.clientWidth / 8));
		ev("pointerup", b.left + 5);
		ev("pointermove", b.left + 500);
	})()`))
	p.wait("two views further", at(3))
	p.do("press keys", chromedp.Focus(".turn"), chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowLeft),
		chromedp.KeyEvent(kb.ArrowLeft))
	p.wait("round the other way", at(8))
}
