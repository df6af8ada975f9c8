package queue_test

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/fingerprint"
	"reelhouse/store"
	"reelhouse/web/webtest"
)

// Nodes on other machines are shown once there are any, are paused with a reason, and lose their token.
func TestNodesAreShownAndPaused(t *testing.T) {
	s := webtest.New(t)
	if _, body := s.Get("/p/TEST/queue"); strings.Contains(body, "Nodes on other machines") {
		t.Error("nodes are shown where there are none")
	}
	if err := s.House.Record.AddNode("shed", "UKEY", store.Author{}); err != nil {
		t.Fatal(err)
	}
	_, body := s.Get("/p/TEST/queue")
	s.Says(body, "Nodes on other machines", "has not joined yet")
	said := `{"machine":"<b>big</b>","slots":4,"labels":["fast"],"program":"0.0.1","system":"linux"}`
	if err := s.House.Record.NodeJoined("shed", said); err != nil {
		t.Fatal(err)
	}
	if _, err := s.House.Record.SetRenderer(fingerprint.Renderer{Name: "drawn", Version: "7"}); err != nil {
		t.Fatal(err)
	}
	_, body = s.Get("/p/TEST/queue")
	s.Says(body, "&lt;b&gt;big&lt;/b&gt;", "fast", "away", "another version",
		"gets no tasks for what it does not have: drawn 7")
	do := func(form url.Values) string {
		t.Helper()
		form.Set("node", "shed")
		status, body := s.Plain("/p/TEST/node", form)
		if status != http.StatusOK {
			return webtest.Said(body)
		}
		return body
	}
	for _, bad := range []url.Values{
		{"do": {"pause"}, "value": {" "}}, {"do": {"pause"}, "value": {strings.Repeat("x", 501)}}, {"do": {"x"}}, {},
	} {
		do(bad)
		if n, err := s.House.Record.FindNode("shed"); err != nil || n.Paused != "" {
			t.Errorf("%v: %+v, %v", bad, n, err)
		}
	}
	if body := do(url.Values{"do": {"pause"}, "value": {"its fan"}}); !strings.Contains(body, "paused: its fan") {
		t.Errorf("it is not paused:\n%s", webtest.Said(body))
	}
	if body := do(url.Values{"do": {"stop"}}); !strings.Contains(body, "is stopped") {
		t.Errorf("it is not stopped:\n%s", webtest.Said(body))
	}
	if n, err := s.House.Record.FindNode("shed"); err != nil || !n.Stopped || n.Paused != "its fan" {
		t.Errorf("%+v, %v", n, err)
	}
	if body := do(url.Values{"do": {"resume"}}); strings.Contains(body, "paused: its fan") {
		t.Error("it is still paused")
	}
	for _, bad := range []url.Values{
		{"do": {"labels"}, "value": {"a b"}}, {"do": {"labels"}, "value": {"<b>"}},
		{"do": {"note"}, "value": {strings.Repeat("x", 501)}},
	} {
		do(bad)
		if n, err := s.House.Record.FindNode("shed"); err != nil || len(n.Labels) > 0 || n.Note != "" {
			t.Errorf("%v: %+v, %v", bad, n, err)
		}
	}
	do(url.Values{"do": {"labels"}, "value": {"wet, big,wet"}})
	if body := do(url.Values{"do": {"note"}, "value": {"<i>leaks"}}); !strings.Contains(body, "&lt;i&gt;leaks") {
		t.Errorf("its note is not shown:\n%s", webtest.Said(body))
	}
	if n, err := s.House.Record.FindNode("shed"); err != nil || strings.Join(n.Labels, " ") != "big wet" {
		t.Errorf("its labels are %q, %v", n.Labels, err)
	}
	if _, body := s.Get("/p/TEST/rendered/shed"); !strings.Contains(body, "Nothing that is good now") {
		t.Errorf("it has rendered something:\n%s", webtest.Said(body))
	}
	if body := do(url.Values{"do": {"back"}}); strings.Contains(body, "Nodes on other machines") {
		t.Error("it is still there")
	}
	status, _ := s.Plain("/p/TEST/node", url.Values{"node": {"shed"}, "do": {"back"}})
	if status != http.StatusUnprocessableEntity {
		t.Errorf("once more: %d", status)
	}
}

// A server that lets no nodes in makes no token; and of many nodes a page shows those that may need somebody.
func TestManyNodesAreCounted(t *testing.T) {
	s := webtest.New(t)
	if _, body := s.Plain("/p/TEST/token", url.Values{"name": {"shed"}}); !strings.Contains(body, "lets no nodes in") {
		t.Errorf("a token is made:\n%s", webtest.Said(body))
	}
	for i := range 50 {
		if err := s.House.Record.AddNode(fmt.Sprintf("n%02d", i), fmt.Sprint("U", i), store.Author{}); err != nil {
			t.Fatal(err)
		}
	}
	n, err := s.House.Record.FindNode("n49")
	if err != nil {
		t.Fatal(err)
	}
	n.Paused = "its fan"
	if err := s.House.Record.SetNode(n); err != nil {
		t.Fatal(err)
	}
	_, body := s.Get("/p/TEST/queue")
	s.Says(body, "0 nodes take tasks", "1 is paused", "10 are not shown", "its fan")
	if n := strings.Count(body, "data-node="); n != 40 {
		t.Errorf("%d nodes are shown", n)
	}
}
