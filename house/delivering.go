package house

import (
	"context"
	"errors"
	"log/slog"
	"strings"
	"sync"

	"reelhouse/store"
)

// A Deliverer goes on with deliveries that somebody wants, one after another, since disks bound them. What it had under
// way when the server ended it begins again when the server is back.
type Deliverer struct {
	House   *House
	By      DeliveryBy
	Changed func() // is told when one is further
	Log     *slog.Logger

	mutex   sync.Mutex
	current int64 // 0 for none
	now     DeliveryProgress
	stop    context.CancelCauseFunc
	wake    chan struct{}
}

// errStopped is why a delivery ended that somebody has stopped.
var errStopped = errors.New("it was stopped; what is there stays, and is not copied again")

// awake returns what wakes it.
func (d *Deliverer) awake() chan struct{} {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if d.wake == nil {
		d.wake = make(chan struct{}, 1)
	}
	return d.wake
}

// Run goes on with deliveries until ctx ends.
func (d *Deliverer) Run(ctx context.Context) {
	for ctx.Err() == nil {
		all, err := d.House.Record.WantedDeliveries()
		if err != nil {
			d.Log.Error("deliveries cannot be read", "error", err)
		}
		if len(all) == 0 {
			select {
			case <-ctx.Done():
			case <-d.awake():
			}
			continue
		}
		d.one(ctx, all[0])
	}
}

// one goes on with one delivery.
func (d *Deliverer) one(ctx context.Context, begun store.Delivery) {
	this, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	d.mutex.Lock()
	d.current, d.now, d.stop = begun.ID, DeliveryProgress{Step: "starting"}, stop
	d.mutex.Unlock()
	if now, err := d.House.Record.Delivery(begun.ID); err != nil || !now.Wanted { // it was stopped just now
		stop(errStopped)
	}
	d.Changed()
	err := d.House.Deliver(this, begun, d.By, func(p DeliveryProgress) {
		d.mutex.Lock()
		further := d.now.Step != p.Step || d.now.Percent() != p.Percent()
		d.now = p
		d.mutex.Unlock()
		if further {
			d.Changed()
		}
	})
	d.mutex.Lock()
	d.current, d.stop = 0, nil
	d.mutex.Unlock()
	if err != nil && ctx.Err() == nil { // otherwise the server ends, and goes on with it later
		trouble := strings.ReplaceAll(err.Error(), d.House.Dir, "the data folder")
		if !errors.Is(err, errStopped) {
			d.Log.Warn("a delivery is not complete", "delivery", begun.ID, "recipe", begun.Recipe, "error", err)
		}
		if err := d.House.Record.WantDelivery(begun.ID, false, trouble); err != nil {
			d.Log.Error("what kept a delivery from being complete cannot be noted", "error", err)
			select { // rather than trying at once, again and again
			case <-ctx.Done():
			case <-d.awake():
			}
		}
	}
	d.Changed()
}

// Want lets it go on with a delivery.
func (d *Deliverer) Want(id int64) error {
	if err := d.House.Record.WantDelivery(id, true, ""); err != nil {
		return err
	}
	select {
	case d.awake() <- struct{}{}:
	default:
	}
	return nil
}

// Stop ends what it does of a delivery, which can be gone on with.
func (d *Deliverer) Stop(id int64) error {
	if err := d.House.Record.WantDelivery(id, false, errStopped.Error()); err != nil {
		return err
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if d.current == id && d.stop != nil {
		d.stop(errStopped)
	}
	return nil
}

// Progress returns how far a delivery is, false if it is not under way here.
func (d *Deliverer) Progress(id int64) (DeliveryProgress, bool) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	return d.now, d.current == id && id != 0
}
