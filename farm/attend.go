package farm

import (
	"context"
	"time"

	"reelhouse/store"
)

// Attend looks after what nodes elsewhere have taken, all of them at once, until ctx ends: what was taken away ends,
// and what the record says is in the hands of one that is not at it is given back.
func Attend(ctx context.Context, record *store.Store, hub *Hub, nodes func() []*Node) {
	changed, end := hub.Listen()
	defer end()
	look := time.NewTicker(lookAround)
	defer look.Stop()
	suspects := map[string]map[int64]bool{} // by nodes: what they may not be at
	for {
		orphans := false
		select {
		case <-ctx.Done():
			return
		case <-changed:
		case <-look.C:
			orphans = true
		}
		began := time.Now()
		all := nodes()
		running := make([]map[int64]*underWay, len(all)) // as it was before the record is read
		for i, n := range all {
			running[i] = n.underWay()
		}
		held, err := record.Hands()
		if err != nil {
			if len(all) > 0 {
				all[0].setRecord(err)
			}
			continue
		}
		theirs := map[string]map[int64]bool{}
		for lease, node := range held {
			if theirs[node] == nil {
				theirs[node] = map[int64]bool{}
			}
			theirs[node][lease] = true
		}
		for i, n := range all {
			for lease, w := range running[i] {
				if _, is := held[lease]; !is {
					w.cancel(errTaken)
				}
			}
			if !orphans {
				continue
			}
			if before, at := suspects[n.Name], theirs[n.Name]; len(before) > 0 || !sameAs(at, running[i]) {
				suspects[n.Name] = n.takeBack(before)
			}
		}
		select { // many things change at once
		case <-ctx.Done():
		case <-time.After(max(attendEvery, attendShare*time.Since(began))):
		}
	}
}

// attendEvery is the least time between two looks, and attendShare how many times what a look has cost is rested.
const (
	attendEvery = 50 * time.Millisecond
	attendShare = 20
)

// underWay returns what the node is at, by the leases.
func (n *Node) underWay() map[int64]*underWay {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	all := make(map[int64]*underWay, len(n.running))
	for _, w := range n.running {
		all[w.lease.ID()] = w
	}
	return all
}

// sameAs reports whether a node is at all that it has.
func sameAs(has map[int64]bool, at map[int64]*underWay) bool {
	for lease := range has {
		if at[lease] == nil {
			return false
		}
	}
	return true
}
