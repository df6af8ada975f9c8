// Package fleet is nodes that only seem to be machines: many of them in one process, which join a house by the real
// protocol and do as nodes do, but for rendering. They take their time, fail, vanish, sit on slow lines, compute
// wrongly and say things twice, by a seed. Their pictures are not of the scene: a fleet is for trying a house out.
package fleet

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"sync"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/framefile"
	"reelhouse/core/job"
	"reelhouse/farm"
	"reelhouse/farm/outside"
	"reelhouse/farm/wire"
)

// Options say what a fleet is.
type Options struct {
	Tokens  []wire.Token // one for each node
	Scratch string       // folder for what the nodes keep; each has its own in it
	Seed    uint64
	Seconds float64 // mean time of a frame
	Calm    bool    // nothing goes wrong
	Program string  // version of this program
	// Renderers are those that the nodes say they have.
	Renderers []fingerprint.Renderer
	// Assembler puts frames together from tiles, which is done for real.
	Assembler farm.Renderer
	// Create begins a file, and Open reads one.
	Create func(path string) (framefile.File, error)
	Open   func(path string) (io.ReadCloser, error)
	Log    *slog.Logger
}

// A Fleet is one that runs.
type Fleet struct {
	Options
	Figures Figures
}

// How many of a hundred nodes have which trouble.
const (
	failing   = 3 // fail one of ten tasks
	vanishing = 2 // are gone now and then, with all that they have
	slow      = 5 // have a slow line
	twice     = 3 // say each result twice
	wrongly   = 1 // have pictures now and then that are not the same as those of others
	astray    = 3 // have a clock that is wrong, by days
)

// A character is how a node is, by its number and the seed.
type character struct {
	speed                                      float64 // 2 takes half the time
	fails, vanishes, slow, twice, wrong, stray bool
}

// characterOf returns how a node is. Speeds are spread as those of machines of several ages are: half of them are
// within a third of the mean.
func (f *Fleet) characterOf(node int) character {
	r := f.random(node, 0)
	c := character{speed: math.Exp(0.45 * r.NormFloat64())}
	if f.Calm {
		return c
	}
	is := func(percent int) bool { return r.IntN(100) < percent }
	c.fails, c.vanishes, c.slow = is(failing), is(vanishing), is(slow)
	c.twice, c.wrong, c.stray = is(twice), is(wrongly), is(astray)
	return c
}

// random returns numbers of a node that are the same each time.
func (f *Fleet) random(node int, stream uint64) *rand.Rand {
	return rand.New(rand.NewPCG(f.Seed, uint64(node)<<32|stream))
}

// Run lets all nodes join, and work until ctx ends.
func (f *Fleet) Run(ctx context.Context) error {
	if len(f.Tokens) == 0 {
		return errors.New("there are no tokens, so there are no nodes")
	}
	var group sync.WaitGroup
	failed := make(chan error, len(f.Tokens))
	began := time.Now()
	for i := range f.Tokens {
		group.Go(func() {
			// They do not all come at once: machines take their time to start.
			select {
			case <-ctx.Done():
				return
			case <-time.After(time.Duration(i) * joinEvery):
			}
			if err := f.node(ctx, i); err != nil {
				failed <- fmt.Errorf("node %s: %w", f.Tokens[i].Name, err)
			}
		})
	}
	group.Wait()
	f.Figures.took(time.Since(began))
	close(failed)
	var all error
	for err := range failed {
		all = errors.Join(all, err)
	}
	return all
}

// joinEvery is the time between two nodes that join.
const joinEvery = 60 * time.Millisecond

// node is one node, which comes back whenever it has vanished.
func (f *Fleet) node(ctx context.Context, i int) error {
	c := f.characterOf(i)
	fates := f.random(i, 1)
	for lives := uint64(2); ctx.Err() == nil; lives++ {
		life, end := context.WithCancel(ctx)
		if c.vanishes {
			gone := time.AfterFunc(between(fates, 30*time.Second, 5*time.Minute), func() {
				f.Figures.count(&f.Figures.vanished)
				end()
			})
			defer gone.Stop()
		}
		err := outside.Run(life, f.options(i, c, lives))
		vanished := life.Err() != nil && ctx.Err() == nil
		end()
		if err != nil || !vanished {
			return err
		}
		select {
		case <-ctx.Done():
		case <-time.After(between(fates, 5*time.Second, 2*time.Minute)):
		}
	}
	return nil
}

// between returns a time between two others.
func between(r *rand.Rand, least, most time.Duration) time.Duration {
	return least + time.Duration(r.Int64N(int64(most-least)))
}

// options are what the node is started with.
func (f *Fleet) options(i int, c character, life uint64) outside.Options {
	machine := &machine{fleet: f, character: c, random: f.random(i, life)}
	o := outside.Options{
		Token:   f.Tokens[i],
		Scratch: filepath.Join(f.Scratch, f.Tokens[i].Name),
		Hello: wire.Hello{
			Version: wire.Version, Contract: job.Version, Program: f.Program,
			System: runtime.GOOS + "/" + runtime.GOARCH, Machine: "simulated-" + strconv.Itoa(i+1),
			Processor: "simulated", Cores: 1, Memory: 8 << 30, Slots: 1, Simulated: true,
			Programs: wire.Programs{Renderers: f.Renderers},
		},
		Programs: map[string]farm.Renderer{farm.AssemblyProgram: f.Assembler},
		Do:       machine.do,
		Cache:    1 << 30,
		Asked:    f.Figures.asked,
		Vanishes: c.vanishes,
		Log:      f.Log.With("node", f.Tokens[i].Name),
		Load:     func() (float64, int64) { return machine.load(), 4 << 30 },
	}
	for _, r := range f.Renderers {
		o.Programs[farm.ProgramOf(farm.Renderer{Name: r.Name})] = farm.Renderer{Name: r.Name, Version: r.Version}
	}
	if c.twice {
		o.Repeats = 1
	}
	if c.slow { // which is no fault of the house
		o.Dial = slowly(machine)
		o.Asked = func(_ string, took time.Duration, err error) { f.Figures.asked(slowLines, took, err) }
	}
	return o
}

// Clear removes what the nodes have kept.
func (f *Fleet) Clear() error { return os.RemoveAll(f.Scratch) }
