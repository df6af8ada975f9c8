package house

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"
	"golang.org/x/time/rate"

	"reelhouse/core/naming"
	"reelhouse/core/queue"
	"reelhouse/store"
)

// A Verification is what finished files are held against the record for.
type Verification struct {
	Production string // "" for all
	// Deep reads every file and compares its sum. Otherwise only whether it is there, is a plain file, and has its size
	// is looked at.
	Deep bool
	// BytesPerSecond bounds what a deep one reads, so that rendering is not held up; 0 for no bound.
	BytesPerSecond int64
}

// mostAtOnce is what a bounded verification reads without a pause.
const mostAtOnce = 8 << 20

// pace returns what is waited for before so many bytes are read.
func (v Verification) pace() func(ctx context.Context, bytes int64) error {
	if !v.Deep || v.BytesPerSecond <= 0 {
		return func(context.Context, int64) error { return nil }
	}
	limiter := rate.NewLimiter(rate.Limit(v.BytesPerSecond), mostAtOnce)
	return func(ctx context.Context, bytes int64) error {
		for ; bytes > 0; bytes -= mostAtOnce {
			if err := limiter.WaitN(ctx, int(min(bytes, mostAtOnce))); err != nil {
				return err
			}
		}
		return nil
	}
}

// A LostFile is a file that is not what was judged.
type LostFile struct {
	Production string `json:"production"`
	Batch      string `json:"batch"`
	Sequence   string `json:"sequence"`
	SequenceID int64  `json:"sequenceId"`
	Frame      int    `json:"frame"`
	Path       string `json:"path"`
	Fault      string `json:"fault"`
}

// A Verified is what a verification has found.
type Verified struct {
	Deep   bool       `json:"deep"`
	Frames int        `json:"frames"` // that were looked at
	Files  int        `json:"files"`
	Bytes  int64      `json:"bytes"` // of the files that are as they were
	Lost   []LostFile `json:"lost"`  // frames of which are lost now
	Found  int        `json:"found"` // frames that were lost and are good again
	// Foreign are files that nobody recorded, and Unfinished those of renderings that nobody is at. Both are by their
	// paths below the output folder, and no more than mostForeign.
	Foreign    []string `json:"foreign"`
	Unfinished []string `json:"unfinished"`
	// Unread are files that could not be looked at: nothing is said of their frames.
	Unread []string `json:"unread"`
}

// Clean reports whether everything is as it was recorded, and nothing else is there.
func (v Verified) Clean() bool {
	return len(v.Lost)+len(v.Foreign)+len(v.Unfinished)+len(v.Unread) == 0
}

// mostForeign is how many paths are named of files that are not in the record.
const mostForeign = 1000

// Verify compares finished files with what was recorded when they were judged, and records frames as lost, or as good
// again. It may run beside a server. progress hears how many frames of all were looked at; it may be nil.
func (h *House) Verify(ctx context.Context, what Verification, progress func(done, all int)) (Verified, error) {
	out := Verified{
		Deep:       what.Deep,
		Lost:       []LostFile{},
		Foreign:    []string{},
		Unfinished: []string{},
		Unread:     []string{},
	}
	if err := h.available(""); err != nil {
		return out, err
	}
	batches, err := h.Record.Batches(what.Production)
	if err != nil {
		return out, err
	}
	all, done := 0, 0
	for _, b := range batches {
		all += b.Counts()[queue.Good] + b.Counts()[queue.Lost]
	}
	pace := what.pace()
	folders := map[string]bool{} // that hold files of what is verified
	for _, b := range batches {
		following, err := h.Record.FollowUpsOf(b.ID)
		if err != nil {
			return out, err
		}
		for _, q := range slices.Concat(b.Sequences, following) {
			for _, f := range q.Spec.Files {
				folders[path.Dir(f.Path.Frame(q.Spec.Frames.First()))] = true
			}
			if q.Counts[queue.Good]+q.Counts[queue.Lost] == 0 {
				continue
			}
			err := h.verifySequence(ctx, what, pace, b, q, &out, func() {
				done++
				if progress != nil {
					progress(done, all)
				}
			})
			if err != nil {
				return out, err
			}
		}
	}
	if what.Production == "" {
		folders = nil
	}
	return out, h.foreign(ctx, folders, &out)
}

func (h *House) verifySequence(
	ctx context.Context,
	what Verification,
	pace func(ctx context.Context, bytes int64) error,
	b store.Batch,
	q store.Sequence,
	out *Verified,
	one func(),
) error {
	frames, err := h.Record.SequenceFiles(q.ID)
	if err != nil {
		return err
	}
	var mutex sync.Mutex
	lists := newLists()
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for _, f := range frames {
		group.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			if err := pace(ctx, bytesOf(f.Files)); err != nil {
				return err
			}
			faults, bytes, unread := h.faults(&Plain{lists: lists}, what.Deep, f.Files)
			mutex.Lock()
			defer mutex.Unlock()
			one()
			out.Frames++
			out.Files += len(f.Files)
			out.Bytes += bytes
			if len(unread) > 0 {
				out.Unread = append(out.Unread, unread...)
				return nil
			}
			for _, file := range f.Files {
				if fault := faults[file.Path]; fault != "" {
					out.Lost = append(
						out.Lost, LostFile{b.Plan.Production, b.Name, q.Spec.Title(), q.ID, f.Number, file.Path, fault},
					)
				}
			}
			switch {
			case len(faults) > 0:
				_, err := h.Record.Miss(q.ID, f.Number, f.Lease, faults)
				return err
			case f.State == queue.Lost && (what.Deep || !f.Changed()): // what has changed is found only by reading it
				was, err := h.Record.Find(q.ID, f.Number, f.Lease)
				if was {
					out.Found++
				}
				return err
			}
			return nil
		})
	}
	err = group.Wait()
	slices.SortFunc(out.Lost, func(a, b LostFile) int { return strings.Compare(a.Path, b.Path) })
	return err
}

