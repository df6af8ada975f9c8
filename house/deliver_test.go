package house_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/delivery"
	"reelhouse/core/edit"
	"reelhouse/core/frame"
	"reelhouse/core/mhl"
	"reelhouse/core/review"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// by is who hands on in tests.
var by = house.DeliveryBy{Tool: "reelhouse", Version: "test"}

// recipe makes a delivery of the production TEST.
func recipe(t *testing.T, h *house.House, change edit.SetDelivery) {
	t.Helper()
	for _, c := range []edit.Command{edit.AddDelivery{Title: "To the edit"}, change} {
		if _, _, err := h.Do("TEST", house.Editing{}, c); err != nil {
			t.Fatal(err)
		}
	}
}

func plannedDelivery(t *testing.T, h *house.House) delivery.Delivery {
	t.Helper()
	r, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	d, err := h.PlanDelivery(r.Production, "edit")
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// verified returns what is wrong with a folder that was handed on.
func verified(t *testing.T, folder string) string {
	t.Helper()
	r, err := mhl.Check(t.Context(), os.DirFS(folder), nil)
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprint(r.Wrong)
}

func TestADeliveryIsCopiedAndProved(t *testing.T) {
	h, b := housetest.New(t, "1001-1006")
	housetest.FinishAll(t, h, 200_000)
	recipe(t, h, edit.SetDelivery{
		Delivery: "delivery1", Code: new("edit"), Pattern: new("(shot)/(shot)_(frame:2).(ext)"),
		First:    &edit.First{Number: 1, Given: true},
		Approved: new(true),
	})
	if d := plannedDelivery(t, h); !d.Refused() {
		t.Fatal("nothing is approved, and it is not refused")
	}
	v := review.Verdict{Sequence: b.Sequences[0].ID, Kind: review.Approved, Frames: frame.MustParse("1001-1006")}
	if _, err := h.Record.Decide("TEST", v, store.Author{Name: "Ann"}); err != nil {
		t.Fatal(err)
	}
	d := plannedDelivery(t, h)
	if d.Refused() || len(d.Files) != 6 {
		t.Fatalf("%+v", d)
	}
	begun, err := h.BeginDelivery(d, "", store.Author{Name: "Bo"})
	if err != nil || begun.Number != 1 {
		t.Fatal(begun, err)
	}
	if err := h.Deliver(t.Context(), begun, by, nil); err != nil {
		t.Fatal(err)
	}
	if got := verified(t, begun.Folder); got != "[]" {
		t.Error(got)
	}
	was, _ := os.ReadFile(filepath.Join(h.Output(), d.Files[1].From))
	is, err := os.ReadFile(filepath.Join(begun.Folder, "010/010_02.exr"))
	if err != nil || !bytes.Equal(was, is) {
		t.Errorf("frame 1002 is 02, and another file: %v", err)
	}
	table, err := os.ReadFile(filepath.Join(begun.Folder, "manifest.csv"))
	if err != nil || !strings.Contains(string(table), ",1001-1006,1,6,,master: OpenEXR,24 fps,Ann,6,") {
		t.Errorf("%v\n%s", err, table)
	}
	var said struct{ Delivery delivery.Delivery }
	text, err := os.ReadFile(filepath.Join(begun.Folder, "manifest.json"))
	if err := errors.Join(err, json.Unmarshal(text, &said)); err != nil || len(said.Delivery.Files) != 6 {
		t.Error(err)
	}
	page, err := os.ReadFile(filepath.Join(begun.Folder, "manifest.html"))
	if err != nil || !strings.Contains(string(page), "number 1") || strings.Contains(string(page), "<script") {
		t.Error(err)
	}
	// What is handed on is a copy: whoever changes it changes no master.
	if err := os.WriteFile(filepath.Join(begun.Folder, "010/010_02.exr"), []byte("x"), 0o644); err != nil {
		t.Fatal(err)
	}
	if now, err := os.ReadFile(filepath.Join(h.Output(), d.Files[1].From)); err != nil || !bytes.Equal(now, was) {
		t.Errorf("the master has changed: %v", err)
	}
	if all, err := h.Record.Deliveries("test"); err != nil || len(all) != 1 || !all[0].Complete || all[0].By != "Bo" {
		t.Errorf("%+v, %v", all, err)
	}
	if c := delivery.Compare(d.Files, plannedDelivery(t, h).Files); c.Same != 6 || len(c.Added)+len(c.Changed) > 0 {
		t.Errorf("%+v", c)
	}
}

// A delivery that was ended goes on where it was; what is there is read, and not copied again. A master that is not
// what was judged stops it, and so does what stands in its way.
func TestADeliveryGoesOn(t *testing.T) {
	h, _ := housetest.New(t, "1001-1040")
	housetest.FinishAll(t, h, 200_000)
	recipe(t, h, edit.SetDelivery{Delivery: "delivery1", Code: new("edit")})
	d := plannedDelivery(t, h)
	to := filepath.Join(t.TempDir(), "usb")
	begun, err := h.BeginDelivery(d, to, store.Author{})
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancelCause(t.Context())
	enough := errors.New("enough for now")
	err = h.Deliver(ctx, begun, by, func(p house.DeliveryProgress) {
		if p.Step != "copying" || p.Done != 3 {
			return
		}
		if err := h.Deliver(t.Context(), begun, by, nil); err == nil ||
			!strings.Contains(err.Error(), "somebody else") {
			t.Errorf("two at once: %v", err)
		}
		cancel(enough)
	})
	if !errors.Is(err, enough) {
		t.Fatalf("it was ended with %v", err)
	}
	var first string // of those that are there
	var before os.FileInfo
	for _, f := range d.Files {
		path := filepath.Join(to, f.To)
		if info, err := os.Stat(path); err == nil {
			first, before = path, info
			break
		}
	}
	if before == nil {
		t.Fatal("nothing was copied")
	}
	half := filepath.Join(filepath.Dir(first), ".half.exr"+house.PartMark)
	if err := os.WriteFile(half, []byte("half"), 0o644); err != nil { // as a copier that was killed leaves it
		t.Fatal(err)
	}
	master := filepath.Join(h.Output(), d.Files[39].From)
	good, err := os.ReadFile(master)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(master, bytes.ToUpper(good), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := h.Deliver(t.Context(), begun, by, nil); err == nil ||
		!strings.Contains(err.Error(), "not what was judged") {
		t.Errorf("of a master that has changed: %v", err)
	}
	last := filepath.Join(to, d.Files[39].To)
	if err := errors.Join(os.WriteFile(master, good, 0o644), os.WriteFile(last, []byte("other"), 0o644)); err != nil {
		t.Fatal(err)
	}
	if err := h.Deliver(t.Context(), begun, by, nil); err == nil ||
		!strings.Contains(err.Error(), "something else stands there") {
		t.Errorf("over another file: %v", err)
	}
	if all, err := h.Record.Deliveries("TEST"); err != nil || all[0].Complete {
		t.Fatalf("%+v, %v", all, err)
	}
	if err := os.Remove(last); err != nil {
		t.Fatal(err)
	}
	if err := h.Deliver(t.Context(), begun, by, nil); err != nil {
		t.Fatal(err)
	}
	if after, err := os.Stat(first); err != nil || !after.ModTime().Equal(before.ModTime()) {
		t.Errorf("what was there was copied again: %v", err)
	}
	if got := verified(t, to); got != "[]" {
		t.Error(got)
	}
	link := filepath.Join(t.TempDir(), "link")
	if err := os.Symlink(h.Output(), link); err != nil {
		t.Fatal(err)
	}
	for folder, want := range map[string]string{
		to: "not empty", h.Output(): "where finished files belong", filepath.Join(h.Output(), "a", "b"): "belong",
		filepath.Join(link, "new"): "where finished files belong", master: "where finished files belong",
	} {
		if _, err := h.BeginDelivery(d, folder, store.Author{}); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("into %s: %v", folder, err)
		}
	}
}

// BenchmarkDeliver hands on 500 files of 2 MB: read, hashed twice, written and sealed.
func BenchmarkDeliver(b *testing.B) {
	h, _ := housetest.New(b, "1001-1500")
	housetest.FinishAll(b, h, 2_000_000)
	if _, _, err := h.Do("TEST", house.Editing{}, edit.AddDelivery{}); err != nil {
		b.Fatal(err)
	}
	r, err := h.Record.Production("TEST")
	if err != nil {
		b.Fatal(err)
	}
	b.SetBytes(1_000_000_000)
	for b.Loop() {
		d, err := h.PlanDelivery(r.Production, "delivery1")
		if err != nil {
			b.Fatal(err)
		}
		begun, err := h.BeginDelivery(d, "", store.Author{})
		if err != nil {
			b.Fatal(err)
		}
		if err := h.Deliver(b.Context(), begun, by, nil); err != nil {
			b.Fatal(err)
		}
		if err := os.RemoveAll(begun.Folder); err != nil {
			b.Fatal(err)
		}
	}
}
