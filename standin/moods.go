package standin

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"os/signal"
	"runtime/debug"
	"slices"
	"strings"
	"syscall"
	"time"

	"reelhouse/core/pixel"
)

// MoodVariable is the variable of the environment that says how it misbehaves, where no flag does.
const MoodVariable = "HALYARD_MOOD"

// A mood is how it misbehaves: before the first frame, and at a frame, of which it says what size it gets and whether
// it is written.
type mood struct {
	name, means string
	before      func(ctx context.Context, out io.Writer) error
	at          func(ctx context.Context, out io.Writer, width, height int) (w, h int, write bool, err error)
	spoils      bool // see spoil
}

var moods = []mood{
	{name: "slow", means: "it takes seconds to start", before: func(ctx context.Context, out io.Writer) error {
		for i := range 3 {
			fmt.Fprintf(out, "  warming up %d of 3\n", i+1)
			rest(ctx, 700*time.Millisecond)
		}
		return nil
	}},
	{
		name:  "flaky",
		means: "every other time it ends with an error",
		before: func(_ context.Context, out io.Writer) error {
			if rand.IntN(2) == 0 {
				return fmt.Errorf("the rope slipped (0x%04x)", rand.IntN(1<<16))
			}
			return nil
		},
	},
	{name: "memory", means: "it takes more and more memory", before: func(ctx context.Context, out io.Writer) error {
		debug.SetGCPercent(-1) // it does not tidy up
		debug.SetMemoryLimit(math.MaxInt64)
		var all [][]byte
		for len(all) < 1024 { // 64 GB
			all = append(all, bytes.Repeat([]byte{1}, 64<<20))
			fmt.Fprintf(out, "  %d MB of rope\n", 64*len(all))
			if ctx.Err() != nil {
				return ctx.Err()
			}
		}
		return fmt.Errorf("out of memory")
	}},
	{name: "hang", means: "it does nothing for ever", before: func(ctx context.Context, out io.Writer) error {
		fmt.Fprintln(out, "  thinking")
		rest(ctx, 24*time.Hour)
		return ctx.Err()
	}},
	{name: "size", means: "its pictures have another size", at: func(
		_ context.Context, _ io.Writer, width, height int,
	) (int, int, bool, error) {
		return width + 2, height, true, nil
	}},
	{name: "silent", means: "it ends well and writes nothing", at: func(
		_ context.Context, _ io.Writer, width, height int,
	) (int, int, bool, error) {
		return width, height, false, nil
	}},
	{name: "stays", means: "something that it started stays behind", before: func(context.Context, io.Writer) error {
		cmd := exec.Command("sleep", "3600")
		cmd.Stdout = os.Stdout // which it holds
		return cmd.Start()
	}},
	{
		name:  "deaf",
		means: "it hangs, and does not listen to signals",
		before: func(_ context.Context, out io.Writer) error {
			signal.Ignore(syscall.SIGTERM, os.Interrupt)
			fmt.Fprintln(out, "  not listening")
			rest(context.Background(), 24*time.Hour)
			return nil
		},
	},
	{name: "blemish", means: "some pictures are black, lack a strip, have a bright speck, or are the one before",
		spoils: true},
	{name: "chatter", means: "its log has a gigabyte", before: func(ctx context.Context, out io.Writer) error {
		line := []byte(strings.Repeat("rope ", 400) + "\n")
		block := bytes.Repeat(line, 500)
		for n := 0; n < 1<<30 && ctx.Err() == nil; n += len(block) {
			if _, err := out.Write(block); err != nil {
				return err
			}
		}
		return ctx.Err()
	}},
}

// Frames by what their numbers leave when divided by spoilEvery are spoilt in these ways.
const (
	spoilEvery   = 24
	spoilBlack   = 5
	spoilStrip   = 11
	spoilRepeats = 16
	spoilSpeck   = 20
)

// drawn returns which frame is drawn for a number.
func (m mood) drawn(number int) int {
	if m.spoils && number%spoilEvery == spoilRepeats {
		return number - 1
	}
	return number
}

// spoil does to a picture what no size and no header tells.
func (m mood) spoil(number int, img *pixel.Image) {
	if !m.spoils {
		return
	}
	light := img.Planes[:3]
	for c := range light {
		data := light[c].Data
		switch number % spoilEvery {
		case spoilBlack:
			clear(data)
		case spoilStrip:
			clear(data[img.Height*2/3*img.Width : img.Height*3/4*img.Width])
		case spoilSpeck:
			data[img.Height/4*img.Width+img.Width/3] = 300
		}
	}
}

// Moods names how it can misbehave.
func Moods() []string {
	var names []string
	for _, m := range moods {
		names = append(names, m.name)
	}
	return names
}

func moodOf(name string) (mood, error) {
	if name == "" {
		return mood{}, nil
	}
	i := slices.IndexFunc(moods, func(m mood) bool { return m.name == name })
	if i < 0 {
		return mood{}, fmt.Errorf("there is no mood %q; there are %s", name, strings.Join(Moods(), ", "))
	}
	return moods[i], nil
}

func (m mood) begin(ctx context.Context, out io.Writer) error {
	if m.before == nil {
		return nil
	}
	return m.before(ctx, out)
}

func (m mood) frame(ctx context.Context, out io.Writer, width, height int) (w, h int, write bool, err error) {
	if m.at == nil {
		return width, height, true, ctx.Err()
	}
	return m.at(ctx, out, width, height)
}

// rest does nothing for a while.
func rest(ctx context.Context, d time.Duration) {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-t.C:
	}
}
