package kit

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/store"
)

// Live events: what changes by itself, as server-sent events that hold HTML. "running" is for the ticket line, "edited"
// when the production has another revision; others are those of stations. They are worked out once a change for all who
// look at a production, and each is sent what it has not seen.

// eventPause is the least time between two rounds of live events, and eventRest the longest.
const (
	eventPause = 400 * time.Millisecond
	eventRest  = 20 * time.Second
)

// mostListeners is how many pages may listen at a time. What one more is told, browsers try again.
const mostListeners = 150

// live is what listens, by production. The zero value is nothing.
type live struct {
	mutex     sync.Mutex
	rooms     map[string]*room
	listeners int
	rounds    int // that were worked out, for tests
}

// A room is everybody who looks at one production, and at the same part of it.
type room struct {
	all       int // that look at a station with events of its own
	listeners int
	query     url.Values        // of the pages that look
	texts     map[string]string // the events as they are now, by name
	changed   chan struct{}     // is closed when they are others
	Wanted    chan struct{}     // holds a value when somebody has come who wants more
	end       context.CancelFunc
}

// Listening returns how many pages listen for what changes.
func (a *App) Listening() int {
	a.live.mutex.Lock()
	defer a.live.mutex.Unlock()
	return a.live.listeners
}

// enter lets a page listen to a production; leave ends that. It fails if too many do.
func (a *App) enter(code string, all bool, query url.Values) (r *room, leave func(), err error) {
	l := &a.live
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.listeners >= mostListeners {
		return nil, nil, echo.NewHTTPError(
			http.StatusServiceUnavailable,
			"Too many pages listen at a time. This one shows what changes when it is loaded again.",
		)
	}
	if l.rooms == nil {
		l.rooms = map[string]*room{}
	}
	place := code + "?" + query.Encode()
	if r = l.rooms[place]; r == nil {
		ctx, end := context.WithCancel(context.Background())
		r = &room{query: query, changed: make(chan struct{}), Wanted: make(chan struct{}, 1), end: end}
		l.rooms[place] = r
		go a.tell(ctx, code, r)
	}
	l.listeners++
	r.listeners++
	if all {
		r.all++
		select {
		case r.Wanted <- struct{}{}:
		default:
		}
	}
	return r, func() {
		l.mutex.Lock()
		defer l.mutex.Unlock()
		l.listeners--
		if r.listeners--; r.listeners == 0 {
			r.end()
			delete(l.rooms, place)
		}
		if all {
			r.all--
		}
	}, nil
}

// tell works out the events of a room whenever something has changed.
func (a *App) tell(ctx context.Context, code string, r *room) {
	changed, end := a.Changes.Listen()
	defer end()
	tick := time.NewTicker(eventRest)
	defer tick.Stop()
	for ctx.Err() == nil {
		a.live.mutex.Lock()
		all, rooms := r.all > 0, len(a.live.rooms)
		a.live.rounds++
		a.live.mutex.Unlock()
		began := time.Now()
		texts, err := a.eventTexts(code, all, r.query)
		cost := time.Since(began)
		if err != nil {
			a.Log.Error("live events could not be worked out", "production", code, "error", err)
		}
		a.live.mutex.Lock()
		if err == nil && !maps.Equal(texts, r.texts) {
			r.texts = texts
			close(r.changed)
			r.changed = make(chan struct{})
		}
		a.live.mutex.Unlock()
		pause := time.NewTimer(restAfter(cost, rooms))
		select {
		case <-ctx.Done():
		case <-pause.C:
		}
		pause.Stop()
		select {
		case <-ctx.Done():
		case <-changed:
		case <-r.Wanted:
		case <-tick.C:
		}
	}
}

// costShare is how many times what a round has cost is rested after it, so that all rooms together take a fifteenth of
// a core at most, until a room would rest longer than longestPause.
const (
	costShare    = 15
	longestPause = 6 * time.Second
)

// restAfter returns how long a room rests after a round that has cost so much, when there are so many rooms.
func restAfter(cost time.Duration, rooms int) time.Duration {
	return min(max(eventPause, cost*costShare*time.Duration(max(1, rooms))), longestPause)
}

// Watched is what live events are worked out for: a production, its batches without their sequences, and the part of
// its address by which a page says what it shows.
type Watched struct {
	Production store.Revision
	Batches    []store.Batch
	Query      url.Values
}

// eventTexts works out the events of a production as they are now; with all, those of stations, too.
func (a *App) eventTexts(code string, all bool, query url.Values) (map[string]string, error) {
	batches, err := a.House.Record.BatchesAlone(code)
	if err != nil {
		return nil, err
	}
	p, err := a.House.Record.Production(code)
	if err != nil {
		return nil, err
	}
	texts := map[string]string{}
	add := func(event, template string, data any) error {
		text, err := a.pages.text(template, data)
		texts[event] = text
		return err
	}
	running, err := a.RunningOf(batches)
	if err != nil {
		return nil, err
	}
	if err := add("running", "running", running); err != nil {
		return nil, err
	}
	if err := add("edited", "edited", p); err != nil || !all {
		return texts, err
	}
	for _, s := range a.stations {
		if s.Events == nil {
			continue
		}
		if err := s.Events(Watched{p, batches, query}, add); err != nil {
			return nil, err
		}
	}
	return texts, nil
}

// firstThings orders events: what every page shows comes before those of stations.
func firstThings(a, b string) int {
	every := func(event string) int {
		if event == "running" || event == "edited" {
			return 0
		}
		return 1
	}
	return cmp.Or(every(a)-every(b), cmp.Compare(len(a), len(b)), cmp.Compare(a, b))
}

// events streams the live events of a production, and with all those of its stations.
func (a *App) events(c *echo.Context) error {
	code, all := c.Param("code"), c.QueryParam("all") != ""
	query := url.Values{}
	if all { // pages that show the same hear the same
		query = c.QueryParams()
		query.Del("all")
	}
	p, err := a.House.Record.Production(code)
	if err != nil {
		return err
	}
	r, leave, err := a.enter(p.Code, all, query)
	if err != nil {
		return err
	}
	defer leave()
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	control := http.NewResponseController(w)
	if err := control.Flush(); err != nil {
		return nil
	}
	sent := map[string]string{}
	tick := time.NewTicker(eventRest)
	defer tick.Stop()
	for {
		a.live.mutex.Lock()
		texts, changed := r.texts, r.changed
		a.live.mutex.Unlock()
		for _, event := range slices.SortedFunc(maps.Keys(texts), firstThings) {
			text := texts[event]
			if sent[event] == text || !all && event != "running" && event != "edited" {
				continue
			}
			sent[event] = text
			lines := strings.ReplaceAll(strings.TrimSpace(text), "\n", "\ndata: ")
			if _, err := fmt.Fprintf(w, "event: %s\ndata: %s\n\n", event, lines); err != nil {
				return nil // the browser has gone
			}
		}
		if err := control.Flush(); err != nil {
			return nil
		}
		select {
		case <-c.Request().Context().Done():
			return nil
		case <-changed:
		case <-tick.C:
			fmt.Fprint(w, ": still here\n\n")
		}
	}
}
