package gate

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"reelhouse/core/queue"
	"reelhouse/farm"
	"reelhouse/store"
)

// A server that is started again finds what its nodes have: they go on with it, and hand over what comes of it. Which
// leases one process has together is kept in a note, since the record does not say so.

func (g *Gate) groupPath(lease int64) string {
	return filepath.Join(g.House.Work(), fmt.Sprintf("errand-%d.json", lease))
}

// keepGroup notes which leases an errand is of, if they are several.
func (g *Gate) keepGroup(e farm.Errand) error {
	if len(e.Leases) < 2 {
		return nil
	}
	var ids []int64
	for _, l := range e.Leases {
		ids = append(ids, l.ID())
	}
	text, err := json.Marshal(ids)
	if err != nil {
		return err
	}
	return os.WriteFile(g.groupPath(e.Lease), text, 0o644)
}

func (g *Gate) forgetGroup(lease int64) { _ = os.Remove(g.groupPath(lease)) } // of one there is none

// group returns the leases of the errand of a lease.
func (g *Gate) groupOf(lease int64) []int64 {
	text, err := os.ReadFile(g.groupPath(lease))
	var ids []int64
	if err != nil || json.Unmarshal(text, &ids) != nil || len(ids) == 0 || ids[0] != lease {
		return []int64{lease}
	}
	return ids
}

// Keeps reports whether a lease goes on at a node, after the server was started again.
func (g *Gate) Keeps(l *store.Lease) bool {
	name := l.NodeName()
	if _, err := g.House.Record.FindNode(name); err != nil {
		return false
	}
	now, err := g.House.Record.LeaseNow(l.ID())
	if err != nil || now.Tile == nil && now.State != queue.Rendering ||
		now.Tile != nil && now.Tile.State != queue.Rendering {
		return false // it was judged already: that begins anew
	}
	g.mutex.Lock()
	defer g.mutex.Unlock()
	g.left[name] = append(g.left[name], l.ID())
	return true
}

// resume goes on with what a node has from before. The gate is locked.
func (g *Gate) resume(o *outpost) {
	left := g.left[o.name]
	delete(g.left, o.name)
	for len(left) > 0 {
		var leases []*store.Lease
		var ids []int64
		for _, id := range g.groupOf(left[0]) {
			l, err := g.House.Record.LeaseNow(id)
			if err != nil {
				if !errors.Is(err, store.ErrLost) {
					g.Log.Error("a lease cannot be gone on with", "lease", id, "error", err)
				}
				continue
			}
			leases, ids = append(leases, l), append(ids, id)
		}
		ids = append(ids, left[0])
		left = slices.DeleteFunc(left, func(id int64) bool { return slices.Contains(ids, id) })
		if len(leases) > 0 {
			o.goOn(leases)
		}
	}
}

// goOn has the node go on with leases that it has already. The outpost is locked.
func (o *outpost) goOn(leases []*store.Lease) {
	id := leases[0].ID()
	o.gate.Log.Info("a node goes on with what it has", "node", o.name, "lease", id)
	o.resuming[id] = true
	o.node.Resume(o.ctx, leases, func() {
		o.mutex.Lock()
		defer o.mutex.Unlock()
		delete(o.resuming, id)
	})
}

// A lateLease is what was taken from a node because nothing was heard of it. It may have done it all the same.
type lateLease struct {
	key string // of the node
	was *store.Lease
}

// mostLate is how many of them are known.
const mostLate = 10_000

// noteLate notes what is taken from a node that is away.
func (g *Gate) noteLate(key string, was *store.Lease) {
	g.mutex.Lock()
	defer g.mutex.Unlock()
	if len(g.late) >= mostLate { // whose nodes have not come back
		clear(g.late)
	}
	g.late[was.ID()] = lateLease{key, was}
}

// takeLate gives a node back what was taken from it while it was away, if nobody else has that by now, and it would
// come out the same. What it has done is judged then as ever.
func (g *Gate) takeLate(o *outpost, lease int64) {
	g.mutex.Lock()
	l, there := g.late[lease]
	if there = there && l.key == o.key; there {
		delete(g.late, lease)
	}
	g.mutex.Unlock()
	if !there || o.ctx.Err() != nil {
		return
	}
	now, err := o.node.TakeAgain(l.was)
	if errors.Is(err, store.ErrLost) {
		g.Log.Info("what a node has done is late", "node", o.name, "lease", lease)
		return
	} else if err != nil {
		g.Log.Error("what a node has done late cannot be taken", "node", o.name, "lease", lease, "error", err)
		return
	}
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.goOn([]*store.Lease{now})
	g.figures.late.Inc()
}

// giveBackLeft gives back what nodes have that did not come back in time.
func (g *Gate) giveBackLeft() {
	g.mutex.Lock()
	left := g.left
	g.left = map[string][]int64{}
	g.mutex.Unlock()
	keys := map[string]string{}
	for name := range left {
		if n, err := g.House.Record.FindNode(name); err == nil {
			keys[name] = n.Key
		}
	}
	for name, ids := range left {
		g.Log.Warn("a node has not come back", "node", name, "leases", len(ids))
		like := g.Like()
		for _, id := range ids {
			l, err := g.House.Record.LeaseNow(id)
			if err == nil {
				if err = like.GiveBack(l); err == nil && len(g.groupOf(id)) == 1 {
					g.noteLate(keys[name], l)
				}
			}
			if err != nil && !errors.Is(err, store.ErrLost) {
				g.Log.Error("a lease cannot be given back", "lease", id, "error", err)
			}
		}
		g.Hub.Changed()
	}
}
