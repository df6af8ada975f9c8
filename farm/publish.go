package farm

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"reelhouse/core/queue"
	"reelhouse/house"
	"reelhouse/store"
)

// A placing notes which files are about to get their names, so that a node that dies before the record has them can
// take them back: a frame rendered again need not give the same bytes, since a stamp may show how long it took.
type placing struct {
	SequenceID int64        `json:"sequence"`
	Number     int          `json:"frame"`
	Files      []store.File `json:"files"`
}

// placingPath returns where the note of a lease is kept.
func placingPath(h *house.House, l *store.Lease) string {
	return filepath.Join(h.Work(), fmt.Sprintf("placing-%d_%d_%s.json", l.SequenceID, l.Number, leaseMark(l)))
}

// A collision says that something else stands where a file belongs. Trying again does not help.
type collision struct {
	path string
	what string
}

func (c *collision) Error() string {
	return fmt.Sprintf("%s %s; nothing is overwritten", c.path, c.what)
}

// publish syncs judged files and gives them their names. A file that stands there already stays: if it is the same it
// is the frame's, and a different one is a collision, of which the others know nothing. One that is known to be damaged
// is set aside. It returns the files that are in place, even if others are not. Their names are held until
// settlePlacing is called.
func publish(h *house.House, l *store.Lease, all []verdict, log *Log) ([]store.File, error) {
	var names []string
	for _, v := range all {
		names = append(names, v.final)
	}
	holding.take(h, l.ID(), names)
	note := placing{SequenceID: l.SequenceID, Number: l.Number}
	var placed []store.File
	var todo []verdict
	var failed []error
	for _, v := range all {
		there, err := h.SumOutput(v.final)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			todo = append(todo, v)
		case errors.Is(err, house.ErrNotPlain):
			failed = append(failed, &collision{v.final, "is something else than a plain file"})
		case err != nil:
			return nil, err
		case there.SHA256 == v.sum.SHA256:
			placed = append(placed, v.sum)
			if err := os.Remove(v.temp); err != nil && !errors.Is(err, fs.ErrNotExist) {
				failed = append(failed, err)
			}
		default:
			aside, err := makeRoom(h, l, v, there)
			if err != nil {
				failed = append(failed, err)
				continue
			}
			log.Add("%s was damaged, or is out of date; it is kept as %s", filepath.Base(v.final), aside)
			todo = append(todo, v)
		}
	}
	for _, v := range todo {
		note.Files = append(note.Files, v.sum)
	}
	if len(todo) > 0 {
		if err := note.keep(placingPath(h, l)); err != nil {
			return placed, errors.Join(append(failed, err)...)
		}
	}
	for _, v := range todo {
		if err := publishOne(h, v); err != nil {
			failed = append(failed, err)
			continue
		}
		placed = append(placed, v.sum)
	}
	return placed, errors.Join(failed...)
}

// makeRoom sets a file aside that is known to be damaged: files of its path were recorded, and it is none of them. Any
// other one stays.
func makeRoom(h *house.House, l *store.Lease, v verdict, there store.File) (aside string, err error) {
	claims, err := h.Record.Claims(v.final)
	if err != nil {
		return "", err
	}
	recorded := func(c store.Claim) bool { return c.SHA256 == there.SHA256 }
	own := func(c store.Claim) bool { return c.SequenceID == l.SequenceID && c.Number == l.Number }
	switch i := slices.IndexFunc(claims, recorded); {
	case i >= 0 && l.Sequence.Follows > 0 && own(claims[i]): // made from what its inputs were before
		return h.SetAside(v.final)
	case i < 0 && len(claims) > 0 &&
		!slices.ContainsFunc(claims, func(c store.Claim) bool { return c.State == queue.Good }):
		return h.SetAside(v.final)
	case i >= 0:
		why := ""
		if varies := l.Batch.Plan.Varies(l.Sequence.Spec, l.Sequence.Renderer); varies != "" {
			why = ", as it may: " + varies
		}
		what := fmt.Sprintf(
			"was rendered again and came out otherwise than in batch %q%s. The file of that batch stays",
			claims[i].Batch, why,
		)
		return "", &collision{v.final, what}
	}
	return "", &collision{v.final, "exists already with other contents; move it away and retry"}
}

