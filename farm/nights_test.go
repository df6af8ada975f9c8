package farm

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"reelhouse/core/lut"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// strange puts something that is no plain file where a file belongs.
func strange(way, path string) error {
	if way == "pipe" {
		return syscall.Mkfifo(path, 0o644)
	}
	return os.Symlink("/etc/hostname", path)
}

// stays waits until the node says something of its trouble.
func stays(t *testing.T, n *Node, says string) {
	t.Helper()
	changed, end := n.Hub.Listen()
	defer end()
	timeout := time.After(30 * time.Second)
	for !strings.Contains(n.Trouble(), says) {
		select {
		case <-changed:
		case <-timeout:
			t.Fatalf("the node says %q, and not %q", n.Trouble(), says)
		}
	}
}

func all(t *testing.T, n *Node, b store.Batch, state queue.State) []store.Frame {
	t.Helper()
	waitFor(t, n, b.ID, settled)
	var frames []store.Frame
	for _, q := range b.Sequences {
		of, err := n.House.Record.Frames(q.ID)
		if err != nil {
			t.Fatal(err)
		}
		frames = append(frames, of...)
	}
	for _, f := range frames {
		if f.State != state {
			t.Errorf("frame %d is %s after %d tries: %s", f.Number, f.State, f.Attempts, f.Reason)
		}
	}
	return frames
}

// A scene that is away for a while costs no frame a try, and the node says what it waits for.
func TestASceneThatIsAwayCostsNoTry(t *testing.T) {
	h, b := housetest.New(t, "1001-1003")
	scene := h.Assets.ScenePath(b.Plan.Scene)
	if err := os.Rename(scene, scene+".away"); err != nil {
		t.Fatal(err)
	}
	n, stop := start(t, h, "good")
	stays(t, n, "batch 1 waits: its scene file cannot be read")
	if err := os.Rename(scene+".away", scene); err != nil {
		t.Fatal(err)
	}
	for _, f := range all(t, n, b, queue.Good) {
		if f.Attempts != 1 {
			t.Errorf("frame %d took %d tries", f.Number, f.Attempts)
		}
	}
	stop()
	if n.Trouble() != "" {
		t.Errorf("the node still says %q", n.Trouble())
	}
}

// Nor does a look-up table that is not there, through which a review output goes; with it, that is rendered.
func TestATableThatIsAwayCostsNoTry(t *testing.T) {
	const text = "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n"
	h, b := housetest.New(t, "1001", func(p *production.Production) {
		p.LUTs = []production.LUTFile{{
			Code: "negative", SHA256: fmt.Sprintf("%x", sha256.Sum256([]byte(text))), Input: lut.Input{Curve: lut.SRGB},
		}}
		p.Picture.Viewing = pixel.ViewLUT("negative")
		review := output.Usual()[1]
		review.Viewed, review.Stamp.On = true, false
		p.Outputs, p.Shots[0].Outputs = []output.Output{review}, []string{review.Code}
		p.ShotDefaults.Outputs = []string{review.Code}
	})
	n, _ := start(t, h, "good")
	stays(t, n, "batch 1 waits: its look-up table cannot be read")
	if _, err := h.Assets.ImportLUT("negative.cube", strings.NewReader(text)); err != nil {
		t.Fatal(err)
	}
	for _, f := range all(t, n, b, queue.Good) {
		if f.Attempts != 1 {
			t.Errorf("frame %d took %d tries: %s", f.Number, f.Attempts, f.Reason)
		}
	}
}

// A batch whose scene is away does not keep another one from being rendered.
func TestOtherBatchesGoOnMeanwhile(t *testing.T) {
	h, b := housetest.New(t, "1001")
	scene := h.Assets.ScenePath(b.Plan.Scene)
	if err := os.Rename(scene, scene+".away"); err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	data, err := os.ReadFile(scene + ".away")
	if err != nil {
		t.Fatal(err)
	}
	other, _, err := h.Assets.ImportScene("other.glb", strings.NewReader(string(data)+"    "))
	if err != nil {
		t.Fatal(err)
	}
	p.Scene, p.Version = other, 2
	id, err := h.SendDraft(p.Production, house.Sending{})
	if err != nil {
		t.Fatal(err)
	}
	n, _ := start(t, h, "good")
	n.House.Record.SetPriority(b.ID, 9)
	waitFor(t, n, id, settled)
	if second, _ := h.Record.Batch(id); second.Counts()[queue.Good] != 1 {
		t.Errorf("counts are %v", second.Counts())
	}
	if first, _ := h.Record.Batch(b.ID); first.Counts()[queue.Failed] != 0 {
		t.Errorf("the batch that waits has %v", first.Counts())
	}
}

