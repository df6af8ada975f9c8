package queue_test

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

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
	if err := s.House.Record.NodeJoined("shed", `{"machine":"<b>big</b>","slots":4,"labels":["fast"]}`); err != nil {
		t.Fatal(err)
	}
	_, body = s.Get("/p/TEST/queue")
	s.Says(body, "&lt;b&gt;big&lt;/b&gt;", "fast", "away")
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
	if body := do(url.Values{"do": {"back"}}); strings.Contains(body, "Nodes on other machines") {
		t.Error("it is still there")
	}
	status, _ := s.Plain("/p/TEST/node", url.Values{"node": {"shed"}, "do": {"back"}})
	if status != http.StatusUnprocessableEntity {
		t.Errorf("once more: %d", status)
	}
}