// publishOne brings a file under way safely to the disk and gives it its name, unless something has that by now.
func publishOne(h *house.House, v verdict) error {
	if err := h.OutputFolder(v.final); err != nil {
		return err
	}
	final, err := h.OutputPath(v.final)
	if err != nil {
		return err
	}
	if err := syncPath(v.temp); err != nil {
		return err
	}
	if h.InBucket(v.final) {
		err = h.PutOutput(v.temp, v.final, v.sum.SHA256)
	} else {
		err = giveName(v.temp, final)
	}
	if errors.Is(err, fs.ErrExist) { // since it was looked at
		there, sumErr := h.SumOutput(v.final)
		if sumErr != nil || there.SHA256 != v.sum.SHA256 {
			return &collision{v.final, "was written by somebody else meanwhile"}
		}
		err = os.Remove(v.temp)
	}
	if err != nil || h.InBucket(v.final) {
		return err
	}
	return syncPath(filepath.Dir(final))
}

// giveName gives a file its name. If something has that name, it stays, and the error wraps fs.ErrExist. Links are the
// plain way; where the disk knows none, the system may move without replacing; where it does not, the name is claimed
// first by a file that nobody else can make.
func giveName(temp, final string) error {
	err := os.Link(temp, final)
	if err == nil {
		return os.Remove(temp)
	}
	if errors.Is(err, fs.ErrExist) || errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if done, err := moveWithoutReplacing(temp, final); done {
		return err
	}
	return claimAndMove(temp, final)
}

// claimAndMove claims a name by an empty file, which it then replaces by the file. A claim that stays when the node
// dies is taken back with the note of what was to be placed.
func claimAndMove(temp, final string) error {
	claim, err := os.OpenFile(final, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	if err := errors.Join(claim.Sync(), claim.Close(), os.Rename(temp, final)); err != nil {
		return errors.Join(err, os.Remove(final))
	}
	return nil
}

// rename brings a file of the node's own safely to the disk and gives it its name.
func rename(temp, final string) error {
	if err := syncPath(temp); err != nil {
		return err
	}
	if err := os.Rename(temp, final); err != nil {
		return err
	}
	return syncPath(filepath.Dir(final))
}

func (n placing) keep(path string) error {
	data, err := json.Marshal(n)
	if err != nil {
		return err
	}
	if err := os.WriteFile(path, data, 0o644); err != nil {
		os.Remove(path)
		return err
	}
	return errors.Join(syncPath(path), syncPath(filepath.Dir(path)))
}

// takeBack removes the files that were placed and that the record does not have, for this frame or for another one that
// has found them, if they are still what was placed, and the note.
func (n placing) takeBack(h *house.House, note string) error {
	for _, f := range n.Files {
		claims, err := h.Record.Claims(f.Path)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(claims, func(c store.Claim) bool { return c.SHA256 == f.SHA256 }) {
			continue
		}
		there, err := h.SumOutput(f.Path)
		if errors.Is(err, fs.ErrNotExist) || errors.Is(err, house.ErrNotPlain) {
			continue
		} else if err != nil {
			return err
		}
		if there.SHA256 != f.SHA256 && there.Bytes > 0 { // an empty one is a claim
			continue
		}
		if err := h.RemoveOutput(f.Path); err != nil {
			return err
		}
	}
	return os.Remove(note)
}

// takeBackPlaced removes what a node that died had placed and not recorded.
func (n *Node) takeBackPlaced() error {
	notes, err := filepath.Glob(filepath.Join(n.House.Work(), "placing-*.json"))
	if err != nil {
		return err
	}
	for _, path := range notes {
		err := settlePlacing(n.House, path, noLease)
		if errors.As(err, new(*house.VolumeError)) {
			continue // the note stays, until the next start
		} else if err != nil {
			return err
		}
	}
	return nil
}

// noLease holds names for a note whose lease nobody has any more.
const noLease = -1

// settlePlacing ends what a lease has placed, with its note: the files that the record has stay, the others are taken
// back.
func settlePlacing(h *house.House, path string, lease int64) error {
	defer holding.leave(h, lease)
	data, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	var note placing
	if json.Unmarshal(data, &note) != nil { // written half: nothing was placed yet
		return os.Remove(path)
	}
	var names []string
	for _, f := range note.Files {
		names = append(names, f.Path)
	}
	holding.take(h, lease, names)
	return note.takeBack(h, path)
}

// syncPath brings a file's contents, or a folder's names, safely to the disk.
func syncPath(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}
