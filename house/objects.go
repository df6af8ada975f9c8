package house

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"reelhouse/bucket"
	"reelhouse/core/naming"
	"reelhouse/store"
)

// A volume may be a bucket in a store of objects. What is under way lies in a folder of the data folder, as for any
// volume. Files get their names by being put into the bucket, and what reads them gets copies.

// UsualCopies is how many bytes of copies of a bucket's files are kept on this machine.
const UsualCopies = 20e9

// copiesFolder has the copies of a bucket's files, below its folder.
const copiesFolder = ".copies"

// buckets are those of the volumes, as far as they were used.
type buckets struct {
	mutex sync.Mutex
	open  map[string]*bucket.Bucket // by their addresses
	looks map[string]look           // at their marks, by their codes
}

// A look is what was seen of a bucket's mark, and when.
type look struct {
	at    time.Time
	fault error
	mark  string
}

// lookEvery is how often the mark of a bucket is read: what is done with it fails by itself meanwhile.
const lookEvery = 5 * time.Second

// of returns the bucket of a volume.
func (b *buckets) of(v store.Volume) (*bucket.Bucket, error) {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	if there := b.open[v.Bucket]; there != nil {
		return there, nil
	}
	made, err := bucket.Open(v.Bucket, filepath.Join(v.Folder, copiesFolder), v.Copies, FreeBytes)
	if err != nil {
		return nil, noVolume("volume %s cannot be used: %s", v.Code, err)
	}
	if b.open == nil {
		b.open = map[string]*bucket.Bucket{}
	}
	b.open[v.Bucket] = made
	return made, nil
}

func (b *buckets) close() (err error) {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	for _, one := range b.open {
		err = errors.Join(err, one.Close())
	}
	b.open = nil
	return err
}

// available says why a bucket cannot be used, nil if it can.
func (b *buckets) available(v store.Volume) error {
	b.mutex.Lock()
	seen, there := b.looks[v.Code]
	b.mutex.Unlock()
	if there && time.Since(seen.at) < lookEvery && seen.mark == v.Mark {
		return seen.fault
	}
	fault := b.look(v)
	b.mutex.Lock()
	defer b.mutex.Unlock()
	if b.looks == nil {
		b.looks = map[string]look{}
	}
	b.looks[v.Code] = look{time.Now(), fault, v.Mark}
	return fault
}

func (b *buckets) look(v store.Volume) error {
	from, err := b.of(v)
	if err != nil {
		return err
	}
	switch mark, err := readBucketMark(from); {
	case errors.Is(err, fs.ErrNotExist):
		return noVolume("the bucket of volume %s has no object %s: it is another one, or was emptied", v.Code, markFile)
	case err != nil:
		return noVolume("volume %s cannot be read: %s", v.Code, err)
	case mark != v.Mark:
		return noVolume("the bucket of volume %s is another one than it was", v.Code)
	}
	return nil
}

func readBucketMark(from *bucket.Bucket) (string, error) {
	r, err := from.Read(markFile)
	if err != nil {
		return "", err
	}
	defer r.Close()
	text, err := io.ReadAll(io.LimitReader(r, mostMark))
	return strings.TrimSpace(string(text)), err
}

// markBucket is mark for a bucket.
func markBucket(v store.Volume) (string, error) {
	b, err := bucket.Open(v.Bucket, filepath.Join(v.Folder, copiesFolder), v.Copies, FreeBytes)
	if err != nil {
		return "", err
	}
	defer b.Close()
	mark, err := readBucketMark(b)
	if err == nil || !errors.Is(err, fs.ErrNotExist) {
		return mark, err
	}
	mark = rand.Text()
	if err := b.PutMark(markFile, mark+"\n"); err != nil {
		return "", err
	}
	return mark, nil
}

// inBucket reports whether a path below the output folder is one in a bucket.
func (h *House) inBucket(rel string) bool {
	volume, _ := naming.SplitVolume(rel)
	v, known := h.Volume(volume)
	return known && v.Bucket != ""
}

// InBucket reports whether a file below the output folder lies in a bucket.
func (h *House) InBucket(rel string) bool { return h.inBucket(rel) }

// object does something with the object of a path.
func (h *House) object(rel string, do func(b *bucket.Bucket, name string) error) error {
	if _, err := h.OutputPath(rel); err != nil { // which leads out
		return err
	}
	volume, name := naming.SplitVolume(rel)
	v, _ := h.Volume(volume)
	b, err := h.buckets.of(v)
	if err != nil {
		return err
	}
	return storeAway(volume, do(b, name))
}

