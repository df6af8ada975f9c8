package farm

import (
	"context"
	"time"
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
		case <-look.C:
			// Another process, such as the command line, may have changed the record.
			if now, err := n.House.Marks(); err == nil && now != marks {
				marks = now
				n.Hub.Changed()
			}
		}
	}
}