// A renderer that cannot be started is no fault of the frames.
func TestARendererThatCannotStartCostsNoTry(t *testing.T) {
	h, b := housetest.New(t, "1001-1002")
	t.Setenv(rendererVariable, "good")
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "renderer")
	n := &Node{
		Name: "test", House: h, Hub: NewHub(), Renderer: Renderer{Name: "pretender", Command: path}, Slots: 1,
		Patience: time.Millisecond,
		Log:      slog.New(slog.DiscardHandler),
	}
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- n.Run(ctx) }()
	stays(t, n, "cannot be started")
	if err := os.Symlink(self, path); err != nil {
		t.Fatal(err)
	}
	for _, f := range all(t, n, b, queue.Good) {
		if f.Attempts != 1 {
			t.Errorf("frame %d took %d tries", f.Number, f.Attempts)
		}
	}
	cancel()
	<-done
}

// A renderer that only says that a disk is full, and never stops saying so, is taken at its word a few times.
func TestARendererThatBlamesTheDiskForEverIsNotBelieved(t *testing.T) {
	h, b := housetest.New(t, "1001")
	n, _ := start(t, h, "full")
	if f := all(t, n, b, queue.Failed); !strings.Contains(f[0].Reason, "no space left") {
		t.Errorf("%+v", f[0])
	}
}

// Twelve frames that all crash are not tried three times each: what is left is held, with the reason.
func TestANightOfCrashesIsHeld(t *testing.T) {
	h, b := housetest.New(t, "1001-1012")
	n, _ := start(t, h, "crash")
	b = waitFor(t, n, b.ID, settled)
	if c := b.Counts(); c[queue.Held] < 9 || c[queue.Failed] > 3 || !strings.Contains(b.Trouble, "exit status 3") {
		t.Errorf("%v, %q", c, b.Trouble)
	}
}

// What is written as something else than a plain file is no file: it is neither followed nor waited for.
func TestPipesAndLinksAreNoFiles(t *testing.T) {
	for _, way := range []string{"pipe", "link"} {
		t.Run(way, func(t *testing.T) {
			h, b := housetest.New(t, "1001")
			n, _ := start(t, h, way)
			if f := all(t, n, b, queue.Failed); !strings.Contains(f[0].Reason, "no plain file") {
				t.Errorf("%+v", f[0])
			}
			if got := files(t, h); len(got) > 0 {
				t.Errorf("left are %v", got)
			}
		})
	}
}

// A folder below the output folder that is a link is not written through.
func TestFoldersThatAreLinksAreNotFollowed(t *testing.T) {
	h, b := housetest.New(t, "1001")
	elsewhere := t.TempDir()
	if err := os.Symlink(elsewhere, filepath.Join(h.Output(), "TEST")); err != nil {
		t.Fatal(err)
	}
	n, _ := start(t, h, "good")
	if f := all(t, n, b, queue.Failed); !strings.Contains(f[0].Reason, "no plain file") {
		t.Errorf("%+v", f[0])
	}
	if left, _ := filepath.Glob(filepath.Join(elsewhere, "*")); len(left) > 0 {
		t.Errorf("made were %v", left)
	}
}

// A line without an end keeps nobody from hearing what comes after it.
func TestARendererThatTalksWithoutEnd(t *testing.T) {
	h, b := housetest.New(t, "1001")
	n, _ := start(t, h, "talks")
	all(t, n, b, queue.Good)
	logs, err := h.Record.Logs(b.Sequences[0].ID, 1001)
	if err != nil || len(logs[0].Text) > maxLog+2*maxLine || !strings.Contains(logs[0].Text, "too long") {
		t.Errorf("%d bytes of log, %v", len(logs[0].Text), err)
	}
}