// storeAway makes a VolumeError of an error that says that a store is away.
func storeAway(volume string, err error) error {
	var away *bucket.AwayError
	if errors.As(err, &away) {
		return noVolume("volume %s cannot be used: %s", volume, away)
	}
	return err
}

// An objectReader reads an object of a volume.
type objectReader struct {
	io.ReadCloser
	volume string
}

func (r objectReader) Read(p []byte) (int, error) {
	n, err := r.ReadCloser.Read(p)
	return n, storeAway(r.volume, err)
}

func (h *House) copyObject(rel string) (path string, err error) {
	if err := h.bucketAvailable(rel); err != nil {
		return "", err
	}
	err = h.object(rel, func(b *bucket.Bucket, name string) error {
		path, err = b.Copy(name)
		return err
	})
	return path, err
}

func (h *House) readObject(rel string) (r io.ReadCloser, err error) {
	if err := h.bucketAvailable(rel); err != nil {
		return nil, err
	}
	err = h.object(rel, func(b *bucket.Bucket, name string) error {
		r, err = b.Read(name)
		return err
	})
	volume, _ := naming.SplitVolume(rel)
	return objectReader{r, volume}, err
}

func (h *House) bucketAvailable(rel string) error {
	volume, _ := naming.SplitVolume(rel)
	return h.available(volume)
}

// PutOutput puts a file on this machine, whose SHA-256 is known, into the bucket where it belongs. If something has its
// name, that stays, and the error wraps fs.ErrExist.
func (h *House) PutOutput(from, rel, sum string) error {
	return h.object(rel, func(b *bucket.Bucket, name string) error { return b.Put(name, from, sum) })
}

func (h *House) moveObject(rel, to string) error {
	_, name := naming.SplitVolume(to)
	return h.object(rel, func(b *bucket.Bucket, from string) error { return b.Move(from, name) })
}

// lists are what is known of folders in buckets: when several files of one are asked for, all of it is read at once.
type lists struct {
	mutex sync.Mutex
	asked map[string]int
	all   map[string]map[string]bucket.File // by folder and path
}

// fewFiles is how many files of a folder are asked for one by one.
const fewFiles = 3

func newLists() *lists {
	return &lists{asked: map[string]int{}, all: map[string]map[string]bucket.File{}}
}

// few counts a file that is asked for, and reports whether they are few in its folder.
func (l *lists) few(folder string) bool {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.asked[folder]++
	return l.asked[folder] <= fewFiles
}

// statObject says what an object is. p may know it from a list, which was read since p was made.
func (h *House) statObject(p *Plain, rel string) (info fs.FileInfo, err error) {
	if p.lists == nil {
		p.lists = newLists()
	}
	l, folder := p.lists, path.Dir(rel)
	if l.few(folder) {
		err = h.object(rel, func(b *bucket.Bucket, name string) error {
			info, err = b.Stat(name)
			return err
		})
		return info, err
	}
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.all[folder] == nil {
		known := map[string]bucket.File{}
		err := h.object(rel, func(b *bucket.Bucket, name string) error {
			prefix := strings.TrimPrefix(path.Dir(name)+"/", "./")
			return b.Walk(context.Background(), prefix, func(f bucket.File) error {
				known[f.Path] = f
				return nil
			})
		})
		if err != nil {
			return nil, err
		}
		l.all[folder] = known
	}
	_, name := naming.SplitVolume(rel)
	f, there := l.all[folder][name]
	if !there {
		return nil, fmt.Errorf("%s: %w", rel, fs.ErrNotExist)
	}
	return f, nil
}

// walkBucket walks over the objects of a volume as filepath.WalkDir does over files: as if they lay in its folder.
func (h *House) walkBucket(ctx context.Context, v store.Volume, look fs.WalkDirFunc) error {
	b, err := h.buckets.of(v)
	if err != nil {
		return err
	}
	return storeAway(v.Code, b.Walk(ctx, "", func(f bucket.File) error {
		if strings.HasPrefix(f.Path, asideFolder+"/") {
			return nil
		}
		return look(filepath.Join(v.Folder, filepath.FromSlash(f.Path)), fs.FileInfoToDirEntry(f), nil)
	}))
}
