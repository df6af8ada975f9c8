package farm

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"reelhouse/core/production"
	"reelhouse/house"
	"reelhouse/store"
)

// What goes wrong with the house costs no frame a try: a scene that cannot be read, a disk that is full or read-only,
// storage that is away, a renderer that cannot start. The node says why, and waits, a little longer each time. It waits
// with everything where that holds for every frame, and with one batch where it holds only for that.

// longestPause is the longest time between two tries.
const longestPause = time.Minute

// A rest is why something waits, and until when.
type rest struct {
	reason string
	until  time.Time
	pause  time.Duration
}

// longer lets a rest begin again, twice as long as the one before.
func (r *rest) longer(reason string, now time.Time, least time.Duration) {
	r.pause = min(max(2*r.pause, least), longestPause)
	r.reason, r.until = reason, now.Add(r.pause)
}

// rests are what a node waits for. The zero value is nothing.
type rests struct {
	mutex   sync.Mutex
	all     rest            // of the node
	batches map[int64]*rest // of single batches
	full    string          // that the data folder's disk is full; "" if it is not
	volumes string          // why batches wait for their volumes; "" if they do not
	record  string          // why the record cannot be read or changed; "" if it can
}

// add begins a rest, of a batch or, for 0, of the node.
func (r *rests) add(batch int64, reason string, least time.Duration) {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	if batch == 0 {
		r.all.longer(reason, time.Now(), least)
		return
	}
	if r.batches == nil {
		r.batches = map[int64]*rest{}
	}
	if r.batches[batch] == nil {
		r.batches[batch] = &rest{}
	}
	r.batches[batch].longer(reason, time.Now(), least)
}

// well ends the rests of a batch and of the node: a frame of it was rendered.
func (r *rests) well(batch int64) (changed bool) {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	_, rested := r.batches[batch]
	changed = rested || r.all.reason != ""
	delete(r.batches, batch)
	r.all = rest{}
	return changed
}

// now returns how long the node waits with everything, which batches it passes over, and when the first of them may be
// tried again; a negative time for no batch.
func (r *rests) now(at time.Time) (node time.Duration, except []int64, next time.Duration) {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	next = -1
	for id, b := range r.batches {
		if left := b.until.Sub(at); left > 0 {
			except = append(except, id)
			if next < 0 || left < next {
				next = left
			}
		}
	}
	slices.Sort(except)
	return max(0, r.all.until.Sub(at)), except, next
}

// set notes what holds until it is set again: that the disk is full, or why the record cannot be used. It returns
// whether that is new.
func (r *rests) set(which *string, text string) bool {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	changed := *which != text
	*which = text
	return changed
}

