package main

import (
	"strconv"
	"testing"

	"github.com/chromedp/chromedp"

	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house"
)

// Twelve frames have failed in a paused house. Who opens the queue finds the reason, walks to a failure by key, reads
// its log, retries all of that reason together, and changes what a queued sequence needs.
func TestFailuresAreMendedAndNeedsChanged(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Shots = p.Shots[:2] })
	h, err := house.Open(data, false)
	if err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production(demoCode)
	if err != nil {
		t.Fatal(err)
	}
	id, err := h.SendDraft(p.Production, house.Sending{})
	if err != nil {
		t.Fatal(err)
	}
	for i := range 13 {
		l, err := h.Record.Lease("hand")
		if err != nil {
			t.Fatal(err)
		}
		reason, log := "missing texture quay.png", "looking for quay.png in vain"
		if i == 12 {
			reason = "the sail is torn"
		}
		if err := h.Record.Refuse(l, reason, log); err != nil {
			t.Fatal(err)
		}
	}
	b, err := h.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	if err := h.Record.Pause(); err != nil {
		t.Fatal(err)
	}
	if err := h.Close(); err != nil {
		t.Fatal(err)
	}
	s := start(t, data)
	q := page{t, browser(t)}
	q.do("open the queue", chromedp.Navigate(s.url+"/p/SALT/queue"), chromedp.WaitVisible("[data-failure]"))
	q.wait("the house is paused", `document.querySelector("#paused")?.textContent.includes("paused")`)
	q.wait(
		"failures are told by reasons",
		`(f => f.length === 2 && f[0].textContent.includes("missing texture quay.png") &&
		f[0].textContent.includes("12 frames of 1 sequence"))(document.querySelectorAll("[data-failure]"))`,
	)
	q.do("go to the next failure by key", chromedp.KeyEvent("n"), chromedp.WaitVisible("#side pre.log"))
	q.wait("its log is read", `document.querySelector("#side pre.log").textContent.includes("in vain")`)
	first := q.text(`document.querySelector("#side [data-copy]").dataset.copy`)
	q.do("and the one after it", chromedp.KeyEvent("n"))
	q.wait("which is another one",
		`document.querySelector("#side [data-copy]")?.dataset.copy !== `+strconv.Quote(first))
	if want := b.Sequences[0].Task(1001, 0).String(); first[:len(want)-4] != want[:len(want)-4] {
		t.Errorf("the first failure is %s", first)
	}
	q.click("retry them together", `[id^="retry-reason-"]`)
	q.wait("one reason is left", `document.querySelectorAll("[data-failure]").length === 1`)
	last := b.Sequences[len(b.Sequences)-1]
	field := "#needs-" + strconv.FormatInt(last.ID, 10)
	q.do("unfold the sequences", chromedp.Click("#sequences-1 > summary"), chromedp.WaitVisible(field))
	q.do("say what it needs", chromedp.SendKeys(field, "cores=2 tries=nine\r"))
	q.wait("a mistake is told", `document.querySelector("#notice").textContent.includes("from 1 to 100")`)
	q.wait("what is kept stands there", `document.querySelector("`+field+`")?.value === "" &&
		!document.querySelector(".htmx-request, .htmx-settling, .htmx-swapping")`)
	q.do("type it anew", chromedp.SendKeys(field, "tries=9 cores=2\r"))
	q.wait("it is kept", `document.querySelector("`+field+`")?.value === "cores=2 tries=9"`)
	q.click("let it go on", `form#filter .button.main`)
	q.wait("it goes on", `!document.querySelector("#paused")`)
	shared, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer shared.Close()
	if c, err := shared.Record.ClassOf(last.ID); err != nil || c.Override != "cores=2 tries=9" {
		t.Errorf("the sequence needs %q, %v", c.Override, err)
	}
	if now, err := shared.Record.BatchAlone(id); err != nil || now.Sums[queue.Failed] != 1 {
		t.Errorf("counts are %v, %v", now.Sums, err)
	}
}
