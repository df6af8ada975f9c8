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
	"strings"
	"sync"
	"sync/atomic"

	"github.com/dustin/go-humanize"

	"reelhouse/core/delivery"
)

// copiersAtOnce is how many files are copied side by side.
const copiersAtOnce = 4

// roomLeft is what a delivery leaves free on its disk, in bytes.
const roomLeft = 64 << 20

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
	ctx context.Context, root *os.Root, d delivery.Delivery, told *telling,
) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	told.begin("copying", len(d.Files), "file")
	var next atomic.Int64
	var group sync.WaitGroup
	for range copiersAtOnce {
		group.Go(func() {
			for i := int(next.Add(1)) - 1; i < len(d.Files) && ctx.Err() == nil; i = int(next.Add(1)) - 1 {
				f := d.Files[i]
				if err := h.copyOne(ctx, root, d, f); err != nil {
					cancel(fmt.Errorf("%s: %w", f.To, err))
					return
				}
				told.further(1, f.Bytes)
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

// copyOne copies a file, unless it is there, or encodes it anew.
func (h *House) copyOne(ctx context.Context, root *os.Root, d delivery.Delivery, f delivery.File) error {
	if f.Form > 0 {
		return h.encodeOne(ctx, root, d, f)
	}
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
