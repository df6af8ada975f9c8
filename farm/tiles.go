package farm

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"reelhouse/core/framefile"
	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/house"
	"reelhouse/store"
)

// Tiles lie in the work folder, in a folder for each frame, until it is put together.

func tilesFolder(h *house.House) string { return filepath.Join(h.Work(), "tiles") }

func tileFolder(h *house.House, sequence int64, number int) string {
	return filepath.Join(tilesFolder(h), fmt.Sprintf("%d_%d", sequence, number))
}

func tilePath(h *house.House, l *store.Lease, index int) string {
	return filepath.Join(tileFolder(h, l.SequenceID, l.Number), fmt.Sprintf("tile_%04d.exr", index))
}

// newTileJob writes the renderer's order for a leased tile, and makes the folder that it needs. Any renderer that can
// render a region can do it.
func newTileJob(h *house.House, l *store.Lease) (job.Job, part, error) {
	j, p, err := tileJob(h, l)
	if err == nil {
		err = os.MkdirAll(filepath.Dir(p.final), 0o755)
	}
	return j, p, err
}

// tileJob is newTileJob that makes no folder.
func tileJob(h *house.House, l *store.Lease) (job.Job, part, error) {
	s, b := l.Sequence.Spec, l.Batch.Plan
	place, ok := b.Tile(s, l.Tile.Index)
	if !ok {
		return job.Job{}, part{}, fmt.Errorf("frame %d has no tile %d", l.Number, l.Tile.Index)
	}
	final := tilePath(h, l, l.Tile.Index)
	p := part{
		temp: tempName(final, leaseMark(l)), final: final,
		want: inspect.Expected{
			Encoding: framefile.TileEncoding(),
			Size:     raster.Size{Width: place.Dx(), Height: place.Dy()},
			Passes:   s.Passes,
		},
	}
	j := b.Picture(s)
	namePaths(h, l, &j)
	j.Region, j.CutOut = job.RegionOf(place), true
	j.Frames = []job.Frame{
		{Number: l.Number, Files: []job.File{{Path: p.temp, Encoding: framefile.TileEncoding(), Passes: s.Passes}}},
	}
	return j, p, nil
}

// renderTile renders a tile, judges its file and keeps it.
func (n *Node) renderTile(ctx context.Context, l *store.Lease, log *Log, heard func(job.Message)) (store.File, error) {
	j, p, err := newTileJob(n.House, l)
	if err != nil {
		return store.File{}, err
	}
	defer os.Remove(p.temp) // which is not there any more if all went well
	err = n.run(ctx, []*store.Lease{l}, n.rendererFor(l), j, n.coresOf(l), heard, log)
	if err != nil {
		return store.File{}, err
	}
	if err := n.House.Record.Check(l); err != nil {
		return store.File{}, err
	}
	n.Hub.Changed()
	judged, err := n.judge(ctx, []part{p}, log)
	if err == nil {
		err = badFiles(judged)
	}
	if err != nil {
		return store.File{}, err
	}
	return judged[0].sum, rename(p.temp, p.final)
}

// errTilesLost says that a frame cannot be put together until some of its tiles were rendered again.
var errTilesLost = errors.New("files of tiles are not there any more; they are rendered again")

// assemble puts a frame together from its tiles, judges its files, and puts them in place.
func (n *Node) assemble(ctx context.Context, l *store.Lease, log *Log, heard func(job.Message)) ([]store.File, error) {
	j, parts, kept, err := newJob(n.House, l)
	if err != nil {
		return nil, err
	}
	a := job.Assembly{Job: j}
	var lost []int
	for _, t := range l.Tiles {
		path := tilePath(n.House, l, t.Index)
		file, err := sumOfPlain(path)
		switch {
		case err != nil && !errors.Is(err, fs.ErrNotExist):
			return nil, err
		case err != nil || file.Bytes != t.Bytes || file.SHA256 != t.SHA256:
			lost = append(lost, t.Index)
			log.Add("tile %d is not there any more, or was changed", t.Index)
		}
		a.TileFiles = append(a.TileFiles, path)
		a.Rendered += t.Seconds
	}
	if len(lost) > 0 {
		if err := n.House.Record.LoseTiles(l, lost, log.String()); err != nil {
			return nil, err
		}
		return nil, errTilesLost
	}
	// Nobody else can do it, and it is soon done: it has all cores.
	return n.make(ctx, l, a, n.Assembler, runtime.NumCPU(), parts, kept, log, heard)
}

func sumOfPlain(path string) (store.File, error) {
	f, _, err := house.OpenPlain(path)
	if err != nil {
		return store.File{}, err
	}
	defer f.Close()
	return house.SumOf(f)
}

// clearTiles removes the tiles of frames that do not need them any more: of those that are good, and, with what is
// known of them, of those that were dropped. Files under way are removed, too, if nobody can be writing them.
func (n *Node) clearTiles(underWay bool) error {
	folders, err := os.ReadDir(tilesFolder(n.House))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	var errs []error
	for _, folder := range folders {
		if strings.HasPrefix(folder.Name(), "cleared-") && underWay {
			errs = append(errs, os.RemoveAll(filepath.Join(tilesFolder(n.House), folder.Name())))
		}
		path := filepath.Join(tilesFolder(n.House), folder.Name())
		var sequence int64
		var number int
		if _, err := fmt.Sscanf(folder.Name(), "%d_%d", &sequence, &number); err != nil {
			continue // not ours
		}
		f, err := n.House.Record.Frame(sequence, number)
		switch {
		case errors.Is(err, store.ErrNotFound) || err == nil && f.State == queue.Good:
			errs = append(errs, os.RemoveAll(path))
		case err != nil:
			errs = append(errs, err)
		case f.State == queue.Dropped:
			aside := filepath.Join(tilesFolder(n.House), "cleared-"+folder.Name())
			errs = append(
				errs,
				n.House.Record.ForgetTiles(sequence, number, func() error { return os.Rename(path, aside) }),
				os.RemoveAll(aside),
			)
		case underWay:
			files, err := filepath.Glob(filepath.Join(path, ".*"+house.PartMark+"*"))
			errs = append(errs, err)
			for _, file := range files {
				errs = append(errs, os.Remove(file))
			}
		}
	}
	return errors.Join(errs...)
}

// stepName says what a lease is of.
func stepName(l *store.Lease) string {
	name := fmt.Sprintf("%s, frame %d", l.Sequence.Spec.Title(), l.Number)
	switch {
	case l.Sequence.Spec.FollowUp != nil && !l.Sequence.Spec.FollowUp.ByFrame:
		return l.Sequence.Spec.Title()
	case l.Tile != nil:
		b, s := l.Batch.Plan, l.Sequence.Spec
		place, _ := b.Tile(s, l.Tile.Index)
		name += fmt.Sprintf(
			", tile %d of %d (%d × %d pixels from %d, %d)", l.Tile.Index, b.TileCount(s), place.Dx(), place.Dy(),
			place.Min.X, place.Min.Y,
		)
	case len(l.Tiles) > 0:
		name += fmt.Sprintf(", put together from %d tiles", len(l.Tiles))
	}
	return strings.TrimSpace(name)
}