// A file that cannot be written does not take the others of its frame along: they are kept, and only it is made again.
func TestFilesThatAreGoodAreKept(t *testing.T) {
	both := func(p *production.Production) { withViewing(p); p.Outputs[1].Stamp.On = false }
	h, b := housetest.New(t, "1001", both)
	n, _ := start(t, h, "half:"+filepath.Join(t.TempDir(), "halved"))
	f := all(t, n, b, queue.Good)[0]
	recorded, err := h.Record.Files(f.SequenceID, f.Number)
	if err != nil || len(recorded) != 2 || f.Attempts != 2 {
		t.Fatalf("%+v after %d tries, %v", recorded, f.Attempts, err)
	}
	logs, err := h.Record.Logs(f.SequenceID, f.Number)
	if err != nil || !strings.Contains(logs[0].Text, "1 of its files are in place and are kept") ||
		strings.Contains(logs[0].Text, "wrote .010_v_hd_all.1001.exr") {
		t.Errorf("%v\n%+v", err, logs)
	}
	if v, err := h.Verify(t.Context(), house.Verification{Deep: true}, nil); err != nil || !v.Clean() || v.Files != 2 {
		t.Errorf("%+v, %v", v, err)
	}
}

// A file that was damaged after it was good is noticed, set aside and rendered again; what is foreign is told and left
// alone.
func TestWhatIsLostIsFoundOutAndRenderedAgain(t *testing.T) {
	h, b := housetest.New(t, "1001-1003")
	n, _ := start(t, h, "good")
	all(t, n, b, queue.Good)
	path := func(frame int) string {
		return filepath.Join(h.Output(), b.Sequences[0].Spec.Files[0].Path.Frame(frame))
	}
	data, err := os.ReadFile(path(1002))
	if err != nil {
		t.Fatal(err)
	}
	damaged := []byte(string(data))
	damaged[len(damaged)/2] ^= 1
	foreign := filepath.Join(h.Output(), "TEST", "notes.txt")
	if err := errors.Join(os.WriteFile(path(1002), damaged, 0o644), os.Remove(path(1003)),
		os.WriteFile(foreign, nil, 0o644)); err != nil {
		t.Fatal(err)
	}
	verify := func(deep bool, lost, found int) house.Verified {
		t.Helper()
		v, err := h.Verify(t.Context(), house.Verification{Deep: deep}, nil)
		if err != nil || len(v.Lost) != lost || v.Found != found || len(v.Foreign) != 1 {
			t.Errorf("%+v, %v", v, err)
		}
		return v
	}
	verify(false, 1, 0) // of the two only the one that is gone is seen by its size
	verify(true, 2, 0)
	verify(false, 1, 0) // and what has changed stays lost until it is read again
	now, _ := h.Record.Batch(b.ID)
	if c := now.Counts(); c[queue.Lost] != 2 || c[queue.Good] != 1 {
		t.Fatalf("counts are %v", c)
	}
	if _, err := h.Record.Apply(store.Scope{Production: "TEST", Batch: b.ID}, queue.Retry); err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	all(t, n, b, queue.Good)
	verify(true, 0, 0)
	if again, err := os.ReadFile(path(1002)); err != nil || string(again) != string(data) {
		t.Errorf("rendered again it is another file, %v", err)
	}
	aside, err := filepath.Glob(filepath.Join(h.Output(), ".set-aside/TEST/*/*/*/*/*/*"))
	if err != nil || len(aside) != 1 {
		t.Fatalf("set aside are %v, %v", aside, err)
	}
	if kept, _ := os.ReadFile(aside[0]); string(kept) != string(damaged) {
		t.Error("what was set aside is not the damaged file")
	}
}

// A frame that is rendered once more over a good one, and comes out otherwise, says so; the good file stays, and
// nothing is tried again.
func TestAGoodFileStaysWhenItComesOutOtherwise(t *testing.T) {
	h, b := housetest.New(t, "1001", func(p *production.Production) {
		withViewing(p)
		p.Outputs[1].Stamp = p.Outputs[1].Stamp.With("top-middle", "(rendertime)")
	})
	n, stop := start(t, h, "good")
	all(t, n, b, queue.Good)
	stop()
	n, _ = start(t, h, "otherwise")
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	id, err := h.SendDraft(p.Production, house.Sending{Again: true})
	if err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	waitFor(t, n, id, settled)
	second, err := h.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	f, err := h.Record.Frame(second.Sequences[0].ID, 1001)
	if err != nil || f.State != queue.Failed || f.Attempts != 1 ||
		!strings.Contains(f.Reason, "came out otherwise than in batch") ||
		!strings.Contains(f.Reason, "stamp shows (rendertime)") {
		t.Errorf("%+v, %v", f, err)
	}
	if v, err := h.Verify(t.Context(), house.Verification{Deep: true}, nil); err != nil || !v.Clean() {
		t.Errorf("%+v, %v", v, err)
	}
}

