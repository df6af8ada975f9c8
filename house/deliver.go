package house

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/dustin/go-humanize"

	"reelhouse/core/delivery"
	"reelhouse/core/mhl"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/store"
)

// Deliveries returns the folder that deliveries go to which are not sent elsewhere.
func (h *House) Deliveries() string { return h.path("deliveries") }

// PlanDelivery returns what a recipe hands on as things are.
func (h *House) PlanDelivery(p production.Production, code string) (d delivery.Delivery, err error) {
	recipe, ok := p.FindDelivery(code)
	if !ok {
		return d, fmt.Errorf("production %s has no delivery %q", p.Code, code)
	}
	batches, err := h.Record.Batches(p.Code)
	if err != nil {
		return d, err
	}
	verdicts, err := h.Record.VerdictsOf(p.Code, false)
	if err != nil {
		return d, err
	}
	var all []delivery.Rendering
	for _, b := range batches {
		for _, q := range b.Sequences {
			if q.Counts[queue.Good] == 0 || len(recipe.Shots) > 0 && !slices.Contains(recipe.Shots, q.Spec.Shot) {
				continue
			}
			r := delivery.Rendering{
				ID: q.ID, Batch: b.ID, Name: b.Name, Plan: b.Plan, Spec: q.Spec, Frames: map[int]delivery.Rendered{},
				Verdicts: verdicts[q.ID],
			}
			files, err := h.Record.SequenceFiles(q.ID)
			if err != nil {
				return d, err
			}
			for _, f := range files {
				frame := delivery.Rendered{State: f.State}
				for _, file := range f.Files {
					frame.Files = append(
						frame.Files,
						delivery.RecordedFile{Path: file.Path, Bytes: file.Bytes, SHA256: file.SHA256},
					)
				}
				r.Frames[f.Number] = frame
			}
			all = append(all, r)
		}
	}
	slices.SortStableFunc(all, func(a, b delivery.Rendering) int { return int(b.ID - a.ID) }) // the newest first
	return delivery.Plan(p, recipe, all)
}

// FormerDelivery returns the newest complete delivery of a recipe, and what it holds; false if there is none.
func (h *House) FormerDelivery(
	production, recipe string,
) (former store.Delivery, d delivery.Delivery, known bool, err error) {
	all, err := h.Record.Deliveries(production)
	if err != nil {
		return former, d, false, err
	}
	i := slices.IndexFunc(all, func(d store.Delivery) bool { return d.Complete && strings.EqualFold(d.Recipe, recipe) })
	if i < 0 {
		return former, d, false, nil
	}
	d, err = h.Record.Delivered(all[i].ID)
	return all[i], d, err == nil, err
}

// BeginDelivery freezes a delivery, which goes to a folder that is empty, or not there; "" for one in the data folder.
func (h *House) BeginDelivery(d delivery.Delivery, to string, by store.Author) (store.Delivery, error) {
	if d.Refused() {
		return store.Delivery{}, errors.New("the delivery has findings that refuse it")
	}
	return h.Record.BeginDelivery(d, func(number int) (string, error) {
		folder := to
		if folder == "" {
			folder = filepath.Join(h.Deliveries(), fmt.Sprintf("%s_%s_%03d", d.Production, d.Recipe.Code, number))
		}
		folder, err := filepath.Abs(folder)
		if err != nil {
			return "", err
		}
		if err := h.outside(folder); err != nil {
			return "", err
		}
		entries, err := os.ReadDir(folder)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return "", err
		}
		if len(entries) > 0 {
			return "", fmt.Errorf("%s is not empty; name another folder", folder)
		}
		return folder, nil
	}, by)
}

// outside refuses a folder where finished files belong: what is handed on would be foreign there.
func (h *House) outside(folder string) error {
	real := folder
	for rest := ""; ; real, rest = filepath.Dir(real), filepath.Join(filepath.Base(real), rest) {
		if there, err := filepath.EvalSymlinks(real); err == nil {
			real = filepath.Join(there, rest)
			break
		}
		if real == filepath.Dir(real) {
			break
		}
	}
	for _, v := range h.Volumes() {
		volume, err := filepath.Abs(v.Folder)
		if err == nil {
			if there, err := filepath.EvalSymlinks(volume); err == nil {
				volume = there
			}
			if rel, err := filepath.Rel(volume, real); err == nil && filepath.IsLocal(rel) {
				return fmt.Errorf("%s lies within %s, where finished files belong; name another folder", folder,
					VolumeTitle(v.Code))
			}
		}
	}
	return nil
}

// copiersAtOnce is how many files are copied side by side.
const copiersAtOnce = 2

// roomLeft is what a delivery leaves free on its disk, in bytes.
const roomLeft = 64 << 20

