// Package farm renders what the queue holds: a node takes frames, runs the renderer as a child process
// under the renderer contract, judges what it wrote, and puts it in place.
package farm

import "sync"

// A Hub tells everybody who listens that something has changed. It says no more than that: who is told
// looks at the record, so nothing is lost when messages run together.
type Hub struct {
	mutex     sync.Mutex
	listeners map[chan struct{}]bool
}

// NewHub returns a hub without listeners.
func NewHub() *Hub { return &Hub{listeners: map[chan struct{}]bool{}} }

// Changed tells every listener.
func (h *Hub) Changed() {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	for c := range h.listeners {
		select {
		case c <- struct{}{}:
		default: // one is waiting already
		}
	}
}

// Listen returns a channel that holds a value after every change, and a function that ends it.
func (h *Hub) Listen() (<-chan struct{}, func()) {
	c := make(chan struct{}, 1)
	h.mutex.Lock()
	defer h.mutex.Unlock()
	h.listeners[c] = true
	return c, func() {
		h.mutex.Lock()
		defer h.mutex.Unlock()
		delete(h.listeners, c)
	}
}
