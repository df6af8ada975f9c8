package preview

import (
	"context"
	"log/slog"
	"os"
	"strings"
	"testing"

	"reelhouse/core/cut"
	"reelhouse/core/movie"
	"reelhouse/core/production"
	"reelhouse/house/housetest"
)

// A movie of the cut is made before anything is rendered: every record frame, gaps and holds, too, as ffprobe counts
// them. What it was made of changes, and it is another one.
func TestAMovieOfTheCutFromQuickPictures(t *testing.T) {
	h, b := housetest.New(t, "1001-1006", func(p *production.Production) {
		shot := p.Shots[0].Code
		p.Cut = cut.Cut{Tracks: []cut.Track{{Clips: []cut.Clip{
			{Shot: shot, Record: 0, Length: 4, Source: 1001},
			{Shot: shot, Record: 6, Length: 3, Source: 1003, Speed: cut.Hold},
		}}}}
	})
	if err := h.Assets.Movies.Missing(); err != nil {
		t.Skip(err)
	}
	told := make(chan struct{}, 1)
	q := &QuickMovies{House: h, Previews: New(h), Log: slog.New(slog.DiscardHandler), Changed: func() {
		select {
		case told <- struct{}{}:
		default:
		}
	}}
	ctx, end := context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() { q.Run(ctx); close(ended) }()
	defer func() { end(); <-ended }()
	made := func() string {
		t.Helper()
		q.Want(b.Plan.Production)
		for q.State(b.Plan.Production).Wanted {
			<-told
		}
		if s := q.State(b.Plan.Production); s.Trouble != "" {
			t.Fatal(s.Trouble)
		}
		stored, err := h.Record.Production(b.Plan.Production)
		if err != nil {
			t.Fatal(err)
		}
		path, there := q.Path(stored.Production)
		if !there {
			t.Fatal("no movie was made")
		}
		return path
	}
	path := made()
	f, width, height, err := h.Assets.Movies.Facts(ctx, path)
	if err != nil || f.Frames != 9 || width%2+height%2 > 0 || max(width, height) > 480 {
		t.Errorf("%d frames, %d x %d, %v", f.Frames, width, height, err)
	}
	if n, err := h.Assets.Movies.Count(ctx, path); n != 9 || err != nil {
		t.Errorf("%d frames can be decoded, %v", n, err)
	}
	e := movie.Encoding{Codec: movie.H264}
	e.Size.Width, e.Size.Height = width, height
	light := func(n int) (sum int) {
		codes, err := h.Assets.Movies.Frame(ctx, e, path, f, n)
		if err != nil {
			t.Fatal(err)
		}
		middle := len(codes) / 8 * 3 // away from what is burnt in
		for i := middle; i < middle+len(codes)/4; i += 2 {
			if i%8 != 6 {
				sum += int(codes[i])
			}
		}
		return sum / (len(codes) / 4)
	}
	if light(0) < 2*light(4)+4 || light(8) < 2*light(4)+4 {
		t.Errorf("a frame has %d, a held one %d, and a gap %d", light(0), light(8), light(4))
	}
	stored, err := h.Record.Production(b.Plan.Production)
	if err != nil {
		t.Fatal(err)
	}
	stored.Cut = cut.Cut{Tracks: []cut.Track{{Clips: stored.Cut.Tracks[0].Clips[:1]}}}
	if _, there := q.Path(stored.Production); there {
		t.Error("the movie of one cut is taken for that of another one")
	}
	before, err := os.Stat(path)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := os.Stat(made()); err != nil || !os.SameFile(before, again) {
		t.Errorf("what is there was made again (%v)", err)
	}
	h.Assets.Movies.FFmpeg = "/nowhere/ffmpeg"
	os.Remove(path)
	q.Want(b.Plan.Production)
	for q.State(b.Plan.Production).Wanted {
		<-told
	}
	if s := q.State(b.Plan.Production); !strings.Contains(s.Trouble, "ffmpeg") {
		t.Errorf("without ffmpeg it says %q", s.Trouble)
	}
}
