package house_test

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/edit"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// packed returns a folder with files of many sizes, and what they hold.
func packed(t *testing.T) (folder string, files map[string][]byte) {
	t.Helper()
	folder, files = t.TempDir(), map[string][]byte{}
	random := rand.New(rand.NewPCG(2, 21))
	for i, size := range []int{0, 1, 500, 4096, 70_000, 300_001} {
		data := make([]byte, size)
		for j := range data {
			data[j] = byte(random.IntN(256))
		}
		name := fmt.Sprintf("a%d/größe_%d.bin", i%2, size)
		files[name] = data
		path := filepath.Join(folder, filepath.FromSlash(name))
		if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755), os.WriteFile(path, data, 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	return folder, files
}

// A zip that is made while it is read is the same from whatever byte on it is read, and a good one.
func TestAPackageIsReadFromAnyByte(t *testing.T) {
	folder, files := packed(t)
	at := time.Date(2026, 11, 29, 12, 0, 0, 0, time.UTC)
	open := func() io.ReadSeekCloser {
		t.Helper()
		r, err := house.OpenPackage(t.Context(), folder, at)
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	r := open()
	size, err := r.Seek(0, io.SeekEnd)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		t.Fatal(err)
	}
	whole, err := io.ReadAll(r)
	if err != nil || int64(len(whole)) != size {
		t.Fatalf("%d bytes, said %d, %v", len(whole), size, err)
	}
	z, err := zip.NewReader(bytes.NewReader(whole), size)
	if err != nil || len(z.File) != len(files) {
		t.Fatal(err)
	}
	for _, f := range z.File {
		if f.NonUTF8 || !f.Modified.Equal(at) {
			t.Errorf("%s is of %v, and not said to be UTF-8: %v", f.Name, f.Modified, f.NonUTF8)
		}
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(in) // which compares the CRC-32
		if err != nil || !bytes.Equal(data, files[f.Name]) {
			t.Errorf("%s: %v", f.Name, err)
		}
	}
	random := rand.New(rand.NewPCG(9, 9))
	for range 60 {
		from := random.Int64N(size)
		r := r
		if random.IntN(2) == 0 { // that has read nothing yet
			r = open()
		}
		if _, err := r.Seek(from, io.SeekStart); err != nil {
			t.Fatal(err)
		}
		part := make([]byte, min(size-from, random.Int64N(50_000)+1))
		if _, err := io.ReadFull(r, part); err != nil || !bytes.Equal(part, whole[from:from+int64(len(part))]) {
			t.Fatalf("from %d on it is another one: %v", from, err)
		}
		r.Close()
	}
	if _, err := house.OpenPackage(t.Context(), filepath.Join(folder, "none"), at); !errors.Is(err, os.ErrNotExist) {
		t.Error(err)
	}
}

// A delivery is packed, as zip and as tar, which Debian's unzip and tar unpack; it verifies then. Ended in the middle
// of packing, with what is written damaged or not, it goes on and comes out the same.
func TestADeliveryIsPacked(t *testing.T) {
	for form, unpack := range map[production.Form]func(file, into string) *exec.Cmd{
		production.InZip: func(file, into string) *exec.Cmd { return exec.Command("unzip", "-q", file, "-d", into) },
		production.InTar: func(file, into string) *exec.Cmd { return exec.Command("tar", "-xf", file, "-C", into) },
	} {
		h, _ := housetest.New(t, "1001-1006")
		housetest.FinishAll(t, h, 200_000)
		recipe(t, h, edit.SetDelivery{Delivery: "delivery1", Code: new("edit"), Form: new(string(form))})
		d := plannedDelivery(t, h)
		begun, err := h.BeginDelivery(d, "", store.Author{})
		if err != nil {
			t.Fatal(err)
		}
		ctx, cancel := context.WithCancelCause(t.Context())
		enough := errors.New("enough")
		err = h.Deliver(ctx, begun, by, func(p house.DeliveryProgress) {
			if p.Step == "packing" && p.Done == 4 {
				cancel(enough)
			}
		})
		if !errors.Is(err, enough) {
			t.Fatalf("%s: %v", form, err)
		}
		name := house.PackageName(begun, form)
		part := filepath.Join(begun.Folder, "."+name+house.PartMark)
		data, err := os.ReadFile(part)
		if err != nil || len(data) < 200_000 {
			t.Fatal(len(data), err)
		}
		data[len(data)/2] ^= 1
		if err := os.WriteFile(part, data, 0o644); err != nil { // as a crash may leave it
			t.Fatal(err)
		}
		if err := h.Deliver(t.Context(), begun, by, nil); err != nil {
			t.Fatal(err)
		}
		if left, err := os.ReadDir(begun.Folder); err != nil || len(left) != 1 || left[0].Name() != name {
			t.Errorf("%s: %v lie there, %v", form, left, err)
		}
		if _, err := os.Stat(filepath.Join(h.Work(), fmt.Sprintf("delivery-%d", begun.ID))); err == nil {
			t.Errorf("%s: what was packed is left", form)
		}
		into := t.TempDir()
		if out, err := unpack(filepath.Join(begun.Folder, name), into).CombinedOutput(); err != nil {
			t.Fatalf("%s: %v: %s", form, err, out)
		}
		if got := verified(t, into); got != "[]" {
			t.Errorf("%s: %s", form, got)
		}
		for _, f := range d.Files {
			if _, err := os.Stat(filepath.Join(into, filepath.FromSlash(f.To))); err != nil {
				t.Errorf("%s: %v", form, err)
			}
		}
	}
}

// What somebody wants goes out by itself, can be stopped and gone on with, and is gone on with when the server is back.
func TestADelivererGoesOn(t *testing.T) {
	h, _ := housetest.New(t, "1001-1006")
	housetest.FinishAll(t, h, 200_000)
	recipe(t, h, edit.SetDelivery{Delivery: "delivery1", Code: new("edit")})
	begin := func() store.Delivery {
		t.Helper()
		begun, err := h.BeginDelivery(plannedDelivery(t, h), "", store.Author{})
		if err != nil {
			t.Fatal(err)
		}
		return begun
	}
	changed := make(chan struct{}, 1000)
	deliverer := func() *house.Deliverer {
		return &house.Deliverer{House: h, By: by, Log: slog.New(slog.DiscardHandler), Changed: func() {
			select {
			case changed <- struct{}{}:
			default:
			}
		}}
	}
	until := func(id int64, is func(d store.Delivery) bool) store.Delivery {
		t.Helper()
		for {
			d, err := h.Record.Delivery(id)
			if err != nil {
				t.Fatal(err)
			}
			if is(d) {
				return d
			}
			<-changed
		}
	}
	complete := func(d store.Delivery) bool { return d.Complete }
	first := begin()
	if err := deliverer().Want(first.ID); err != nil { // and then the server ended
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	d := deliverer()
	ended := make(chan struct{})
	go func() { defer close(ended); d.Run(ctx) }()
	until(first.ID, complete)
	second := begin()
	full := filepath.Join(h.Output(), plannedDelivery(t, h).Files[3].From)
	data, err := os.ReadFile(full)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(full, bytes.ToUpper(data), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := d.Want(second.ID); err != nil {
		t.Fatal(err)
	}
	stopped := until(second.ID, func(d store.Delivery) bool { return !d.Wanted })
	if stopped.Complete || !strings.Contains(stopped.Trouble, "not what was judged") ||
		strings.Contains(stopped.Trouble, h.Dir) {
		t.Errorf("%+v", stopped)
	}
	if err := os.WriteFile(full, data, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := d.Want(second.ID); err != nil {
		t.Fatal(err)
	}
	if now := until(second.ID, complete); now.Trouble != "" || verified(t, now.Folder) != "[]" {
		t.Errorf("%+v", now)
	}
	third := begin()
	if err := d.Stop(third.ID); err != nil {
		t.Fatal(err)
	}
	if now, err := h.Record.Delivery(third.ID); err != nil || now.Wanted || !strings.Contains(now.Trouble, "stopped") {
		t.Errorf("%+v, %v", now, err)
	}
	cancel()
	<-ended
}

func TestDestinationsAreConfigured(t *testing.T) {
	h, _ := housetest.New(t, "1001-1002")
	housetest.FinishAll(t, h, 1000)
	disk := filepath.Join(t.TempDir(), "usb")
	for says, all := range map[string][]house.Destination{
		"code of its own": {{Code: "a", Folder: "/a"}, {Code: "a", Folder: "/b"}},
		"absolute path":   {{Code: "a", Folder: "b"}},
		"belong":          {{Code: "a", Folder: h.Output()}},
	} {
		if err := h.SetDestinations(all); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", says, err)
		}
	}
	usb := house.Destination{Code: "usb", Name: "Disk of the editor", Folder: disk}
	if err := h.SetDestinations([]house.Destination{usb}); err != nil {
		t.Fatal(err)
	}
	recipe(t, h, edit.SetDelivery{Delivery: "delivery1", Code: new("edit"), To: new("usb")})
	if _, err := h.BeginDelivery(plannedDelivery(t, h), "", store.Author{}); err == nil ||
		!strings.Contains(err.Error(), "mounted") {
		t.Errorf("to a disk that is away: %v", err)
	}
	if err := os.Mkdir(disk, 0o755); err != nil {
		t.Fatal(err)
	}
	if folder := deliveredAll(t, h, plannedDelivery(t, h)); folder != filepath.Join(disk, "TEST_edit_001") {
		t.Error(folder)
	}
	if all := h.Destinations(); !slices.ContainsFunc(all, func(d house.Destination) bool { return d.Code == "" }) {
		t.Error("the data folder is no destination")
	}
}
