package gate

import (
	"fmt"

	"reelhouse/store"
)

// Nodes whose tasks fail much more often than others' are paused: it may be their memory, their disk, their heat.

const (
	leastTried = 20  // tasks of a node, and of all others, before anything is said of it
	leastFails = 5   // tasks that have failed with it
	timesOften = 2.0 // as often as with others
)

// Distrusts says why a node is not to take any more tasks, "" if it may: of its tasks more than twice the share failed
// that fails with others.
func Distrusts(of store.NodeCounts, others store.NodeCounts) string {
	own, all := of.Done+of.Failed, others.Done+others.Failed
	if own < leastTried || all < leastTried || of.Failed < leastFails {
		return ""
	}
	share, usual := float64(of.Failed)/float64(own), float64(others.Failed)/float64(all)
	if share <= timesOften*usual {
		return ""
	}
	return fmt.Sprintf("%d of its %d tasks have failed, and %d of %d with others", of.Failed, own, others.Failed, all)
}

// distrust pauses nodes whose tasks fail much more often than others'. The counts begin anew when one is resumed.
func (g *Gate) distrust(known []store.Node) {
	if len(known) < 2 {
		return
	}
	counts := make([]store.NodeCounts, len(known))
	var all store.NodeCounts
	for i, n := range known {
		counts[i] = store.NodeCounts{Done: n.Done - n.TrustedDone, Failed: n.Failed - n.TrustedFailed}
		all.Done, all.Failed = all.Done+counts[i].Done, all.Failed+counts[i].Failed
	}
	for i, n := range known {
		if n.Paused != "" {
			continue
		}
		others := store.NodeCounts{Done: all.Done - counts[i].Done, Failed: all.Failed - counts[i].Failed}
		why := Distrusts(counts[i], others)
		if why == "" {
			continue
		}
		n.Paused = why
		g.Log.Warn("a node is paused", "node", n.Name, "reason", why)
		if err := g.House.Record.SetNode(n); err != nil {
			g.Log.Error("a node cannot be paused", "node", n.Name, "error", err)
		}
		g.Hub.Changed()
	}
}
