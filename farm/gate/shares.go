package gate

import (
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"reelhouse/farm/wire"
	"reelhouse/house"
	"reelhouse/store"
)

// A folder that a node has, too, is believed to be the same one when the node has read there what the house has
// written, and has written there what the house reads.

// A share is a folder that a node says it has, too.
type share struct {
	folder, file, text string
	proven             bool
}

// sharesOf begins to try the folders that a node says it has. Only those where finished files belong are tried, of
// volumes that may be shared: a node lets the house write nowhere else. In the folder of a bucket lie copies that the
// house believes.
func (g *Gate) sharesOf(folders []string) (all []*share, told []wire.Share) {
	for _, folder := range folders {
		s := &share{
			folder: filepath.Clean(folder), file: ".share" + house.PartMark + strings.ToLower(rand.Text()),
			text: rand.Text(),
		}
		if !slices.ContainsFunc(g.House.Volumes(), func(v store.Volume) bool {
			volume, err := filepath.Abs(v.Folder)
			if err != nil || v.Bucket != "" || v.Sent {
				return false
			}
			rel, err := filepath.Rel(volume, s.folder)
			return err == nil && filepath.IsLocal(rel)
		}) {
			g.Log.Warn("a node shares a folder where no finished files belong, or whose files are to be sent", "folder",
				folder)
			continue
		}
		if err := os.WriteFile(filepath.Join(s.folder, s.file), []byte(s.text), 0o644); err != nil {
			continue
		}
		all = append(all, s)
		told = append(told, wire.Share{Folder: folder, File: s.file})
	}
	return all, told
}

// prove looks whether the node has answered. Only one that is proven is used.
func (s *share) prove() {
	if s.proven {
		return
	}
	answer, err := os.ReadFile(filepath.Join(s.folder, s.file+wire.AnswerEnding))
	if err == nil && string(answer) == wire.AnswerTo(s.text) {
		s.proven = true
		s.remove()
	}
}

func (s *share) remove() {
	_ = os.Remove(filepath.Join(s.folder, s.file)) // they may not be there
	_ = os.Remove(filepath.Join(s.folder, s.file+wire.AnswerEnding))
}

// shares reports whether a path lies in a folder that the node has, too.
func (o *outpost) sharesPath(path string) bool {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	for _, s := range o.shares {
		rel, err := filepath.Rel(s.folder, path)
		if s.proven && err == nil && filepath.IsLocal(rel) {
			return true
		}
	}
	return false
}

// showsWithin is how long a file that a node has written to a shared folder may take to be seen here.
const showsWithin = 10 * time.Second

// seen waits until a file of a shared folder is what the node says.
func seen(path string, made wire.Made) error {
	until := time.Now().Add(showsWithin)
	for {
		err := isAs(path, made)
		if err == nil || time.Now().After(until) || !errors.Is(err, os.ErrNotExist) && !errors.Is(err, errShort) {
			return err
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// errShort says that not all of a file is seen yet.
var errShort = errors.New("it is shorter than the node says")

func isAs(path string, made wire.Made) error {
	f, info, err := house.OpenPlain(path)
	if err != nil {
		return err
	}
	defer f.Close()
	if info.Size() < made.Bytes {
		return errShort
	}
	sum, err := sumOf(f)
	if err == nil && (sum.Bytes != made.Bytes || sum.SHA256 != made.SHA256) {
		err = fmt.Errorf("%s is not what the node says of it", plainName(path))
	}
	return err
}
