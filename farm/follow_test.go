package farm

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"reelhouse/core/fingerprint"
	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// pretendToFollow makes what follows, in a good or a bad way: a text with the sums of its inputs, as they are now.
func pretendToFollow(way, path string) int {
	f, err := os.Open(path)
	if err != nil {
		return 2
	}
	defer f.Close()
	order, err := job.ReadFollowUp(f)
	if err != nil {
		return 2
	}
	text := order.Kind + " of " + order.About.Shot + " " + order.Parameters["title"] + "\n"
	for _, in := range order.Inputs {
		data, err := os.ReadFile(in.Path)
		if err != nil {
			return 2
		}
		sum := sha256.Sum256(data)
		text += fmt.Sprintf("%d %s %v\n", in.Frame, hex.EncodeToString(sum[:]), hex.EncodeToString(sum[:]) == in.SHA256)
	}
	switch way {
	case "idle":
		return 0
	case "meddles":
		f, err := os.OpenFile(order.Inputs[0].Path, os.O_WRONLY, 0)
		if err != nil {
			return 2
		}
		f.WriteString("mine")
		f.Close()
	case "empty":
		text = ""
	case "fails":
		json.NewEncoder(os.Stdout).Encode(job.Message{Event: job.Failed, Text: "this film cannot be cut"})
		return 1
	}
	for _, out := range order.Outputs {
		if way == "link" {
			if err := os.Symlink(order.Inputs[0].Path, out.Path); err != nil {
				return 2
			}
			continue
		}
		if err := os.WriteFile(out.Path, []byte(text), 0o644); err != nil {
			return 2
		}
	}
	return 0
}

// kinds are follow-ups of tests: one by sequence, and one by frame.
var kinds = []work.Following{
	{
		FollowUp: plan.FollowUp{
			Kind: "reel", Extensions: []string{"txt"}, Parameters: map[string]string{"title": "Night"},
		},
		Program: fingerprint.Renderer{Name: "reel", Version: "1"},
	},
	{
		FollowUp: plan.FollowUp{Kind: "card", ByFrame: true, Extensions: []string{"txt", "log"}},
		Program:  fingerprint.Renderer{Name: "card", Version: "1"},
	},
}

// withKinds gives a node the programs of follow-ups, which behave in a way.
func withKinds(t *testing.T, way string) func(n *Node) {
	t.Helper()
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	return func(n *Node) {
		n.Following, n.FollowUps = kinds, map[string]Renderer{}
		for _, k := range kinds {
			n.FollowUps[k.Kind] = Renderer{
				Name: k.Program.Name, Version: k.Program.Version, Command: self, Args: []string{"follow", way},
			}
		}
	}
}

// sendFollowed sends the batch of a new house once more, with follow-ups.
func sendFollowed(t *testing.T, frames string) (*house.House, store.Batch) {
	t.Helper()
	h, b := housetest.New(t, frames)
	if _, err := h.Record.Apply(store.Scope{Production: b.Plan.Production, Batch: b.ID}, queue.Drop); err != nil {
		t.Fatal(err)
	}
	whole := b.Plan
	for _, q := range b.Sequences {
		whole.Sequences = append(whole.Sequences, q.Spec)
	}
	id, err := h.Record.Send(whole, store.Sending{
		Name: "followed", FollowUps: []store.FollowUp{{FollowUp: kinds[0].FollowUp}, {FollowUp: kinds[1].FollowUp}},
	})
	if err != nil {
		t.Fatal(err)
	}
	b, err = h.Record.Batch(id)
	if err != nil {
		t.Fatal(err)
	}
	return h, b
}

func following(t *testing.T, h *house.House, batch int64, kind string) store.Sequence {
	t.Helper()
	all, err := h.Record.FollowUpsOf(batch)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(all, func(q store.Sequence) bool { return q.Spec.FollowUp.Kind == kind })
	if i < 0 {
		t.Fatalf("there is no %s", kind)
	}
	return all[i]
}

func contents(t *testing.T, h *house.House, path string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(h.Output(), filepath.FromSlash(path)))
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

