package farm

import (
	"context"
	"time"
)

// begin lets the frames go that wait for a time, or for another batch, as soon as that has come.
func (n *Node) begin(ctx context.Context) {
	changed, end := n.Hub.Listen()
	defer end()
	for ctx.Err() == nil {
		begun, next, err := n.House.Begin(time.Now())
		if err != nil {
			n.setTrouble(err.Error())
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
		}
	}
}