// Deliver copies what a delivery holds that was begun, and is not there yet, writes what proves it, and notes that it
// is complete. Every file is held against what was recorded when it was judged, while it is copied; what is there
// already is read, and not copied again. It may be ended at any time, and called again. progress is told how many files
// and bytes are in place.
func (h *House) Deliver(
	ctx context.Context, begun store.Delivery, tool, version string, progress func(files int, bytes int64),
) error {
	locked := h.path("work", fmt.Sprintf("delivery-%d.lock", begun.ID))
	unlock, err := lock(locked)
	if err != nil {
		return errors.New("somebody else is copying it just now")
	}
	defer func() { os.Remove(locked); unlock() }()
	if now, err := h.Record.Delivery(begun.ID); err != nil || now.Complete {
		return err
	}
	d, err := h.Record.Delivered(begun.ID)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(begun.Folder, 0o755); err != nil {
		return err
	}
	root, err := os.OpenRoot(begun.Folder)
	if err != nil {
		return err
	}
	defer root.Close()
	if err := removeUnfinished(root); err != nil {
		return err
	}
	if err := h.roomFor(root, begun.Folder, d); err != nil {
		return err
	}
	if err := h.copyAll(ctx, root, d, progress); err != nil {
		return err
	}
	former, _, _, err := h.FormerDelivery(d.Production, d.Recipe.Code)
	if err != nil {
		return err
	}
	if err := writeManifests(root, begun, d, former); err != nil {
		return err
	}
	how := mhl.Making{
		Format: d.Recipe.Hash, Created: time.Now().Truncate(time.Second), Tool: tool, Version: version,
		Author: begun.By, Process: "transfer",
	}
	how.Host, _ = os.Hostname()
	_, _, wrong, err := SealFolder(ctx, begun.Folder, how, nil)
	if err == nil && len(wrong) > 0 {
		err = fmt.Errorf("%s %s: %s", wrong[0].Kind, wrong[0].Path, wrong[0].Text)
	}
	if err != nil {
		return err
	}
	return h.Record.EndDelivery(begun.ID)
}

// removeUnfinished removes what a delivery that was ended has left half.
func removeUnfinished(root *os.Root) error {
	return fs.WalkDir(root.FS(), ".", func(name string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && strings.HasSuffix(name, PartMark) {
			return root.Remove(name)
		}
		return err
	})
}

// roomFor says whether the disk has room for what is not there yet.
func (h *House) roomFor(root *os.Root, folder string, d delivery.Delivery) error {
	var needed int64
	for _, f := range d.Files {
		if info, err := root.Lstat(f.To); err != nil || info.Size() != f.Bytes {
			needed += f.Bytes
		}
	}
	if free := freeBytes(folder); free >= 0 && float64(needed)+roomLeft > free {
		return fmt.Errorf(
			"%s is missing on the disk of %s; %s are to be copied",
			humanize.Bytes(uint64(float64(needed)+roomLeft-free)),
			folder,
			humanize.Bytes(uint64(needed)),
		)
	}
	return nil
}

// copyAll copies files, several at once, until one cannot be.
func (h *House) copyAll(
	ctx context.Context, root *os.Root, d delivery.Delivery, progress func(files int, bytes int64),
) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var next, files, bytes atomic.Int64
	var group sync.WaitGroup
	for range copiersAtOnce {
		group.Go(func() {
			for i := int(next.Add(1)) - 1; i < len(d.Files) && ctx.Err() == nil; i = int(next.Add(1)) - 1 {
				f := d.Files[i]
				if err := h.copyOne(ctx, root, f); err != nil {
					cancel(fmt.Errorf("%s: %w", f.To, err))
					return
				}
				if n, m := files.Add(1), bytes.Add(f.Bytes); progress != nil {
					progress(int(n), m)
				}
			}
		})
	}
	group.Wait()
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	folders := map[string]bool{}
	for _, f := range d.Files {
		folders[path.Dir(f.To)] = true
	}
	for folder := range folders {
		dir, err := root.Open(folder)
		if err != nil {
			return err
		}
		if err := errors.Join(dir.Sync(), dir.Close()); err != nil {
			return err
		}
	}
	return nil
}

// copyOne copies a file, unless it is there.
func (h *House) copyOne(ctx context.Context, root *os.Root, f delivery.File) error {
	switch there, err := sumIn(root, f.To); {
	case err == nil && there == f.SHA256:
		return nil
	case err == nil:
		return errors.New("something else stands there already")
	case !errors.Is(err, fs.ErrNotExist):
		return err
	}
	from, _, err := h.OpenOutput(f.From)
	if err != nil {
		return err
	}
	defer from.Close()
	if err := root.MkdirAll(path.Dir(f.To), 0o755); err != nil {
		return err
	}
	temp := path.Join(path.Dir(f.To), "."+path.Base(f.To)+PartMark)
	to, err := root.Create(temp)
	if err != nil {
		return err
	}
	sum := sha256.New()
	if clone(from, to) == nil { // which shares what is on the disk until one of both is changed
		_, err = io.Copy(sum, reading{ctx, to})
	} else {
		_, err = io.Copy(io.MultiWriter(to, sum), reading{ctx, from})
	}
	if err = errors.Join(err, to.Sync(), to.Close()); err == nil && hex.EncodeToString(sum.Sum(nil)) != f.SHA256 {
		err = fmt.Errorf("%s is not what was judged any more; verify it, and render what is lost again", f.From)
	}
	if err == nil {
		err = root.Rename(temp, f.To)
	}
	if err != nil {
		return errors.Join(err, root.Remove(temp))
	}
	return nil
}

// sumIn returns the SHA-256 of a plain file.
func sumIn(root *os.Root, name string) (string, error) {
	info, err := root.Lstat(name)
	if err != nil {
		return "", err
	}
	if !info.Mode().IsRegular() {
		return "", ErrNotPlain
	}
	f, err := root.Open(name)
	if err != nil {
		return "", err
	}
	defer f.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, f); err != nil {
		return "", err
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
}

// reading reads until ctx ends.
type reading struct {
	ctx context.Context
	r   io.Reader
}

func (r reading) Read(p []byte) (int, error) {
	if r.ctx.Err() != nil {
		return 0, context.Cause(r.ctx)
	}
	return r.r.Read(p)
}