func TestWhatFollowsIsMadeByAProcess(t *testing.T) {
	h, b := sendFollowed(t, "1001-1003")
	n, stop := start(t, h, "good", withKinds(t, "good"))
	b = waitFor(t, n, b.ID, settled)
	if b.Sums[queue.Good] != 3+1+3 {
		t.Fatalf("counts are %v", b.Sums)
	}
	reel := contents(t, h, fmt.Sprintf("follow-ups/%d/reel/010/v/hd.txt", b.ID))
	if !strings.HasPrefix(reel, "reel of 010 Night\n1001 ") || strings.Count(reel, " true\n") != 3 {
		t.Errorf("the reel is\n%s", reel)
	}
	card := contents(t, h, fmt.Sprintf("follow-ups/%d/card/010/v/hd.1002.log", b.ID))
	if !strings.Contains(card, "\n1002 ") || strings.Count(card, "true") != 1 {
		t.Errorf("the card is\n%s", card)
	}
	verified, err := h.Verify(t.Context(), house.Verification{Deep: true}, nil)
	if err != nil || len(verified.Lost)+len(verified.Foreign)+len(verified.Unfinished) > 0 || verified.Files != 3+1+6 {
		t.Errorf("%+v, %v", verified, err)
	}
	print, err := h.Record.MadeFrom(following(t, h, b.ID, "reel").ID, 1001)
	if err != nil || !print.Known() {
		t.Errorf("the fingerprint is %q, %v", print, err)
	}
	stop()
	if left, err := os.ReadDir(h.Work()); err != nil || len(left) > 0 {
		t.Errorf("%v lie about, %v", left, err)
	}
	if open, err := h.Record.OpenLeases(); err != nil || len(open) > 0 {
		t.Errorf("%d leases are open, %v", len(open), err)
	}
}

func TestBadProgramsOfFollowUpsFailWithTheirReason(t *testing.T) {
	for way, says := range map[string]string{
		"idle": "the program did not write it", "empty": "it is empty", "fails": "this film cannot be cut",
		"link": "it is no plain file",
	} {
		t.Run(way, func(t *testing.T) {
			h, b := sendFollowed(t, "1001")
			n, stop := start(t, h, "good", withKinds(t, way))
			b = waitFor(t, n, b.ID, settled)
			if b.Sums[queue.Good] != 1 || b.Sums[queue.Failed] != 2 {
				t.Fatalf("counts are %v", b.Sums)
			}
			f, err := h.Record.Frame(following(t, h, b.ID, "reel").ID, 1001)
			if err != nil || !strings.Contains(f.Reason, says) || f.Attempts != work.UsualTries {
				t.Errorf("%+v, %v", f, err)
			}
			stop()
			if got := files(t, h); len(got) != 1 {
				t.Errorf("files are %v", got)
			}
		})
	}
}