// text says why the node waits, "" if it does not.
func (r *rests) text() string {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	var all []string
	for _, t := range []string{r.full, r.volumes, r.record, r.all.reason} {
		if t != "" && !slices.Contains(all, t) {
			all = append(all, t)
		}
	}
	var ids []int64
	for id := range r.batches {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	for _, id := range ids {
		if reason := r.batches[id].reason; !strings.Contains(r.volumes, reason) {
			all = append(all, fmt.Sprintf("batch %d waits: %s", id, reason))
		}
	}
	return strings.Join(all, "; ")
}

// A fault is something that is wrong with the house.
type fault struct {
	reason string
	batch  bool // it is only about the batch
	sure   bool // it was seen, and not only said by a renderer
}

const diskFull = "the output's disk is full; make room, and rendering goes on by itself"

// faultOf finds out whether a step has failed for a fault of the house, nil if not.
func (n *Node) faultOf(l *store.Lease, err error) *fault {
	var start *startError
	if errors.As(err, &start) {
		return &fault{reason: start.Error(), sure: true}
	}
	from := map[string]string{
		"scene file":  n.House.Assets.ScenePath(l.Batch.Plan.Scene),
		"environment": n.House.Assets.EnvironmentPath(l.Sequence.Spec.Environment),
	}
	for _, f := range l.Sequence.Spec.Files {
		if sum := f.Encoding.LUT.SHA256; sum != "" {
			from["look-up table"] = n.House.Assets.LUTPath(production.LUTFile{SHA256: sum})
		}
	}
	var away *house.VolumeError
	if errors.As(err, &away) {
		return &fault{reason: away.Error(), batch: true, sure: true}
	}
	for what, path := range from {
		if path == "" {
			continue
		}
		if f, err := os.Open(path); err != nil {
			return &fault{reason: fmt.Sprintf("its %s cannot be read: %s", what, cause(err)), batch: true, sure: true}
		} else {
			f.Close()
		}
	}
	if f := n.probe(l); f != nil {
		return f
	}
	if volume := l.Batch.Plan.Volume; volume != "" {
		if reason := storageFault(err); reason != "" {
			return &fault{reason: house.VolumeTitle(volume) + ": " + reason, batch: true}
		}
	}
	if reason := storageFault(err); reason != "" {
		var path *fs.PathError
		var link *os.LinkError
		return &fault{
			reason: reason,
			sure:   errors.As(err, &path) || errors.As(err, &link),
		} // which the node has met itself
	}
	return nil
}

// probe finds out why files cannot be written where those of a step belong, nil if they can.
func (n *Node) probe(l *store.Lease) *fault {
	if reason := unwritable(n.House.Work(), probeName(l)); reason != "" {
		return &fault{reason: reason, sure: true}
	}
	volume := l.Batch.Plan.Volume
	if state := n.House.VolumeState(volume); state.Fault != "" {
		return &fault{reason: state.Fault, batch: volume != "", sure: true}
	}
	folders := map[string]bool{}
	for _, f := range l.Sequence.Spec.Files {
		path := f.Path.Frame(l.Number)
		if err := n.House.OutputFolder(path); errors.Is(err, house.ErrNotPlain) {
			continue // which is the frame's own fault
		}
		if file, err := n.House.OutputPath(path); err == nil {
			folders[filepath.Dir(file)] = true
		}
	}
	for folder := range folders {
		if reason := unwritable(folder, probeName(l)); reason != "" {
			if volume != "" {
				reason = house.VolumeTitle(volume) + ": " + reason
			}
			return &fault{reason: reason, batch: volume != "", sure: true}
		}
	}
	return nil
}

// unwritable says why files cannot be written in a folder, "" if they can. It is tried with a file of a name.
func unwritable(folder, name string) string {
	err := tryWriting(folder, name)
	if err == nil {
		return ""
	}
	if reason := storageFault(err); reason != "" {
		return reason
	}
	return "the output cannot be written: " + cause(err)
}

// A probe is a small file, by which it is found out whether a folder can be written. Its name is one of files under
// way.
const (
	probePrefix = ".probe" + house.PartMark
	probeBytes  = 4096
)

func probeName(l *store.Lease) string { return probePrefix + leaseMark(l) }

func tryWriting(folder, name string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	f, err := os.Create(filepath.Join(folder, name))
	if err != nil {
		return err
	}
	_, err = f.Write(make([]byte, probeBytes))
	return errors.Join(err, f.Close(), os.Remove(f.Name()))
}

// storageFaults are what systems say of storage that is full, read-only, broken or away, in a program's own words, too.
var storageFaults = []struct{ says, reason string }{
	{"no space left on device", diskFull},
	{"disk quota exceeded", "the output's share of the disk is used up; make room, and rendering goes on by itself"},
	{"database or disk is full", diskFull},
	{
		"read-only file system",
		"the output's disk is read-only; rendering goes on by itself when it can be written again",
	},
	{"input/output error", "the disk reports errors (input/output error)"},
	{"stale file handle", "the storage was away (stale file handle)"},
	{"stale nfs file handle", "the storage was away (stale file handle)"},
	{"transport endpoint is not connected", "the storage is away (not connected)"},
	{"permission denied", "something may not be read or written (permission denied)"},
	{"host is down", "the storage is away (host is down)"},
}

// storageFault says what an error tells of storage, "" for nothing.
func storageFault(err error) string {
	text := strings.ToLower(err.Error())
	for _, f := range storageFaults {
		if strings.Contains(text, f.says) {
			return f.reason
		}
	}
	return ""
}

// cause is what an error about a file says without its path, which is the server's own.
func cause(err error) string {
	var p *fs.PathError
	if errors.As(err, &p) {
		return p.Err.Error()
	}
	return err.Error()
}
