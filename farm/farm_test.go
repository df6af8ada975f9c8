package farm

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/framefile"
	"reelhouse/core/job"
	"reelhouse/core/queue"
	"reelhouse/core/trace"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// The test program is its own renderer: with this variable set it performs the job that its last argument
// names, in one of several good and bad ways.
const rendererVariable = "FARM_TEST_RENDERER"

func TestMain(m *testing.M) {
	if way := os.Getenv(rendererVariable); way != "" {
		if os.Args[1] == "assemble" {
			os.Exit(pretendToAssemble(way, os.Args[len(os.Args)-1]))
		}
		if os.Args[1] == "judge" {
			os.Exit(pretendToJudge(way))
		}
		if os.Args[1] == "follow" {
			os.Exit(pretendToFollow(os.Args[2], os.Args[len(os.Args)-1]))
		}
		os.Exit(pretend(way, os.Args[len(os.Args)-1]))
	}
	os.Exit(m.Run())
}

func pretend(way, path string) int {
	data, err := os.ReadFile(path)
	if err != nil {
		return 2
	}
	j, err := job.Read(bytes.NewReader(data))
	if err != nil {
		return 2
	}
	say := json.NewEncoder(os.Stdout)
	way, once, _ := strings.Cut(way, ":") // "crash:FILE" crashes until FILE exists
	if once != "" {
		if _, err := os.Stat(once); err == nil {
			way = "good"
		} else if err := os.WriteFile(once, nil, 0o644); err != nil {
			return 2
		}
	}
	switch way {
	case "crash":
		os.Stderr.WriteString("something terrible\n")
		return 3
	case "full":
		say.Encode(job.Message{Event: job.Failed, Text: "write x: no space left on device"})
		return 1
	case "hang":
		say.Encode(job.Message{Event: job.Progress, Frame: j.Frames[0].Number, Progress: 0.25})
		io.Copy(io.Discard, os.Stdin)
		return 1
	case "nothing":
		return 0
	case "pipe", "link":
		for _, f := range j.Frames[0].Files {
			if err := strange(way, f.Path); err != nil {
				return 2
			}
		}
		return 0
	case "otherwise":
		j.Samples += 3
	case "talks":
		io.WriteString(os.Stdout, strings.Repeat("x", 3<<20)+"\n")
	}
	err = trace.Perform(context.Background(), j, trace.Outside{
		Open: func(p string) (io.ReadCloser, error) { return os.Open(p) },
		Create: func(p string) (framefile.File, error) {
			if way == "half" && strings.Contains(p, ".png") {
				return nil, errors.New("no pen for it")
			}
			f, err := os.Create(p)
			return keptFile{f, way == "torn"}, err
		},
		Now: time.Now, Say: func(m job.Message) { say.Encode(m) },
	})
	if err != nil {
		say.Encode(job.Message{Event: job.Failed, Text: err.Error()})
		return 1
	}
	return 0
}

// pretendToAssemble puts a frame together, in a good or a bad way.
func pretendToAssemble(way, path string) int {
	data, err := os.ReadFile(path)
	if err != nil {
		return 2
	}
	a, err := job.ReadAssembly(bytes.NewReader(data))
	if err != nil {
		return 2
	}
	if way == "loose" {
		os.Stderr.WriteString("everything falls apart\n")
		return 3
	}
	err = framefile.Assemble(context.Background(), a, os.ReadFile, func(float64) {}, framefile.Outside{
		Wrote: func(string, int64) {},
		Create: func(p string) (framefile.File, error) {
			f, err := os.Create(p)
			return keptFile{f, false}, err
		},
	})
	if err != nil {
		os.Stderr.WriteString(err.Error())
		return 1
	}
	return 0
}

// keptFile is a file of a test that stays as it is, or loses its second half.
type keptFile struct {
	*os.File
	torn bool
}

func (f keptFile) Commit() (int64, error) {
	info, err := f.Stat()
	if err == nil && f.torn {
		err = f.Truncate(info.Size() / 2)
	}
	if err != nil {
		return 0, err
	}
	return info.Size(), f.Close()
}

func (f keptFile) Abandon() { f.Close() }

