package farm

import (
	"slices"
	"sync"

	"reelhouse/house"
)

// holding says which lease is placing files under which names: from when it looks what stands there until that is
// recorded, or taken back. Meanwhile nobody else takes anything back there: what one has placed and may not keep, the
// next may just have found, with the same bytes.
var holding = newHolders()

// A heldName is a name in an output folder.
type heldName struct{ output, path string }

type holders struct {
	mutex   sync.Mutex
	changed *sync.Cond
	by      map[heldName]int64 // leases
	waiting int
}

func newHolders() *holders {
	o := &holders{by: map[heldName]int64{}}
	o.changed = sync.NewCond(&o.mutex)
	return o
}

// take waits until nobody else holds any of a house's names, and holds them all for a lease, which may not hold others
// already.
func (o *holders) take(h *house.House, lease int64, paths []string) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	names := namesOf(h, paths)
	free := func(name heldName) bool { holder, held := o.by[name]; return !held || holder == lease }
	for slices.ContainsFunc(names, func(n heldName) bool { return !free(n) }) {
		o.waiting++
		o.changed.Wait()
		o.waiting--
	}
	for _, name := range names {
		o.by[name] = lease
	}
}

// leave lets go of all names that a lease holds.
func (o *holders) leave(h *house.House, lease int64) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	for name, holder := range o.by {
		if holder == lease && name.output == h.Output() {
			delete(o.by, name)
		}
	}
	o.changed.Broadcast()
}

func namesOf(h *house.House, paths []string) []heldName {
	names := make([]heldName, len(paths))
	for i, path := range paths {
		names[i] = heldName{h.Output(), path}
	}
	return names
}
