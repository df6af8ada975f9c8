package house

import (
	"fmt"
	"sync"
)

// A DeliveryProgress is how far a delivery is.
type DeliveryProgress struct {
	Step      string // what is done just now, such as "copying"
	Done, All int    // of things; 0 of 0 while that is not known
	Unit      string // what a thing is
	Bytes     int64  // that are done
}

// Percent returns how far the step is.
func (p DeliveryProgress) Percent() int { return 100 * p.Done / max(1, p.All) }

// String says it in words: "copying 12 of 40 files".
func (p DeliveryProgress) String() string {
	if p.All == 0 {
		return p.Step
	}
	plural := "s"
	if p.All == 1 {
		plural = ""
	}
	return fmt.Sprintf("%s, %d of %d %s%s", p.Step, p.Done, p.All, p.Unit, plural)
}

// telling gathers how far a delivery is, for whoever wants to be told.
type telling struct {
	tell  func(DeliveryProgress) // nil for nobody
	mutex sync.Mutex
	now   DeliveryProgress
}

// begin begins a step of so many things.
func (t *telling) begin(step string, all int, unit string) {
	t.change(func(p *DeliveryProgress) { *p = DeliveryProgress{Step: step, All: all, Unit: unit} })
}

// further says that more is done of the step.
func (t *telling) further(things int, bytes int64) {
	t.change(func(p *DeliveryProgress) { p.Done, p.Bytes = p.Done+things, p.Bytes+bytes })
}

// set says how much is done of the step.
func (t *telling) set(done, all int, bytes, _ int64) {
	t.change(func(p *DeliveryProgress) { p.Done, p.All, p.Bytes = done, all, bytes })
}

// change tells in the order of what happens.
func (t *telling) change(change func(p *DeliveryProgress)) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	change(&t.now)
	if t.tell != nil {
		t.tell(t.now)
	}
}