// start runs a node whose renderer behaves in the given way, and returns what stops it. Before it runs it is changed.
func start(t *testing.T, h *house.House, way string, change ...func(n *Node)) (*Node, func()) {
	t.Helper()
	t.Setenv(rendererVariable, way)
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	n := &Node{
		Name:      "test",
		House:     h,
		Hub:       NewHub(),
		Renderer:  Renderer{Name: "pretender", Command: self},
		Assembler: Renderer{Name: "assembly", Command: self, Args: []string{"assemble"}},
		Slots:     1,
		Patience:  time.Millisecond,
		Log:       slog.New(slog.DiscardHandler),
	}
	for _, do := range change {
		do(n)
	}
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- n.Run(ctx) }()
	stop := func() {
		cancel()
		if err := <-done; err != nil {
			t.Error(err)
		}
		done <- nil
	}
	t.Cleanup(stop)
	return n, stop
}

// leased takes the next frame by hand, as a node that then dies does.
func leased(t *testing.T, h *house.House) (*store.Lease, []part) {
	t.Helper()
	l, err := h.Record.Lease("dead")
	if err != nil {
		t.Fatal(err)
	}
	_, parts, _, err := newJob(h, l)
	if err != nil {
		t.Fatal(err)
	}
	return l, parts
}

// placed gives the files of a lease their names, as a node does when they were judged good.
func placed(t *testing.T, h *house.House, l *store.Lease, parts []part) []store.File {
	t.Helper()
	var all []verdict
	for _, p := range parts {
		data, err := os.ReadFile(p.temp)
		if err != nil {
			t.Fatal(err)
		}
		sum, err := house.SumOf(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		sum.Path = p.final
		all = append(all, verdict{part: p, sum: sum})
	}
	files, err := publish(h, l, all, NewLog())
	if err != nil {
		t.Fatal(err)
	}
	return files
}

// waitFor waits until the batch's counts are as wanted.
func waitFor(t *testing.T, n *Node, batch int64, wanted func(c queue.Counts) bool) store.Batch {
	t.Helper()
	changed, end := n.Hub.Listen()
	defer end()
	timeout := time.After(60 * time.Second)
	for {
		b, err := n.House.Record.Batch(batch)
		if err != nil {
			t.Fatal(err)
		}
		if wanted(b.Counts()) {
			return b
		}
		select {
		case <-changed:
		case <-timeout:
			t.Fatalf("counts stay at %v", b.Counts())
		}
	}
}

func settled(c queue.Counts) bool { return c.Left() == 0 }

// files returns every file below the output folder.
func files(t *testing.T, h *house.House) []string {
	t.Helper()
	var found []string
	err := filepath.WalkDir(h.Output(), func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			rel, _ := filepath.Rel(h.Output(), path)
			found = append(found, filepath.ToSlash(rel))
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return found
}

func TestFramesBecomeGoodFilesWithTheirNames(t *testing.T) {
	h, b := housetest.New(t, "1001-1003")
	n, stop := start(t, h, "good")
	b = waitFor(t, n, b.ID, settled)
	stop() // what the node does after it has recorded the last frame is done then
	if b.Counts()[queue.Good] != 3 {
		t.Fatalf("counts are %v", b.Counts())
	}
	want := []string{
		"TEST/010/master/hd/v001/all/010_v_hd_all.1001.exr", "TEST/010/master/hd/v001/all/010_v_hd_all.1002.exr",
		"TEST/010/master/hd/v001/all/010_v_hd_all.1003.exr",
	}
	if got := files(t, h); !slices.Equal(got, want) {
		t.Errorf("files are %v", got)
	}
	if work, _ := os.ReadDir(h.Work()); len(work) != 0 {
		t.Errorf("%d jobs were left behind", len(work))
	}
}

func TestBadRenderersFailWithTheirReason(t *testing.T) {
	for way, says := range map[string]string{
		"crash":   "ended badly: exit status 3",
		"nothing": "010_v_hd_all.1001.exr: the renderer did not write it",
		"torn":    "cannot be read",
	} {
		t.Run(way, func(t *testing.T) {
			h, b := housetest.New(t, "1001")
			n, _ := start(t, h, way)
			b = waitFor(t, n, b.ID, settled)
			f, err := h.Record.Frame(b.Sequences[0].ID, 1001)
			if err != nil || f.State != queue.Failed || f.Attempts != work.UsualTries ||
				!strings.Contains(f.Reason, says) {
				t.Errorf("%+v, %v, want %q", f, err, says)
			}
			if got := files(t, h); len(got) != 0 {
				t.Errorf("files were left: %v", got)
			}
			logs, err := h.Record.Logs(b.Sequences[0].ID, 1001)
			if err != nil || len(logs) != work.UsualTries {
				t.Errorf("%d logs, %v", len(logs), err)
			}
			if way == "crash" && !strings.Contains(logs[0].Text, "something terrible") {
				t.Errorf("the log does not hold the renderer's own words: %s", logs[0].Text)
			}
		})
	}
}

func TestAFrameThatBreaksOnceIsTriedAgain(t *testing.T) {
	h, b := housetest.New(t, "1001")
	n, _ := start(t, h, "crash:"+filepath.Join(t.TempDir(), "crashed"))
	if b = waitFor(t, n, b.ID, settled); b.Counts()[queue.Good] != 1 {
		t.Errorf("counts are %v", b.Counts())
	}
}

func TestAFullDiskCostsNoTry(t *testing.T) {
	h, b := housetest.New(t, "1001")
	n, stop := start(t, h, "full:"+filepath.Join(t.TempDir(), "was-full"))
	b = waitFor(t, n, b.ID, settled)
	f, err := h.Record.Frame(b.Sequences[0].ID, 1001)
	if err != nil || f.State != queue.Good || f.Attempts != 1 {
		t.Errorf("%+v, %v", f, err)
	}
	stop()
	if n.Trouble() != "" {
		t.Errorf("the node still says %q", n.Trouble())
	}
}

func TestADroppedFrameIsKilledAtOnce(t *testing.T) {
	h, b := housetest.New(t, "1001")
	n, _ := start(t, h, "hang")
	waitFor(t, n, b.ID, func(queue.Counts) bool { return n.Progress(b.Sequences[0].ID, 1001, 0) == 0.25 })
	if _, err := h.Record.Apply(store.Scope{Production: "TEST", Batch: b.ID}, queue.Drop); err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	waitFor(t, n, b.ID, func(c queue.Counts) bool {
		logs, err := h.Record.Logs(b.Sequences[0].ID, 1001)
		return err == nil && len(logs) == 1 && c[queue.Dropped] == 1
	})
}

func TestAFrameThatTakesTooLongIsStopped(t *testing.T) {
	h, b := housetest.New(t, "1001")
	t.Setenv(rendererVariable, "hang")
	n, stop := start(t, h, "hang")
	stop()
	n.Timeout = 50 * time.Millisecond
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- n.Run(ctx) }()
	waitFor(t, n, b.ID, settled)
	cancel()
	<-done
	if f, _ := h.Record.Frame(b.Sequences[0].ID, 1001); f.State != queue.Failed ||
		!strings.Contains(f.Reason, "longer than 50ms") {
		t.Errorf("%+v", f)
	}
}

func TestStoppingGivesFramesBack(t *testing.T) {
	h, b := housetest.New(t, "1001-1002")
	n, stop := start(t, h, "hang")
	waitFor(t, n, b.ID, func(queue.Counts) bool { return n.Progress(b.Sequences[0].ID, 1001, 0) > 0 })
	stop()
	if f, _ := h.Record.Frame(b.Sequences[0].ID, 1001); f.State != queue.Ready || f.Attempts != 0 {
		t.Errorf("%+v", f)
	}
}

func TestNothingIsOverwritten(t *testing.T) {
	h, b := housetest.New(t, "1001")
	there := filepath.Join(h.Output(), "TEST/010/master/hd/v001/all/010_v_hd_all.1001.exr")
	if err := errors.Join(os.MkdirAll(filepath.Dir(there), 0o755),
		os.WriteFile(there, []byte("precious"), 0o644)); err != nil {
		t.Fatal(err)
	}
	n, _ := start(t, h, "good")
	b = waitFor(t, n, b.ID, settled)
	f, _ := h.Record.Frame(b.Sequences[0].ID, 1001)
	if data, _ := os.ReadFile(there); string(data) != "precious" || f.State != queue.Failed || f.Attempts != 1 ||
		!strings.Contains(f.Reason, "nothing is overwritten") {
		t.Errorf("%q, %+v", data, f)
	}
}

func TestPartsOfADeadServerAreClearedAway(t *testing.T) {
	h, b := housetest.New(t, "1001")
	_, parts := leased(t, h)
	old := filepath.Join(h.Work(), "job-1.json")
	if err := errors.Join(os.WriteFile(parts[0].temp, []byte("half"), 0o644),
		os.WriteFile(old, nil, 0o644)); err != nil {
		t.Fatal(err)
	}
	n, _ := start(t, h, "good")
	if b = waitFor(t, n, b.ID, settled); b.Counts()[queue.Good] != 1 {
		t.Fatalf("counts are %v", b.Counts())
	}
	if got := files(t, h); len(got) != 1 {
		t.Errorf("files are %v", got)
	}
	if _, err := os.Stat(old); err == nil {
		t.Error("an old job was left")
	}
}

// A node that dies after it gave files their names, and before the record had them, must be able to render the
// frame again, although a stamp with the render time gives other bytes.
func TestWhatWasPlacedAndNotRecordedIsTakenBack(t *testing.T) {
	h, b := housetest.New(t, "1001-1002")
	l, parts := leased(t, h)
	if err := os.WriteFile(parts[0].temp, []byte("other bytes"), 0o644); err != nil {
		t.Fatal(err)
	}
	placed(t, h, l, parts)
	n, stop := start(t, h, "good")
	if b = waitFor(t, n, b.ID, settled); b.Counts()[queue.Good] != 2 {
		f, _ := h.Record.Frame(l.SequenceID, l.Number)
		t.Fatalf("counts are %v: %s", b.Counts(), f.Reason)
	}
	stop()
	if left, _ := filepath.Glob(filepath.Join(h.Work(), "placing-*")); len(left) > 0 {
		t.Errorf("notes stay: %v", left)
	}
}

func TestPlacedFilesStayOnlyWithTheRecord(t *testing.T) {
	h, _ := housetest.New(t, "1001-1002")
	for _, recorded := range []bool{false, true} {
		l, parts := leased(t, h)
		if err := errors.Join(os.WriteFile(parts[0].temp, []byte("bytes"), 0o644), h.Record.Check(l)); err != nil {
			t.Fatal(err)
		}
		inPlace := placed(t, h, l, parts)
		if recorded {
			if err := h.Record.Accept(l, 1, inPlace, ""); err != nil {
				t.Fatal(err)
			}
		}
		if err := settlePlacing(h, placingPath(h, l), l.ID()); err != nil {
			t.Fatal(err)
		}
		if _, err := os.Stat(filepath.Join(h.Output(), parts[0].final)); (err == nil) != recorded {
			t.Errorf("recorded %v: the file is there: %v", recorded, err == nil)
		}
		if _, err := os.Stat(placingPath(h, l)); err == nil {
			t.Error("the note stays")
		}
	}
}

// A file that stood there before, with the same contents, was not placed: it is not the node's to take back.
func TestWhatStoodThereBeforeIsNotTakenBack(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	l, parts := leased(t, h)
	there := filepath.Join(h.Output(), parts[0].final)
	if err := errors.Join(os.WriteFile(parts[0].temp, []byte("same"), 0o644),
		os.WriteFile(there, []byte("same"), 0o644)); err != nil {
		t.Fatal(err)
	}
	placed(t, h, l, parts)
	if err := settlePlacing(h, placingPath(h, l), l.ID()); err != nil {
		t.Fatal(err)
	}
	if data, err := os.ReadFile(there); err != nil || string(data) != "same" {
		t.Errorf("%q, %v", data, err)
	}
}

// What a late lease has placed, and the record does not have from it, stays if another one has found it meanwhile: the
// late one waits until that is recorded.
func TestWhatAnotherHasFoundIsNotTakenBack(t *testing.T) {
	h, b := housetest.New(t, "1001")
	late, parts := leased(t, h)
	if err := os.WriteFile(parts[0].temp, []byte("same"), 0o644); err != nil {
		t.Fatal(err)
	}
	placed(t, h, late, parts)
	holding.leave(h, late.ID()) // as if its node had died, with the note
	if _, err := h.Record.Recover(); err != nil {
		t.Fatal(err)
	}
	l, parts := leased(t, h)
	if err := errors.Join(
		os.WriteFile(parts[0].temp, []byte("same"), 0o644), h.Record.Check(l),
	); err != nil || l.ID() == late.ID() {
		t.Fatal(err)
	}
	found := placed(t, h, l, parts)
	settled := make(chan error, 1)
	go func() { settled <- settlePlacing(h, placingPath(h, late), late.ID()) }()
	for { // until the late one waits, or has not
		holding.mutex.Lock()
		waits := holding.waiting > 0
		holding.mutex.Unlock()
		if waits || len(settled) > 0 {
			break
		}
		runtime.Gosched()
	}
	if err := h.Record.Accept(l, 1, found, ""); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(settlePlacing(h, placingPath(h, l), l.ID()), <-settled); err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(filepath.Join(h.Output(), parts[0].final)); err != nil {
		t.Errorf("a good frame of batch %q has lost its file: %v", b.Name, err)
	}
}

// Nor is what the same frame of another batch has found, which was placed by a node that died.
func TestWhatAnotherBatchHasFoundIsNotTakenBack(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	dead, parts := leased(t, h)
	if err := os.WriteFile(parts[0].temp, []byte("same"), 0o644); err != nil {
		t.Fatal(err)
	}
	placed(t, h, dead, parts)
	holding.leave(h, dead.ID()) // as its node does by dying
	p, err := h.Record.Production("TEST")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.SendDraft(p.Production, house.Sending{Again: true}); err != nil {
		t.Fatal(err)
	}
	l, parts := leased(t, h)
	if err := errors.Join(
		os.WriteFile(parts[0].temp, []byte("same"), 0o644), h.Record.Check(l),
	); err != nil || l.SequenceID == dead.SequenceID {
		t.Fatalf("sequence %d, %v", l.SequenceID, err)
	}
	if err := h.Record.Accept(l, 1, placed(t, h, l, parts), ""); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(
		settlePlacing(h, placingPath(h, l), l.ID()), settlePlacing(h, placingPath(h, dead), noLease),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(filepath.Join(h.Output(), parts[0].final)); err != nil {
		t.Errorf("a good frame of another batch has lost its file: %v", err)
	}
}

// A step of which nothing could be placed, since the disk was full just then, leaves no note of what it was to be.
func TestNoNoteIsLeftOfWhatCouldNotBePlaced(t *testing.T) {
	h, _ := housetest.New(t, "1001")
	l, parts := leased(t, h)
	all := []verdict{{part: parts[0], sum: store.File{Path: parts[0].final, Bytes: 1, SHA256: "gone"}}}
	if files, err := publish(h, l, all, NewLog()); err == nil || len(files) > 0 {
		t.Fatalf("placed %v, %v", files, err)
	}
	if _, err := os.Stat(placingPath(h, l)); err != nil {
		t.Fatal(err)
	}
	if err := clearLease(h, l); err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(placingPath(h, l)); err == nil {
		t.Error("the note stays")
	}
}

// What is being said at a frame is heard while it is under way, and not after.
func TestWhatIsBeingSaidIsHeard(t *testing.T) {
	h, b := housetest.New(t, "1001")
	n, stop := start(t, h, "hang")
	all := Farm{Nodes: []*Node{n}}
	id := b.Sequences[0].ID
	changed, end := n.Hub.Listen()
	defer end()
	for !strings.Contains(all.Saying(id, 1001, 0), "25 %") {
		<-changed
	}
	if text := all.Saying(id, 1001, 0); !strings.Contains(text, "on node test") {
		t.Errorf("it says\n%s", text)
	}
	if text := all.Saying(id, 1002, 0); text != "" {
		t.Errorf("of another frame it says\n%s", text)
	}
	stop()
	if text := all.Saying(id, 1001, 0); text != "" {
		t.Errorf("when it has ended it says\n%s", text)
	}
}
