package preview

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/house/waiting"
)

// quickStep is how sharp pictures of a quick movie are.
var quickStep = Step{Part: 1, Samples: 2}

// QuickMovies makes movies of cuts of quick pictures, one after another. What was made lies with the viewing files: it
// may be deleted at any time, and is made again when it is wanted.
type QuickMovies struct {
	House    *house.House
	Previews *Previews
	Changed  func() // is told when one is further
	Log      *slog.Logger

	mutex  sync.Mutex
	states map[string]QuickState // by production
	wanted []string              // productions, the one under way first
	wake   chan struct{}
}

// A QuickState is how the movie of a production's cut stands.
type QuickState struct {
	Wanted    bool // it is made, or waits for that
	Done, All int  // frames
	Trouble   string
	cancel    context.CancelFunc
}

// Percent returns how far it is.
func (s QuickState) Percent() int { return 100 * s.Done / max(1, s.All) }

// Path returns where the movie of a production's cut is, as the production is now; false if it was not made.
func (q *QuickMovies) Path(p production.Production) (string, bool) {
	path := filepath.Join(q.House.Viewing(), "cuts", fmt.Sprintf("%s_%s.mp4", p.Code, quickKey(p)))
	_, err := os.Stat(path)
	return path, err == nil
}

// quickKey names all that a movie shows, so that none is taken for that of another cut.
func quickKey(p production.Production) string {
	p.Deliveries = nil
	sum := sha256.Sum256([]byte(key(p)))
	return hex.EncodeToString(sum[:8])
}

// State returns how the movie of a production stands.
func (q *QuickMovies) State(code string) QuickState {
	q.mutex.Lock()
	defer q.mutex.Unlock()
	return q.states[code]
}

// Want lets the movie of a production be made.
func (q *QuickMovies) Want(code string) {
	q.mutex.Lock()
	if !slices.Contains(q.wanted, code) {
		q.wanted = append(q.wanted, code)
		q.set(code, QuickState{Wanted: true})
	}
	q.mutex.Unlock()
	select {
	case q.awake() <- struct{}{}:
	default:
	}
}

// Stop ends making the movie of a production.
func (q *QuickMovies) Stop(code string) {
	q.mutex.Lock()
	defer q.mutex.Unlock()
	if cancel := q.states[code].cancel; cancel != nil {
		cancel()
	}
	if i := slices.Index(q.wanted, code); i > 0 || i == 0 && q.states[code].cancel == nil {
		q.wanted = slices.Delete(q.wanted, i, i+1)
		q.set(code, QuickState{})
	}
}

// set keeps a state; the mutex is held.
func (q *QuickMovies) set(code string, s QuickState) {
	if q.states == nil {
		q.states = map[string]QuickState{}
	}
	q.states[code] = s
}

// awake returns what wakes it.
func (q *QuickMovies) awake() chan struct{} {
	q.mutex.Lock()
	defer q.mutex.Unlock()
	if q.wake == nil {
		q.wake = make(chan struct{}, 1)
	}
	return q.wake
}

// Run makes what is wanted until ctx ends.
func (q *QuickMovies) Run(ctx context.Context) {
	for ctx.Err() == nil {
		this, cancel := context.WithCancel(ctx)
		q.mutex.Lock()
		code := ""
		if len(q.wanted) > 0 {
			code = q.wanted[0]
			q.set(code, QuickState{Wanted: true, cancel: cancel})
		}
		q.mutex.Unlock()
		if code == "" {
			cancel()
			select {
			case <-ctx.Done():
			case <-q.awake():
			}
			continue
		}
		q.Changed()
		err := q.one(this, code)
		stopped := this.Err() != nil
		cancel()
		end := QuickState{}
		if err != nil && !stopped {
			end.Trouble = strings.ReplaceAll(err.Error(), q.House.Dir, "the data folder")
			q.Log.Warn("a movie of quick pictures could not be made", "production", code, "error", err)
		}
		q.mutex.Lock()
		q.wanted = slices.DeleteFunc(q.wanted, func(c string) bool { return c == code })
		q.set(code, end)
		q.mutex.Unlock()
		q.Changed()
	}
}

// one makes the movie of a production, and removes those of what it was before.
func (q *QuickMovies) one(ctx context.Context, code string) error {
	stored, err := q.House.Record.Production(code)
	if err != nil {
		return err
	}
	p := stored.Production
	path, there := q.Path(p)
	if there {
		return nil
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	old, err := filepath.Glob(filepath.Join(filepath.Dir(path), code+"_"+strings.Repeat("?", 16)+".mp4*"))
	for _, name := range old {
		err = errors.Join(err, os.Remove(name))
	}
	if err != nil {
		return err
	}
	draw := func(ctx context.Context, of house.QuickPicture, edge int) (*pixel.Image, error) {
		return q.Previews.light(ctx, SmallPicture(p, *of.View.View, *of.View.Look, of.Size, of.Frame, edge), quickStep)
	}
	return q.House.QuickMovie(ctx, p, path, draw, func(done, all int) {
		q.mutex.Lock()
		s := q.states[code]
		further := s.Percent()
		s.Done, s.All = done, all
		q.states[code] = s
		q.mutex.Unlock()
		if s.Percent() != further {
			q.Changed()
		}
	})
}

// light draws a picture, as light, of a moment that is not kept.
func (p *Previews) light(ctx context.Context, t Request, step Step) (*pixel.Image, error) {
	return waiting.In(ctx, p.slow, func() (*pixel.Image, error) {
		w, err := p.moment(ctx, t, false)
		if err != nil {
			return nil, err
		}
		s, err := settings(t, step)
		if err != nil {
			return nil, err
		}
		return w.Render(ctx, t.Camera, s, func(float64) {})
	})
}
