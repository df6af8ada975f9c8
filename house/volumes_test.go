package house_test

import (
	"context"
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// onVolume returns a house with a batch of one frame whose files go to the volume archive.
func onVolume(t *testing.T) (h *house.House, b store.Batch, folder string) {
	t.Helper()
	folder = t.TempDir()
	h, _ = housetest.New(t, "1001")
	if err := h.SetVolumes([]store.Volume{{Code: "archive", Name: "Archive", Folder: folder}}); err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	p.Volume = "archive"
	id, err := h.SendDraft(p.Production, house.Sending{})
	if err != nil {
		t.Fatal(err)
	}
	if b, err = h.Record.Batch(id); err != nil {
		t.Fatal(err)
	}
	return h, b, folder
}

func TestAVolumeIsPartOfPaths(t *testing.T) {
	h, b, folder := onVolume(t)
	path := b.Sequences[0].Spec.Files[0].Path.Frame(1001)
	if path != "archive:/TEST/010/master/hd/v001/all/010_v_hd_all.1001.exr" || b.Plan.Volume != "archive" {
		t.Fatalf("the path is %s, the volume %q", path, b.Plan.Volume)
	}
	if err := h.OutputFolder(path); err != nil {
		t.Fatal(err)
	}
	file, err := h.OutputPath(path)
	if err != nil || file != filepath.Join(folder, "TEST/010/master/hd/v001/all/010_v_hd_all.1001.exr") {
		t.Fatalf("it lies at %s: %v", file, err)
	}
	if err := os.WriteFile(file, []byte("damaged"), 0o644); err != nil {
		t.Fatal(err)
	}
	v, err := h.Verify(context.Background(), house.Verification{}, nil)
	if err != nil || len(v.Foreign) != 1 || v.Foreign[0] != path {
		t.Errorf("a file that nobody recorded: %+v, %v", v, err)
	}
	aside, err := h.SetAside(path)
	if err != nil || !strings.HasPrefix(aside, "archive:/.set-aside/TEST/") {
		t.Errorf("it is set aside as %s: %v", aside, err)
	}
	if v, err := h.Verify(context.Background(), house.Verification{}, nil); err != nil || !v.Clean() {
		t.Errorf("the volume's own files are told: %+v, %v", v, err)
	}
	for _, bad := range []string{"archive:/../x", "archive:x/../../y", "other:/x", "archive://x"} {
		if got, err := h.OutputPath(bad); err == nil && !strings.HasPrefix(got, h.Output()+"/") {
			t.Errorf("%s leads to %s", bad, got)
		}
	}
}

// What is sent to a volume is not in place because it lies in the data folder, and the other way round.
func TestAnotherVolumeHasFilesOfItsOwn(t *testing.T) {
	h, _, _ := onVolume(t)
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	for _, volume := range []string{"", "archive"} {
		p.Volume = volume
		d, err := h.Draft(p.Production)
		if err != nil || d.Diffs[0].Coming.Count() != 1 {
			t.Errorf("on volume %q: %+v, %v", volume, d.Diffs, err)
		}
	}
}

// A disk that is not mounted leaves an empty folder: nothing is lost by that, and nothing is written there.
func TestADiskThatIsAwayLosesNothing(t *testing.T) {
	h, b, folder := onVolume(t)
	path := b.Sequences[0].Spec.Files[0].Path.Frame(1001)
	finish(t, h, 1001) // of the first batch, in the data folder
	finish(t, h, 1001)
	away := folder + ".away"
	verify := func() house.Verified {
		t.Helper()
		v, err := h.Verify(context.Background(), house.Verification{}, nil)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	if v := verify(); len(v.Lost)+len(v.Unread) != 0 || v.Files != 2 {
		t.Fatalf("before: %+v", v)
	}
	for what, make := range map[string]func() error{
		"no folder":             func() error { return nil },
		"a folder without mark": func() error { return os.Mkdir(folder, 0o755) },
		"another disk": func() error {
			return os.WriteFile(filepath.Join(folder, ".reelhouse-volume"), []byte("other\n"), 0o644)
		},
	} {
		if _, err := os.Stat(away); err != nil {
			if err := os.Rename(folder, away); err != nil {
				t.Fatal(err)
			}
		}
		if what == "another disk" {
			os.Mkdir(folder, 0o755)
		}
		if err := make(); err != nil {
			t.Fatal(err)
		}
		if v := verify(); len(v.Lost) != 0 || len(v.Unread) != 1 || !strings.Contains(v.Unread[0], "archive") {
			t.Errorf("%s: %+v", what, v)
		}
		if err := h.OutputFolder(path); err == nil {
			t.Errorf("%s: a folder was made", what)
		}
		if s := h.VolumeState("archive"); s.Fault == "" || strings.Contains(s.Fault, folder) {
			t.Errorf("%s: the state is %+v", what, s)
		}
		if err := os.RemoveAll(folder); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Rename(away, folder); err != nil {
		t.Fatal(err)
	}
	if v := verify(); len(v.Lost)+len(v.Unread) != 0 {
		t.Errorf("after: %+v", v)
	}
}

func TestVolumesOfTheConfiguration(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	a, b := t.TempDir(), t.TempDir()
	for says, volumes := range map[string][]store.Volume{
		"its code needs":               {{Code: "my disk", Folder: a}},
		"is no whole path":             {{Code: "a", Folder: "renders"}},
		"there is no folder":           {{Code: "a", Folder: filepath.Join(a, "none")}},
		"the data folder lie one with": {{Code: "a", Folder: h.Output()}},
		"there are two of this code":   {{Code: "a", Folder: a}, {Code: "A", Folder: b}},
		"and that of volume":           {{Code: "a", Folder: a}, {Code: "b", Folder: a}},
	} {
		if err := h.SetVolumes(volumes); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v: %v", volumes, err)
		}
	}
	if len(h.Volumes()) != 1 {
		t.Errorf("there are %v", h.Volumes())
	}
	if err := h.SetVolumes([]store.Volume{{Code: "a", Folder: a}}); err != nil {
		t.Fatal(err)
	}
	beside, err := house.Open(h.Dir, true)
	if err != nil {
		t.Fatal(err)
	}
	defer beside.Close()
	if v, known := beside.Volume("a"); !known || v.Folder != a {
		t.Errorf("beside the server there is %+v", v)
	}
	if _, known := beside.Volume("A"); known {
		t.Error("a volume is known by other letters, which would be other paths")
	}
	// A server that is started while the disk of a known volume is away serves, and one without it forgets it.
	if err := os.RemoveAll(a); err != nil {
		t.Fatal(err)
	}
	if err := h.SetVolumes([]store.Volume{{Code: "a", Folder: a}}); err != nil {
		t.Error(err)
	}
	if err := h.SetVolumes(nil); err != nil || h.VolumeState("a").Fault == "" {
		t.Errorf("%v, %+v", err, h.VolumeState("a"))
	}
}

// A server that is started on a full disk has its volumes all the same.
func TestVolumesAreThereThoughTheyCannotBeRecorded(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	folder := t.TempDir()
	same := []store.Volume{{Code: "a", Folder: folder}}
	if err := h.SetVolumes(same); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("sqlite", filepath.Join(h.Dir, "reelhouse.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(`CREATE TRIGGER full BEFORE DELETE ON volume BEGIN
		SELECT RAISE(ABORT, 'database or disk is full'); END`); err != nil {
		t.Fatal(err)
	}
	if err := h.SetVolumes([]store.Volume{{Code: "a", Folder: folder}}); err != nil {
		t.Errorf("the same again: %v", err)
	}
	if err := h.SetVolumes(append(same, store.Volume{Code: "b", Folder: t.TempDir()})); err != nil {
		t.Errorf("another one: %v", err)
	}
	if _, known := h.Volume("b"); !known {
		t.Error("it is not known")
	}
}

// A production that names a volume that is not there cannot be sent, whatever is waived.
func TestAnUnknownVolumeIsRefused(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	p.Volume = "nowhere"
	p.Waivers = []production.Waiver{{Rule: "volume-unusable", Reason: "as asked"}}
	if _, err := h.SendDraft(p.Production, house.Sending{}); err == nil ||
		!strings.Contains(err.Error(), "nowhere is not in the server's configuration") {
		t.Errorf("it is said: %v", err)
	}
}