// Steps that the record has in the node's hands, and that nobody is at, are given back; what was leased in this moment
// is not.
func TestStepsThatNobodyIsAtAreTakenBack(t *testing.T) {
	h, b := housetest.New(t, "1001")
	l, err := h.Record.Lease("test")
	if err != nil {
		t.Fatal(err)
	}
	n := &Node{Name: "test", House: h, Hub: NewHub(), Log: slog.New(slog.DiscardHandler)}
	first := n.takeBack(nil)
	if owned, _ := h.Record.Owned(l); !owned || len(first) != 1 {
		t.Fatalf("it was taken back at once: %v", first)
	}
	n.running = map[stepKey]*underWay{keyOf(l): {lease: l}}
	n.takeBack(first)
	if owned, _ := h.Record.Owned(l); !owned {
		t.Error("a step that is being rendered was taken back")
	}
	n.running = nil
	n.takeBack(first)
	if f, _ := h.Record.Frame(b.Sequences[0].ID, 1001); f.State != queue.Ready || f.Attempts != 0 {
		t.Errorf("%+v", f)
	}
}

// What a node owes the record is tried until it is recorded, and the trouble is said meanwhile.
func TestWhatIsOwedIsRecordedInTheEnd(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	n := &Node{Name: "test", House: h, Hub: NewHub(), Log: slog.New(slog.DiscardHandler), Patience: time.Millisecond}
	tries := 0
	err := n.owe(t.Context(), func() error {
		if tries++; tries < 4 {
			if tries > 1 && !strings.Contains(n.Trouble(), "disk is full") {
				t.Errorf("it says %q", n.Trouble())
			}
			return errors.New("database or disk is full (13)")
		}
		return nil
	})
	if err != nil || tries != 4 || n.Trouble() != "" {
		t.Errorf("%v after %d tries; %q", err, tries, n.Trouble())
	}
	if err := n.owe(t.Context(), func() error { return store.ErrLost }); !errors.Is(err, store.ErrLost) {
		t.Errorf("what the record refuses: %v", err)
	}
}

// However a name is given, what has it stays.
func TestNoWayOfGivingANameReplaces(t *testing.T) {
	dir := t.TempDir()
	temp, taken, free := filepath.Join(dir, "temp"), filepath.Join(dir, "taken"), filepath.Join(dir, "free")
	moved := func(temp, final string) error {
		if done, err := moveWithoutReplacing(temp, final); done {
			return err
		}
		return claimAndMove(temp, final)
	}
	for name, way := range map[string]func(temp, final string) error{"link": giveName, "move": moved,
		"claim": claimAndMove} {
		if err := errors.Join(os.WriteFile(temp, []byte("new"), 0o644),
			os.WriteFile(taken, []byte("old"), 0o644)); err != nil {
			t.Fatal(err)
		}
		if err := way(temp, taken); !errors.Is(err, fs.ErrExist) {
			t.Errorf("%s: %v", name, err)
		}
		if data, _ := os.ReadFile(taken); string(data) != "old" {
			t.Errorf("%s replaced it by %q", name, data)
		}
		if err := way(temp, free); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if data, _ := os.ReadFile(free); string(data) != "new" {
			t.Errorf("%s: the file holds %q", name, data)
		}
		if _, err := os.Stat(temp); err == nil {
			t.Errorf("%s left the file under way", name)
		}
		os.Remove(free)
	}
}

// Passes of colour go into files without layers, one each, and become good like any other.
func TestColourPassesBecomePlainPictures(t *testing.T) {
	h, b := housetest.New(t, "1001", func(p *production.Production) {
		p.PassLists[1].Passes = []pass.Code{pass.Beauty, pass.Denoised, pass.Albedo, pass.Emission}
		p.Outputs[0].Role = output.Review
		for i, format := range []output.Format{output.PNG, output.JPEG, output.HDR, output.TIFF} {
			o := p.Outputs[0].Switch(format)
			o.Code, o.Packing = string(format), output.Files
			p.Outputs = append(p.Outputs, o)
			if p.Shots[0].Outputs = append(p.Shots[0].Outputs, o.Code); i == 0 {
				p.Shots[0].Outputs = []string{o.Code}
			}
		}
	})
	n, _ := start(t, h, "good")
	f := all(t, n, b, queue.Good)[0]
	if recorded, err := h.Record.Files(f.SequenceID, f.Number); err != nil || len(recorded) != 16 {
		t.Errorf("%d files, %v: %+v", len(recorded), err, recorded)
	}
}
