package farm

import (
	"errors"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"testing"

	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// onVolume returns a house with a batch of frames in the data folder, and one of the same, which comes first, on the
// volume archive in a folder.
func onVolume(t *testing.T, frames string) (h *house.House, first, second store.Batch, folder string) {
	t.Helper()
	h, first = housetest.New(t, frames)
	folder = filepath.Join(t.TempDir(), "disk")
	if err := os.Mkdir(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := h.SetVolumes([]store.Volume{{Code: "archive", Folder: folder}}); err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	p.Volume = "archive"
	id, err := h.SendDraft(p.Production, house.Sending{Sending: store.Sending{Priority: 9}})
	if err != nil {
		t.Fatal(err)
	}
	if second, err = h.Record.Batch(id); err != nil {
		t.Fatal(err)
	}
	return h, first, second, folder
}

// A volume that is away costs its batch no try, and keeps no other batch from being rendered.
func TestABatchWaitsForItsVolume(t *testing.T) {
	h, first, second, folder := onVolume(t, "1001-1002")
	if err := os.Rename(folder, folder+".away"); err != nil {
		t.Fatal(err)
	}
	n, stop := start(t, h, "good")
	defer stop()
	all(t, n, first, queue.Good)
	stays(t, n, "the output folder of volume archive is not there")
	if _, err := os.Stat(folder); err == nil {
		t.Error("the folder of a disk that is away was made")
	}
	if err := os.Rename(folder+".away", folder); err != nil {
		t.Fatal(err)
	}
	for _, f := range all(t, n, second, queue.Good) {
		if f.Attempts != 1 {
			t.Errorf("frame %d took %d tries", f.Number, f.Attempts)
		}
	}
	files, err := filepath.Glob(filepath.Join(folder, "TEST/010/master/hd/v001/all/*.exr"))
	if err != nil || len(files) != 2 {
		t.Errorf("on the volume there are %v: %v", files, err)
	}
	if n.Trouble() != "" {
		t.Errorf("the node still says %q", n.Trouble())
	}
}

// What could not be removed when a step ended, or when a node took up what another one had left, is removed when its
// disk is back.
func TestFilesUnderWayAreRemovedWhenTheirDiskIsBack(t *testing.T) {
	for what, end := range map[string]func(n *Node, l *store.Lease) error{
		"the step ended": func(n *Node, l *store.Lease) error {
			n.settle(t.Context(), t.Context(), l, errors.New("the renderer stopped"), NewLog())
			return nil
		},
		"the node was killed": func(n *Node, _ *store.Lease) error { return n.clearUp() },
		"the step ended, and then the node was killed": func(n *Node, l *store.Lease) error {
			another := &Node{House: n.House, Hub: n.Hub, Log: n.Log, unsure: map[stepKey]int{}}
			another.settle(t.Context(), t.Context(), l, errors.New("the renderer stopped"), NewLog())
			return n.clearUp()
		},
		"a person dropped it, and then the node was killed": func(n *Node, l *store.Lease) error {
			_, err := n.House.Record.Apply(store.Scope{Production: "TEST", Batch: l.Batch.ID}, queue.Drop)
			return errors.Join(err, n.clearUp())
		},
	} {
		h, _, _, folder := onVolume(t, "1001")
		l, err := h.Record.Lease("node")
		if err != nil || l == nil || l.Batch.Plan.Volume != "archive" {
			t.Fatalf("%+v, %v", l, err)
		}
		_, parts, _, err := newJob(h, l)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(parts[0].temp, []byte("half"), 0o644); err != nil {
			t.Fatal(err)
		}
		n := &Node{House: h, Hub: NewHub(), Log: slog.New(slog.DiscardHandler), unsure: map[stepKey]int{}}
		if err := os.Rename(folder, folder+".away"); err != nil {
			t.Fatal(err)
		}
		if err := end(n, l); err != nil {
			t.Fatalf("%s: %v", what, err)
		}
		n.sweep()
		if err := os.Rename(folder+".away", folder); err != nil {
			t.Fatal(err)
		}
		if _, err := os.Stat(parts[0].temp); err != nil {
			t.Fatalf("%s: it is gone already: %v", what, err)
		}
		n.sweep()
		if _, err := os.Stat(parts[0].temp); !errors.Is(err, fs.ErrNotExist) {
			t.Errorf("%s: the file under way is still there: %v", what, err)
		}
		if len(n.behind) != 0 {
			t.Errorf("%s: %d steps are still behind", what, len(n.behind))
		}
		if open, err := h.Record.OpenLeases(); err != nil || len(open) != 0 {
			t.Errorf("%s: the record still knows of %+v, %v", what, open, err)
		}
	}
}
