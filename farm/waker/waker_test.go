package waker

import (
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"reelhouse/core/wake"
	"reelhouse/farm"
	"reelhouse/farm/gate"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// provided returns a waker whose provider is a shell script, and where that notes what it was asked.
func provided(t *testing.T, script string) (w *Waker, asked func() string) {
	t.Helper()
	if runtime.GOOS == "windows" {
		t.Skip("the provider of this test is a shell script")
	}
	h, _ := housetest.New(t, "1001-1010")
	log := slog.New(slog.DiscardHandler)
	hub := farm.NewHub()
	like := farm.Node{House: h, Hub: hub, Log: log}
	g, err := gate.Open(t.Context(), gate.Options{
		House: h, Hub: hub, Address: "127.0.0.1:0", Program: "test", Like: like.Like, Log: log,
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(g.Close)
	notes := filepath.Join(t.TempDir(), "asked")
	policy := wake.Usual()
	policy.After = 0
	w = &Waker{
		House: h, Hub: hub, Connected: func() []*farm.Node { return nil }, Policy: policy, Command: "sh",
		Args: []string{"-c", `echo "$@" >> ` + notes + "; " + script, "sh"}, Names: []string{"rented"}, Log: log,
		idle: map[string]time.Time{}, later: map[string]time.Time{},
	}
	return w, func() string {
		text, err := os.ReadFile(notes)
		if err != nil {
			return ""
		}
		return string(text)
	}
}

// A machine that cannot be woken rests for a while; one that does not join is sent to sleep, and if that fails it is
// tried again later and said: it may cost.
func TestAProviderFails(t *testing.T) {
	w, asked := provided(t, `echo "no machines are left" >&2; exit 3`)
	now := time.Now()
	if err := w.look(t.Context(), now); err != nil {
		t.Fatal(err)
	}
	if got := asked(); !strings.HasPrefix(got, "wake rented ") || strings.Count(got, "\n") != 1 {
		t.Fatalf("it was asked: %s", got)
	}
	if err := w.look(t.Context(), now.Add(time.Minute)); err != nil || strings.Count(asked(), "\n") != 1 {
		t.Errorf("it does not rest: %s, %v", asked(), err)
	}
	if err := w.look(t.Context(), now.Add(restsFor+time.Minute)); err != nil || strings.Count(asked(), "\n") != 2 {
		t.Errorf("it is not tried again: %s, %v", asked(), err)
	}
	w.Args[1] = strings.Replace(w.Args[1], "exit 3", `[ "$1" = wake ] || exit 3`, 1)
	if err := w.look(t.Context(), now.Add(3*restsFor)); err != nil || strings.Count(asked(), "wake") != 3 {
		t.Fatalf("%s, %v", asked(), err)
	}
	late := now.Add(3*restsFor + w.Policy.Within + time.Hour)
	if err := w.look(t.Context(), late); err == nil || !strings.Contains(err.Error(), "may go on costing") ||
		!strings.Contains(err.Error(), "no machines are left") {
		t.Errorf("%v", err)
	}
	if err := w.look(t.Context(), late); err != nil || strings.Count(asked(), "sleep rented") != 1 {
		t.Errorf("it is tried again at once: %s, %v", asked(), err)
	}
	kept, err := w.read()
	if err != nil || kept["rented"].Woken.IsZero() {
		t.Errorf("it is forgotten: %+v, %v", kept, err)
	}
}

// A machine that somebody has paused is left alone, and a token that was taken back is made anew.
func TestPeopleSayWhatSleeps(t *testing.T) {
	w, asked := provided(t, "true")
	if err := w.House.Record.AddNode("rented", "UOLD", store.Author{}); err != nil {
		t.Fatal(err)
	}
	n, err := w.House.Record.FindNode("rented")
	if err != nil {
		t.Fatal(err)
	}
	n.Paused = "its owner is on holiday"
	if err := w.House.Record.SetNode(n); err != nil {
		t.Fatal(err)
	}
	if err := w.look(t.Context(), time.Now()); err != nil || asked() != "" {
		t.Fatalf("%s, %v", asked(), err)
	}
	n.Paused = ""
	if err := w.House.Record.SetNode(n); err != nil {
		t.Fatal(err)
	}
	if err := w.look(t.Context(), time.Now()); err != nil || !strings.HasPrefix(asked(), "wake rented ") {
		t.Fatalf("%s, %v", asked(), err)
	}
	if n, err = w.House.Record.FindNode("rented"); err != nil || n.Key == "UOLD" || n.By != by {
		t.Errorf("%+v, %v", n, err)
	}
	info, err := os.Stat(w.tokenPath("rented"))
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("its token: %v, %v", info, err)
	}
	// Paused while it is awake, it is sent to sleep in the end, and why it was paused stays.
	n.Paused = "it smells"
	if err := w.House.Record.SetNode(n); err != nil {
		t.Fatal(err)
	}
	if err := w.look(t.Context(), time.Now().Add(time.Hour)); err != nil || !strings.Contains(asked(), "sleep rented") {
		t.Fatalf("%s, %v", asked(), err)
	}
	if n, err = w.House.Record.FindNode("rented"); err != nil || n.Paused != "it smells" {
		t.Errorf("%+v, %v", n, err)
	}
	if err := os.WriteFile(w.path(), []byte("{"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := w.look(t.Context(), time.Now()); err == nil {
		t.Error("a damaged list of machines is taken for an empty one")
	}
}
