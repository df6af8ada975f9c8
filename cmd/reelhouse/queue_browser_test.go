package main

import (
	"errors"
	"os"
	"path/filepath"
	"strconv"
	"strings"
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

// Somebody looks for a word in all logs of a batch, lands on its line, follows what is being said at a task that is
// under way, and asks at sending for a gate and for what follows.
func TestAWordIsFoundInTheLogsOfABatch(t *testing.T) {
	data := seeded(t, func(p *production.Production) { p.Shots = p.Shots[:2] })
	h, err := house.Open(data, false)
	if err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production(demoCode)
	if err != nil {
		t.Fatal(err)
	}
	first := p.Production
	first.Shots = first.Shots[:1]
	if _, err := h.SendDraft(first, house.Sending{}); err != nil {
		t.Fatal(err)
	}
	long := strings.Repeat("20:42:37.335  nothing to be seen\n", 3000)
	for i := range 9 {
		l, err := h.Record.Lease("hand")
		if err != nil {
			t.Fatal(err)
		}
		text := long
		if i == 6 {
			text += "20:42:38.000  error: the Compass turns round\n" + long[:330]
		}
		if err := h.Record.Refuse(l, "it is broken", text); err != nil {
			t.Fatal(err)
		}
	}
	if err := errors.Join(h.Record.Pause(), h.Close()); err != nil {
		t.Fatal(err)
	}
	s := start(t, data)
	q := page{t, browser(t)}
	q.do("open the queue", chromedp.Navigate(s.url+"/p/SALT/queue"), chromedp.WaitVisible("#words-1"))
	q.do("look for a word", chromedp.SendKeys("#words-1", "compass\r"))
	q.arrive("something is found", `document.querySelector("[data-hits]")`)
	q.wait("one line has it", `document.querySelector("[data-hits]").dataset.hits === "1" &&
		document.querySelector("mark").textContent === "Compass"`)
	q.do("go to it by key", chromedp.Focus("[data-hit]"), chromedp.KeyEvent("\r"))
	q.arrive("the log is shown", `document.querySelector("#line-3001")`)
	q.wait("the line is in sight and marked", `(l => l.getAttribute("aria-current") === "true" &&
		l.classList.contains("error") && l.getBoundingClientRect().top > 0 &&
		l.getBoundingClientRect().bottom < innerHeight)(document.querySelector("#line-3001"))`)
	q.wait("the address can be shared", `location.hash === "#line-3001" && location.search.includes("line=3001")`)
	q.do("go to the batch sheet", chromedp.Navigate(s.url+"/p/SALT/batch"), chromedp.WaitVisible("#send"))
	q.click("unfold what is said less often", "#send-more > summary")
	q.click("ask for a gate", `[name="gate"]`)
	q.click("ask for checksums", `[name="then"][value="checksums"]`)
	q.click("send it", "#send")
	q.arrive("it stands in the queue", `document.querySelector("#batch-2")`)
	q.do("open it", chromedp.Navigate(s.url+"/p/SALT/queue?open=2"))
	q.arrive("what follows is shown", `document.querySelector('#batch-2 [data-follow-up="checksums"]')`)
	q.wait("it waits at the gate", `document.querySelector("#batch-2 [data-gate]").textContent.includes("come first")`)
	shared, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer shared.Close()
	if b, err := shared.Record.Batch(2); err != nil || b.FollowUps != 3 || !b.Sequences[0].AtGate {
		t.Errorf("%+v, %v", b.Sums, err)
	}
}

// A token is made on the page, a machine joins with it, and the page tells so by itself; whoever types a reason for a
// pause meanwhile keeps what was typed.
func TestAMachineIsLetInOnThePage(t *testing.T) {
	data := seeded(t, nil)
	s := start(t, data, "--farm", farmAddress(t), "--farm-beat", "200ms")
	q := page{t, browser(t)}
	q.do("open the queue", chromedp.Navigate(s.url+"/p/SALT/queue"), chromedp.WaitVisible("#token-name"))
	q.do("ask for a token that cannot be", chromedp.SendKeys("#token-name", "a b\r"))
	q.wait("it is said why",
		`document.querySelector("#node-token .mistake")?.textContent.includes("no name of a node")`)
	q.do("ask for a token", chromedp.Evaluate[chromedp.Void](`document.querySelector("#token-name").value = ""`),
		chromedp.SendKeys("#token-name", "shed\r"), chromedp.WaitVisible("#made-token"))
	q.wait("it is in the table by itself",
		`document.querySelector("[data-node=shed]")?.textContent.includes("has not joined")`)
	n := &testNode{name: "shed", token: filepath.Join(t.TempDir(), "token"), scratch: t.TempDir()}
	if err := os.WriteFile(n.token, []byte(q.text(`document.querySelector("#made-token").value`)), 0o600); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(n.kill)
	q.do("begin to type a reason", chromedp.SendKeys("#node-shed-pause", "its f"))
	n.start(t, "--labels", "fast")
	q.wait("it has joined", `document.querySelector("[data-node=shed]").textContent.includes("takes tasks")`)
	q.wait("what was typed is there", `document.querySelector("#node-shed-pause").value === "its f" &&
		document.activeElement.id === "node-shed-pause"`)
	q.do("end it", chromedp.SendKeys("#node-shed-pause", "an\r"))
	q.wait("it is paused", `document.querySelector("[data-node=shed]").textContent.includes("paused: its fan")`)
	n.kill()
}