func bytesOf(files []store.File) (sum int64) {
	for _, f := range files {
		sum += f.Bytes
	}
	return sum
}

// faults says what is wrong with files, by their paths, and how many bytes are well. Of files that cannot be looked at
// it says why.
func (h *House) faults(
	p *Plain, deep bool, files []store.File,
) (faults map[string]string, bytes int64, unread []string) {
	faults = map[string]string{}
	for _, f := range files {
		fault, err := h.fault(p, deep, f)
		if fault != "" && h.inBucket(f.Path) { // a list may be from before the file was there
			fault, err = h.Fault(deep, f)
		}
		switch {
		case err != nil:
			unread = append(unread, f.Path+": "+plainError(err))
		case fault != "":
			faults[f.Path] = fault
		default:
			bytes += f.Bytes
		}
	}
	return faults, bytes, unread
}

// plainError is an error without the path of the server's own.
func plainError(err error) string {
	var p *fs.PathError
	if errors.As(err, &p) {
		return p.Err.Error()
	}
	return err.Error()
}

// Fault says in what a file is not what was judged, "" if it is: its contents are read if that is asked for.
func (h *House) Fault(deep bool, f store.File) (string, error) { return h.fault(&Plain{}, deep, f) }

func (h *House) fault(p *Plain, deep bool, f store.File) (string, error) {
	info, err := h.StatOutput(p, f.Path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "is gone", nil
	case errors.Is(err, ErrNotPlain):
		return "is no plain file any more", nil
	case err != nil:
		return "", err
	case info.Size() < f.Bytes:
		return fmt.Sprintf("is cut short: %d of %d bytes", info.Size(), f.Bytes), nil
	case info.Size() > f.Bytes:
		return fmt.Sprintf("has changed: %d bytes instead of %d", info.Size(), f.Bytes), nil
	case !deep:
		return "", nil
	}
	now, err := h.SumOutput(f.Path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "is gone", nil
	case err != nil:
		return "", err
	case now.SHA256 != f.SHA256:
		return changed, nil
	}
	return "", nil
}

const changed = store.Changed

// foreign looks for files below the output folder that are not in the record; only in some folders, if any are given.
func (h *House) foreign(ctx context.Context, folders map[string]bool, out *Verified) error {
	var foreign, unfinished []string
	folder, recorded := "", map[string]bool{} // of one folder at a time: a film has ten million files
	var volume store.Volume
	look := func(file string, d fs.DirEntry, err error) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		rel, _ := filepath.Rel(volume.Folder, file)
		rel = naming.OnVolume(volume.Code, filepath.ToSlash(rel))
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return nil // a file under way that has got its name
		case err != nil:
			out.Unread = append(out.Unread, rel+": "+plainError(err))
			return nil
		case d.IsDir() && isOurs(d.Name()):
			return fs.SkipDir
		case d.IsDir() || folders != nil && !folders[path.Dir(rel)]:
			return nil
		case d.Name() == markFile:
			return nil
		case isOurs(d.Name()):
			unfinished = append(unfinished, rel)
		default:
			if in := path.Dir(rel); in != folder {
				var err error
				if recorded, err = h.Record.RecordedIn(in); err != nil {
					return err
				}
				folder = in
			}
			if !recorded[rel] {
				foreign = append(foreign, rel)
			}
		}
		return nil
	}
	for _, volume = range h.Volumes() {
		if h.available(volume.Code) != nil {
			continue // which was said of the files that should be there
		}
		if err := filepath.WalkDir(volume.Folder, look); err != nil {
			return err
		}
		if volume.Bucket != "" {
			var away *VolumeError
			if err := h.walkBucket(ctx, volume, look); errors.As(err, &away) {
				out.Unread = append(out.Unread, away.Error())
			} else if err != nil {
				return err
			}
		}
	}
	if len(foreign)+len(unfinished) == 0 {
		return nil
	}
	return h.sift(foreign, unfinished, out)
}

// sift leaves out what nodes are at, and what was recorded meanwhile.
func (h *House) sift(foreign, unfinished []string, out *Verified) error {
	busy, err := h.Record.Busy()
	if err != nil {
		return err
	}
	underWay := map[string]bool{}
	for _, f := range busy {
		q, err := h.Record.Sequence(f.SequenceID)
		if err != nil {
			return err
		}
		files := q.Spec.Files
		if q.Follows > 0 { // it may be rendering that once more
			source, err := h.Record.Sequence(q.Follows)
			if err != nil {
				return err
			}
			files = slices.Concat(files, source.Spec.Files)
		}
		for _, file := range files {
			underWay[file.Path.Frame(f.Number)] = true
		}
	}
	for _, rel := range foreign {
		if underWay[rel] {
			continue
		}
		claims, err := h.Record.Claims(rel)
		if err != nil {
			return err
		}
		if len(claims) == 0 && len(out.Foreign) < mostForeign {
			out.Foreign = append(out.Foreign, rel)
		}
	}
	for _, rel := range unfinished {
		name, _, _ := strings.Cut(strings.TrimPrefix(path.Base(rel), "."), PartMark)
		if !underWay[path.Join(path.Dir(rel), name)] && len(out.Unfinished) < mostForeign {
			out.Unfinished = append(out.Unfinished, rel)
		}
	}
	return nil
}
