package farm

import (
	"context"
	"errors"
	"time"

	"reelhouse/store"
)

// lookAround is how often the record is looked at for changes that others have made.
const lookAround = 2 * time.Second

// begin lets the frames go that wait for a time, or for another batch, as soon as that has come.
func (n *Node) begin(ctx context.Context) {
	changed, end := n.Hub.Listen()
	defer end()
	look := time.NewTicker(lookAround)
	defer look.Stop()
	marks := ""
	for ctx.Err() == nil {
		begun, next, err := n.House.Record.Begin(time.Now())
		if err != nil {
			n.setRecord(err)
			next = time.Now().Add(n.patience())
		}
		if begun > 0 {
			n.Log.Info("frames may begin", "frames", begun)
			n.Hub.Changed()
		}
		var wait <-chan time.Time
		if !next.IsZero() {
			wait = time.After(time.Until(next))
		}
		select {
		case <-ctx.Done():
		case <-changed:
		case <-wait:
		case <-look.C:
			n.readLogs(ctx)
			n.giveBackOverdue(time.Now())
			// Another process, such as the command line, may have changed the record.
			if now, err := n.House.Record.Marks(); err == nil && now != marks {
				marks = now
				n.Hub.Changed()
			}
		}
	}
}

// readLogs takes up the words of logs that are new, so that they are found.
func (n *Node) readLogs(ctx context.Context) {
	for ctx.Err() == nil {
		more, err := n.House.Record.ReadLogs()
		if err != nil {
			n.setRecord(err)
		}
		if !more {
			return
		}
	}
}

// giveBackOverdue gives back what nodes have for longer than it may take, and have not ended by themselves.
func (n *Node) giveBackOverdue(at time.Time) {
	overdue, err := n.House.Record.Overdue(at)
	if err != nil {
		n.setRecord(err)
		return
	}
	for _, l := range overdue {
		if owned, err := n.House.Record.Owned(l); err != nil || !owned {
			continue // its files under way are somebody else's care
		}
		n.Log.Warn("a task that has taken too long is given back", "sequence", l.Sequence.Spec.Title(),
			"frame", l.Number, "tile", l.TileIndex(), "node", l.NodeName())
		if err := n.House.Record.GiveBack(l); err != nil && !errors.Is(err, store.ErrLost) {
			n.setRecord(err)
		}
		n.Hub.Changed()
	}
}

// orphans gives back what nobody is at, until ctx ends.
func (n *Node) orphans(ctx context.Context) {
	look := time.NewTicker(lookAround)
	defer look.Stop()
	found := map[int64]bool{}
	for {
		select {
		case <-ctx.Done():
			return
		case <-look.C:
			found = n.takeBack(found)
		}
	}
}

// takeBack gives steps back that the record says are in the node's hands, and that nobody is at. What is new since the
// look before may have been leased in this moment, and is left until the next one, which gets what is returned.
func (n *Node) takeBack(before map[int64]bool) map[int64]bool {
	leases, err := n.House.Record.Leased(n.Name)
	if err != nil {
		n.setRecord(err)
		return nil
	}
	n.mutex.Lock()
	running := map[int64]bool{}
	for _, w := range n.running {
		running[w.lease.ID()] = true
	}
	n.mutex.Unlock()
	found := map[int64]bool{}
	for _, l := range leases {
		switch id := l.ID(); {
		case running[id]:
		case !before[id]:
			found[id] = true
		default:
			n.Log.Warn(
				"a frame that nobody renders is taken back", "sequence", l.SequenceID, "frame", l.Number, "tile",
				l.TileIndex(),
			)
			err := n.House.Record.GiveBack(l)
			if err == nil || errors.Is(err, store.ErrLost) {
				err = n.House.Record.Forget(l.ID())
			}
			if err != nil {
				n.setRecord(err)
			}
			n.Hub.Changed()
		}
	}
	return found
}
