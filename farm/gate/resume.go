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
			g.Log.Info("a node goes on with what it has", "node", o.name, "lease", leases[0].ID())
			o.node.Resume(o.ctx, leases)
		}
	}
}

// giveBackLeft gives back what nodes have that did not come back in time.
func (g *Gate) giveBackLeft() {
	g.mutex.Lock()
	left := g.left
	g.left = map[string][]int64{}
	g.mutex.Unlock()
	for name, ids := range left {
		g.Log.Warn("a node has not come back", "node", name, "leases", len(ids))
		like := g.Like()
		for _, id := range ids {
			l, err := g.House.Record.LeaseNow(id)
			if err == nil {
				err = like.GiveBack(l)
			}
			if err != nil && !errors.Is(err, store.ErrLost) {
				g.Log.Error("a lease cannot be given back", "lease", id, "error", err)
			}
		}
		g.Hub.Changed()
	}
}