// An input of which a bit was flipped is found before anything is made from it.
func TestNothingIsMadeFromWhatHasChanged(t *testing.T) {
	h, b := sendFollowed(t, "1001-1002")
	reel := following(t, h, b.ID, "reel")
	of := store.Scope{Production: b.Plan.Production, Sequence: reel.ID}
	if _, err := h.Record.Apply(of, queue.Hold); err != nil {
		t.Fatal(err)
	}
	n, _ := start(t, h, "good", withKinds(t, "good"))
	waitFor(t, n, b.ID, settled)
	path := b.Sequences[0].Spec.Files[0].Path.Frame(1002)
	whole := filepath.Join(h.Output(), filepath.FromSlash(path))
	data, err := os.ReadFile(whole)
	if err != nil {
		t.Fatal(err)
	}
	data[len(data)/2] ^= 1
	if err := os.WriteFile(whole, data, 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := h.Record.Apply(of, queue.Release); err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	b = waitFor(t, n, b.ID, func(c queue.Counts) bool { return c[queue.Lost] == 1 && c[queue.Blocked] == 1 })
	logs, err := h.Record.Logs(reel.ID, 1001)
	if err != nil || len(logs) != 1 || !strings.Contains(logs[0].Text, path+" has changed") {
		t.Errorf("%v, %v", logs, err)
	}
	if _, err := h.Record.Apply(store.Scope{Production: b.Plan.Production, Batch: b.ID}, queue.Retry); err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	b = waitFor(t, n, b.ID, func(c queue.Counts) bool { return c[queue.Good] == 2+1+2 })
	if f, err := h.Record.Frame(reel.ID, 1001); err != nil || f.Attempts != 1 || f.Reason != "" {
		t.Errorf("%+v, %v", f, err)
	}
	if open, err := h.Record.OpenLeases(); err != nil || len(open) > 0 {
		t.Errorf("%d leases are open, %v", len(open), err)
	}
}

// A program that writes to what it was given is found out, and what it has damaged is lost.
func TestAProgramThatWritesToItsInputsIsFoundOut(t *testing.T) {
	h, b := sendFollowed(t, "1001")
	n, stop := start(t, h, "good", withKinds(t, "meddles"))
	b = waitFor(t, n, b.ID, func(c queue.Counts) bool { return c[queue.Lost] == 1 && c[queue.Blocked] == 2 })
	stop()
	f, err := h.Record.Frame(b.Sequences[0].ID, 1001)
	if err != nil || !strings.Contains(f.Reason, "has changed") {
		t.Errorf("%+v, %v", f, err)
	}
	reel, err := h.Record.Frame(following(t, h, b.ID, "reel").ID, 1001)
	card, other := h.Record.Frame(following(t, h, b.ID, "card").ID, 1001)
	if err != nil || other != nil ||
		!strings.Contains(reel.Reason+card.Reason, "its program has changed what it was given") {
		t.Errorf("%+v, %+v, %v, %v", reel, card, err, other)
	}
	if got := files(t, h); len(got) != 1 {
		t.Errorf("files are %v", got)
	}
}

// What is out of date is made again when a person says so; what it was is kept beside it.
func TestWhatIsOutOfDateIsMadeAgain(t *testing.T) {
	h, b := sendFollowed(t, "1001")
	n, stop := start(t, h, "good", withKinds(t, "good"))
	waitFor(t, n, b.ID, settled)
	stop()
	newer := func(n *Node) {
		n.Following = slices.Clone(n.Following)
		for i, k := range n.Following {
			n.Following[i].Program.Version = "2"
			r := n.FollowUps[k.Kind]
			r.Version = "2"
			n.FollowUps[k.Kind] = r
		}
	}
	n, _ = start(t, h, "good", withKinds(t, "good"), newer)
	waitFor(t, n, b.ID, settled)
	reel := following(t, h, b.ID, "reel")
	path := filepath.Join(h.Output(), filepath.FromSlash(reel.Spec.Files[0].Path.Frame(1001)))
	changed, end := n.Hub.Listen()
	defer end()
	for {
		f, err := h.Record.Frame(reel.ID, 1001)
		if err != nil {
			t.Fatal(err)
		}
		if strings.Contains(f.Reason, "out of date") {
			break
		}
		<-changed
	}
	if err := os.WriteFile(path, []byte("scribbled over\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if made, err := h.Record.MakeAgain(store.Scope{Production: b.Plan.Production, Batch: b.ID}, false); err != nil ||
		made != 2 {
		t.Fatalf("%d are made again, %v", made, err)
	}
	n.Hub.Changed()
	waitFor(t, n, b.ID, func(c queue.Counts) bool { return c[queue.Good] == 3 })
	if f, err := h.Record.Frame(reel.ID, 1001); err != nil || f.Reason != "" {
		t.Errorf("%+v, %v", f, err)
	}
	kept := false
	err := filepath.WalkDir(h.Output(), func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			data, err := os.ReadFile(path)
			kept = kept || err == nil && string(data) == "scribbled over\n"
		}
		return err
	})
	if err != nil || !kept {
		t.Errorf("what somebody wrote there was not kept: %v", err)
	}
}

func TestAFrameIsRenderedOnceMore(t *testing.T) {
	h, b := housetest.New(t, "1001-1002")
	n, stop := start(t, h, "good")
	waitFor(t, n, b.ID, settled)
	if k, err := h.Record.Repeat(b.Sequences[0].ID, frame.Of(1001, 1002)); err != nil || k != 2 {
		t.Fatalf("%d are repeated, %v", k, err)
	}
	n.Hub.Changed()
	b = waitFor(t, n, b.ID, func(c queue.Counts) bool { return c[queue.Good] == 4 })
	var outcome repetition
	text := contents(t, h, fmt.Sprintf("follow-ups/%d/repeat/010/v/hd.1002.json", b.ID))
	if err := json.Unmarshal([]byte(text), &outcome); err != nil || !outcome.Same || len(outcome.Files) != 1 ||
		outcome.Task != fmt.Sprintf("%d/010/v/hd/1002", b.ID) {
		t.Errorf("%+v, %v", outcome, err)
	}
	before := contents(t, h, outcome.Files[0].Name)
	stop()

	n, stop = start(t, h, "otherwise")
	if k, err := h.Record.Repeat(b.Sequences[0].ID, frame.Of(1002, 1002)); err != nil || k != 1 {
		t.Fatalf("%d are repeated, %v", k, err)
	}
	n.Hub.Changed()
	b = waitFor(t, n, b.ID, func(c queue.Counts) bool { return c[queue.Failed] == 1 })
	f, err := h.Record.Frame(following(t, h, b.ID, "repeat").ID, 1002)
	if err != nil || f.Attempts != 1 || !strings.Contains(f.Reason, "came out otherwise") ||
		!strings.Contains(f.Reason, "values differ, by at most") {
		t.Errorf("%+v, %v", f, err)
	}
	if f, err := h.Record.Frame(b.Sequences[0].ID, 1002); err != nil || f.State != queue.Good {
		t.Errorf("the frame itself is %s, %v", f.State, err)
	}
	if contents(t, h, outcome.Files[0].Name) != before {
		t.Error("the file is another one now")
	}
	stop()
	for _, name := range files(t, h) {
		if strings.Contains(name, house.PartMark) {
			t.Errorf("%s lies about", name)
		}
	}
	if open, err := h.Record.OpenLeases(); err != nil || len(open) > 0 {
		t.Errorf("%d leases are open, %v", len(open), err)
	}
}

// A server that dies while a frame is rendered once more leaves files under way beside those that are good.
func TestWhatARepetitionLeavesIsClearedAway(t *testing.T) {
	h, b := housetest.New(t, "1001")
	n, stop := start(t, h, "good")
	waitFor(t, n, b.ID, settled)
	stop()
	if _, err := h.Record.Repeat(b.Sequences[0].ID, frame.Of(1001, 1001)); err != nil {
		t.Fatal(err)
	}
	l, err := h.Record.Lease("dead")
	if err != nil || !repeats(l) {
		t.Fatalf("%+v, %v", l, err)
	}
	source := *l
	source.Sequence = l.Source
	_, parts, _, err := newJobBut(h, &source, nil)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(parts[0].temp, []byte("half of i"), 0o644); err != nil {
		t.Fatal(err)
	}
	n, stop = start(t, h, "good")
	waitFor(t, n, b.ID, func(c queue.Counts) bool { return c[queue.Good] == 2 })
	stop()
	if got := files(t, h); len(got) != 2 {
		t.Errorf("files are %v", got)
	}
}

// What comes out as it stands there already is taken for it, and nothing else is left of it.
func TestWhatIsThereAlreadyLeavesNothing(t *testing.T) {
	h, b := housetest.New(t, "1001")
	n, stop := start(t, h, "good")
	waitFor(t, n, b.ID, settled)
	stop()
	p, err := h.Record.Production(b.Plan.Production)
	if err != nil {
		t.Fatal(err)
	}
	id, err := h.SendDraft(p.Production, house.Sending{Again: true})
	if err != nil {
		t.Fatal(err)
	}
	n, stop = start(t, h, "good")
	b = waitFor(t, n, id, settled)
	stop()
	if got := files(t, h); len(got) != 1 || b.Sums[queue.Good] != 1 {
		t.Errorf("files are %v, counts %v", got, b.Sums)
	}
}
