package farm

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/queue"
	"reelhouse/house/housetest"
)

// pretendToJudge judges what it is given, but for files whose names say what it is to do. It notes that it was started.
func pretendToJudge(notes string) int {
	f, err := os.OpenFile(notes, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		return 2
	}
	f.WriteString(strconv.Itoa(os.Getpid()) + "\n")
	f.Close()
	in := bufio.NewScanner(os.Stdin)
	in.Buffer(nil, 64<<20)
	for n := 1; in.Scan(); n++ {
		switch line := in.Text(); {
		case strings.Contains(line, "deadly"):
			os.Stderr.WriteString("something terrible\n")
			return 3
		case strings.Contains(line, "second") && n > 1:
			return 3
		case strings.Contains(line, "endless"):
			time.Sleep(time.Hour)
		case strings.Contains(line, "babble"):
			os.Stdout.WriteString(strings.Repeat("x", longestVerdict+1))
		case strings.Contains(line, "chatter"):
			for err := error(nil); err == nil; {
				_, err = os.Stdout.WriteString(`{"verdict":{"event":"judged"}}` + "\n")
			}
		}
		if err := JudgeOrders(bytes.NewReader(in.Bytes()), os.Stdout); err != nil {
			return 2
		}
	}
	return 0
}

// judging returns judges, and how many were started.
func newJudges(t *testing.T) (*Judges, func() int) {
	t.Helper()
	notes := filepath.Join(t.TempDir(), "notes")
	t.Setenv(rendererVariable, notes)
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	j := NewJudges(Renderer{Name: "judge", Command: self, Args: []string{"judge"}}, t.TempDir())
	t.Cleanup(j.Close)
	return j, func() int {
		text, _ := os.ReadFile(notes)
		return strings.Count(string(text), "\n")
	}
}

func orderOf(t *testing.T, names ...string) (o JudgeOrder) {
	t.Helper()
	for _, name := range names {
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, []byte("no picture"), 0o644); err != nil {
			t.Fatal(err)
		}
		o.Files = append(o.Files, JudgedFile{path, inspect.Expected{}})
	}
	return o
}

// A judge judges one order after another; several do so at once.
func TestJudgesStay(t *testing.T) {
	j, started := newJudges(t)
	for range 20 {
		var said []job.Message
		o := orderOf(t, "a", "b")
		if err := j.Run(t.Context(), o, func(m job.Message) { said = append(said, m) }); err != nil {
			t.Fatal(err)
		}
		if len(said) != 2 || said[1].Path != o.Files[1].Path || said[0].Text == "" {
			t.Errorf("%+v", said)
		}
	}
	if n := started(); n != 1 {
		t.Errorf("%d were started", n)
	}
	var group sync.WaitGroup
	for range 50 {
		o := orderOf(t, "a")
		group.Go(func() {
			if err := j.Run(t.Context(), o, func(job.Message) {}); err != nil {
				t.Error(err)
			}
		})
	}
	group.Wait()
	if n := started(); n > cap(j.room) {
		t.Errorf("%d were started, and %d may be at work", n, cap(j.room))
	}
}

// A follow-up of a long sequence has as many files as that has frames, and all of them are judged.
func TestAJudgeReadsTheFilesOfALongSequence(t *testing.T) {
	j, _ := newJudges(t)
	const files = 40_000
	o := JudgeOrder{Files: slices.Repeat(orderOf(t, "one").Files, files)}
	said := 0
	if err := j.Run(t.Context(), o, func(job.Message) { said++ }); err != nil || said != files {
		t.Errorf("%d of %d were judged, %v", said, files, err)
	}
}

// A judge that fails is ended, and what it was at is given to a fresh one once.
func TestAJudgeThatFailsIsReplaced(t *testing.T) {
	j, started := newJudges(t)
	do := func(name string) error { return j.Run(t.Context(), orderOf(t, name), func(job.Message) {}) }
	if err := do("deadly"); err == nil || !strings.Contains(err.Error(), "something terrible") {
		t.Errorf("%v", err)
	}
	if err := do("well"); err != nil {
		t.Error(err)
	}
	if err := do("second"); err != nil || started() != 3 { // the one that has judged before fails, the fresh one not
		t.Errorf("%v, %d were started", err, started())
	}
	if err := do("deadly"); err == nil {
		t.Error("a file that every judge fails at is judged")
	}
	for _, endless := range []string{"babble", "chatter"} {
		if err := do(endless); !errors.Is(err, errBabbles) {
			t.Errorf("%s: an answer without end: %v", endless, err)
		}
	}
	if err := do("well"); err != nil {
		t.Error(err)
	}
	j.Program.Command = filepath.Join(t.TempDir(), "nothing")
	j.Close()
	nothing := NewJudges(j.Program, j.Work)
	err := nothing.Run(t.Context(), orderOf(t, "well"), func(job.Message) {})
	if !errors.As(err, new(*startError)) {
		t.Errorf("%v", err)
	}
	if err := do("well"); err == nil {
		t.Error("one is started after the end")
	}
}

// What a judge is at ends when it is not wanted any more.
func TestAJudgeIsEnded(t *testing.T) {
	j, _ := newJudges(t)
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	began := time.Now()
	err := j.Run(ctx, orderOf(t, "endless"), func(job.Message) {})
	if !errors.Is(err, context.DeadlineExceeded) || time.Since(began) > 20*time.Second {
		t.Errorf("%v after %v", err, time.Since(began))
	}
	if err := j.Run(t.Context(), orderOf(t, "well"), func(job.Message) {}); err != nil {
		t.Error(err)
	}
}

// A node has its files judged by them, and what is bad is bad.
func TestANodeHasItsFilesJudged(t *testing.T) {
	h, b := housetest.New(t, "1001-1004")
	notes := filepath.Join(t.TempDir(), "notes")
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	judge := Renderer{Name: "judge", Command: "env", Args: []string{rendererVariable + "=" + notes, self, "judge"}}
	judges := NewJudges(judge, h.Work())
	defer judges.Close()
	n, stop := start(t, h, "good", func(n *Node) { n.Judge, n.Judges = judge, judges })
	all(t, n, b, queue.Good)
	stop()
	if text, err := os.ReadFile(notes); err != nil || strings.Count(string(text), "\n") != 1 {
		t.Errorf("%q, %v", text, err)
	}
}

func TestJudgesReadOrders(t *testing.T) {
	var out bytes.Buffer
	if err := JudgeOrders(strings.NewReader("{}\n{}"), &out); err != nil || strings.Count(out.String(), "\n") != 2 {
		t.Errorf("%q, %v", out.String(), err)
	}
	if err := JudgeOrders(strings.NewReader("[]"), io.Discard); err == nil {
		t.Error("it takes anything")
	}
	var a judgeAnswer
	if err := json.NewDecoder(&out).Decode(&a); err != nil || a.Verdict != nil || !a.Done {
		t.Errorf("%+v, %v", a, err)
	}
}
