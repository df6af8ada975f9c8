package farm

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/production"
	"reelhouse/core/stamp"
	"reelhouse/house"
	"reelhouse/store"
)

// A part is a file under way: where it is written, where it belongs, and what it must be.
type part struct {
	temp  string // absolute
	final string // relative to the output folder, with slashes
	want  inspect.Expected
	wrote bool // its program has said that it is complete
}

func tempName(final, mark string) string {
	return filepath.Join(filepath.Dir(final), "."+filepath.Base(final)+house.PartMark+mark)
}

// leaseMark tells the files of one lease from those of another.
func leaseMark(l *store.Lease) string { return strconv.FormatInt(l.ID(), 36) }

// newJob writes the renderer's order for a leased frame, and makes the folders that it needs. Files of the frame that
// are in place, as they were judged, are not rendered again: they are kept.
func newJob(h *house.House, l *store.Lease) (j job.Job, parts []part, kept []store.File, err error) {
	recorded, err := h.Record.Files(l.SequenceID, l.Number)
	if err != nil {
		return j, nil, nil, err
	}
	return newJobBut(h, l, recorded)
}

// newJobBut is newJob where files that are recorded are kept, as far as they are in place.
func newJobBut(
	h *house.House, l *store.Lease, recorded []store.File,
) (j job.Job, parts []part, kept []store.File, err error) {
	s, b := l.Sequence.Spec, l.Batch.Plan
	facts, err := factsOf(h, l)
	if err != nil {
		return j, nil, nil, err
	}
	if j, err = b.Order(s, l.Number, facts); err != nil {
		return j, nil, nil, err
	}
	namePaths(h, l, &j)
	if print := l.Sequence.Print(l.Number); print.Known() {
		j.Facts = append(j.Facts, job.Fact{Name: "fingerprint", Value: string(print)})
	}
	frame := &j.Frames[0]
	var wanted []job.File
	for i, f := range s.Files {
		final := f.Path.Frame(l.Number)
		if err := h.OutputFolder(final); err != nil {
			return j, nil, nil, err
		}
		file, there, err := inPlace(h, recorded, final)
		if err != nil {
			return j, nil, nil, err
		}
		if there {
			kept = append(kept, file)
			continue
		}
		whole, err := h.OutputPath(final)
		if err != nil {
			return j, nil, nil, err
		}
		p := part{
			temp: tempName(whole, leaseMark(l)), final: final,
			want: inspect.Expected{Encoding: f.Encoding, Size: b.FileSize(s, f), Passes: f.Passes},
		}
		parts = append(parts, p)
		frame.Files[i].Path = p.temp
		wanted = append(wanted, frame.Files[i])
	}
	frame.Files = wanted
	return j, parts, kept, nil
}

// inPlace finds a file among those recorded, if it is still what it was.
func inPlace(h *house.House, recorded []store.File, final string) (store.File, bool, error) {
	i := slices.IndexFunc(recorded, func(f store.File) bool { return f.Path == final })
	if i < 0 {
		return store.File{}, false, nil
	}
	now, err := h.SumOutput(final)
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, house.ErrNotPlain) {
		return store.File{}, false, nil
	}
	return now, err == nil && now.SHA256 == recorded[i].SHA256, err
}

// namePaths names what an order is about by paths of this house.
func namePaths(h *house.House, l *store.Lease, j *job.Job) {
	j.Scene, j.Environment = h.Assets.ScenePath(l.Batch.Plan.Scene),
		h.Assets.EnvironmentPath(l.Sequence.Spec.Environment)
	for _, f := range j.Frames {
		for i := range f.Files {
			if e := &f.Files[i].Encoding; e.LUT.SHA256 != "" {
				e.LUT.Path = h.Assets.LUTPath(production.LUTFile{SHA256: e.LUT.SHA256})
			}
		}
	}
}

// factsOf returns what is known of a leased frame before it is rendered, but for the file.
func factsOf(h *house.House, l *store.Lease) (stamp.Facts, error) {
	s, b := l.Sequence.Spec, l.Batch.Plan
	scene, err := h.Assets.Scene(b.Scene)
	if err != nil {
		return stamp.Facts{}, err
	}
	facts := b.Facts(s, l.Number)
	facts.Lens, facts.Sent = house.LensName(scene, s.Camera, s.Setup.At(float64(l.Number))), l.Batch.Sent
	return facts, nil
}

// clearLease removes the files under way of a lease, the small files by which it was tried whether their folders can be
// written, what it has placed and the record does not have, and the note of that. Another attempt at the frame may be
// under way meanwhile, whose files are left alone. It fails with a house.VolumeError if their volume is away.
func clearLease(h *house.House, l *store.Lease) error {
	if l.Tile != nil {
		temp := tempName(tilePath(h, l, l.Tile.Index), leaseMark(l))
		return errors.Join(os.RemoveAll(temp), os.RemoveAll(SentPath(temp)))
	}
	errs := []error{settlePlacing(h, placingPath(h, l), l.ID())}
	folders := map[string]bool{}
	written := l.Sequence.Spec.Files
	if repeats(l) {
		written = slices.Concat(written, l.Source.Spec.Files)
	}
	for _, f := range written {
		rel := f.Path.Frame(l.Number)
		final, err := h.OutputPath(rel)
		var away *house.VolumeError
		if _, err := h.StatOutput(&house.Plain{}, rel); errors.As(err, &away) {
			return err
		}
		if err != nil {
			return err
		}
		temp := tempName(final, leaseMark(l))
		errs = append(errs, os.RemoveAll(temp), os.RemoveAll(SentPath(temp)),
			removeAll(ownFolder(temp)))
		folders[filepath.Dir(final)] = true
	}
	for folder := range folders {
		errs = append(errs, os.RemoveAll(filepath.Join(folder, probeName(l))))
	}
	return errors.Join(errs...)
}
