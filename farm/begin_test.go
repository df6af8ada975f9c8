package farm

import (
	"context"
	"errors"
	"log/slog"
	"testing"
	"time"

	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

// A batch that waits begins when what it waits for has come, without anybody's doing.
func TestABatchBeginsByItself(t *testing.T) {
	h, first := housetest.New(t, "1001-1002")
	p, err := h.Record.Production(first.Plan.Production)
	if err != nil {
		t.Fatal(err)
	}
	p.Version++
	id, err := h.SendDraft(
		p.Production, house.Sending{Sending: store.Sending{Waiting: store.Waiting{AfterBatch: first.ID}}},
	)
	if err != nil {
		t.Fatal(err)
	}
	n := &Node{Name: "n", House: h, Hub: NewHub(), Log: slog.New(slog.DiscardHandler)}
	changed, end := n.Hub.Listen()
	defer end()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	done := make(chan struct{})
	go func() { n.begin(ctx); close(done) }()
	if b, _ := h.Record.Batch(id); b.Counts()[queue.Blocked] != 2 {
		t.Errorf("it does not wait: %v", b.Counts())
	}
	if _, err := h.Record.Apply(store.Scope{Production: "TEST", Batch: first.ID}, queue.Drop); err != nil {
		t.Fatal(err)
	}
	n.Hub.Changed()
	for {
		b, err := h.Record.Batch(id)
		if err != nil {
			t.Fatal(err)
		}
		if b.Counts()[queue.Ready] == 2 {
			break
		}
		select {
		case <-changed:
		case <-ctx.Done():
			t.Fatalf("it has not begun: %v", b.Counts())
		}
	}
	cancel()
	<-done
}

// What a node has for longer than it may take is given back, and what it says later counts for nothing.
func TestATaskThatTakesTooLongIsGivenBack(t *testing.T) {
	h, b := housetest.New(t, "1001-1002")
	all, err := h.Record.LeaseTogether(store.Offer{Node: "elsewhere", Timeout: time.Minute})
	if err != nil || len(all) != 1 {
		t.Fatal(all, err)
	}
	forever, err := h.Record.LeaseTogether(store.Offer{Node: "elsewhere"})
	if err != nil || len(forever) != 1 {
		t.Fatal(forever, err)
	}
	n := &Node{Name: "n", House: h, Hub: NewHub(), Log: slog.New(slog.DiscardHandler)}
	n.giveBackOverdue(time.Now().Add(2 * time.Minute)) // the node may still be ending it
	if now, err := h.Record.Batch(b.ID); err != nil || now.Counts()[queue.Rendering] != 2 {
		t.Errorf("%v, %v", now.Counts(), err)
	}
	n.giveBackOverdue(time.Now().Add(time.Hour))
	now, err := h.Record.Batch(b.ID)
	if err != nil || now.Counts()[queue.Rendering] != 1 || now.Counts()[queue.Ready] != 1 {
		t.Errorf("%v, %v", now.Counts(), err)
	}
	if err := h.Record.Check(all[0]); !errors.Is(err, store.ErrLost) {
		t.Errorf("what comes late is taken: %v", err)
	}
	again, err := h.Record.Lease("n")
	if err != nil || again.Number != all[0].Number || again.Attempts != 1 || again.ID() <= all[0].ID() {
		t.Errorf("%+v, %v", again, err)
	}
}
