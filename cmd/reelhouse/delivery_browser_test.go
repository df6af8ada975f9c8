package main

import (
	"io"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// From a shot that is looked at to its movie and its contact sheet: eight clicks, of which one approves it. The movie
// plays in the browser, and what was handed on proves itself.
func TestAMovieAndAContactSheetInTenClicks(t *testing.T) {
	data := t.TempDir()
	s, call := startAs(t, "demo", data), caller(t, data)
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
