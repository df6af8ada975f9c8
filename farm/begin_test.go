package farm

import (
	"context"
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
