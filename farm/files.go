package farm

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"

	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/house"
	"reelhouse/store"
)

// A part is a file under way: where it is written, where it belongs, and what it must be.
type part struct {
	temp  string // absolute
	final string // relative to the output folder, with slashes
	want  inspect.Expected
}

// partMark comes between a file's name and the number of the attempt, in names of files under way.
const partMark = ".part-"

func tempName(final, mark string) string {
	return filepath.Join(filepath.Dir(final), "."+filepath.Base(final)+partMark+mark)
}

// newJob writes the renderer's order for a leased frame, and makes the folders that it needs.
func newJob(h *house.House, l *store.Lease) (job.Job, []part, error) {
	s, b := l.Sequence.Spec, l.Batch.Plan
	mark := strconv.FormatInt(l.Started.UnixNano(), 36)
	frame := job.Frame{Number: l.Number}
	var parts []part
	for _, f := range s.Files {
		final := f.Path.Frame(l.Number)
		if !filepath.IsLocal(final) {
			return job.Job{}, nil, fmt.Errorf("%s leads out of the output folder", final)
		}
		p := part{
			temp: tempName(filepath.Join(h.Output(), filepath.FromSlash(final)), mark), final: final,
			want: inspect.Expected{Format: f.Format, Size: s.Size, Passes: f.Passes},
		}
		if err := os.MkdirAll(filepath.Dir(p.temp), 0o755); err != nil {
			return job.Job{}, nil, err
		}
		parts = append(parts, p)
		frame.Files = append(frame.Files, job.File{Path: p.temp, Format: f.Format, Passes: f.Passes})
	}
	return job.Job{
		Version: job.Version, Scene: h.ScenePath(b.Scene), View: job.View{Name: s.View, Camera: s.Camera, Look: s.Look},
		Rate: b.Rate, FirstFrame: b.FirstFrame, Size: s.Size, Passes: s.Passes,
		Samples: b.Quality.Samples, Filter: b.Quality.Filter, DepthBackground: b.DepthBackground,
		Frames: []job.Frame{frame},
		Facts: []job.Fact{
			{Name: "production", Value: b.Production}, {Name: "shot", Value: s.Shot}, {Name: "view", Value: s.View}, {Name: "camera", Value: s.Camera},
			{Name: "look", Value: s.Look.Code}, {Name: "size", Value: s.SizeCode}, {Name: "quality", Value: b.Quality.Code},
			{Name: "version", Value: strconv.Itoa(b.Version)}, {Name: "scene", Value: b.Scene.SHA256},
		},
	}, parts, nil
}

// judge holds every file under way against what it must be.
func judge(parts []part, log *Log) error {
	for _, p := range parts {
		data, err := os.ReadFile(p.temp)
		if errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("the renderer did not write %s", filepath.Base(p.final))
		} else if err != nil {
			return err
		}
		if r := inspect.Judge(data, p.want); !r.Good() {
			return fmt.Errorf("%s: %s", filepath.Base(p.final), r.Problems[0])
		}
		log.Add("checked %s", filepath.Base(p.final))
	}
	return nil
}

// place syncs the files under way and gives them their names. A file that stands there already is left if
// it is the same; a different one is never overwritten.
func place(output string, parts []part) ([]store.File, error) {
	var files []store.File
	for _, p := range parts {
		data, err := os.ReadFile(p.temp)
		if err != nil {
			return nil, err
		}
		final := filepath.Join(output, filepath.FromSlash(p.final))
		if there, err := os.ReadFile(final); err == nil && !bytes.Equal(there, data) {
			return nil, fmt.Errorf("%s exists already with other contents, and nothing is overwritten; move it away and retry", p.final)
		}
		if err := syncPath(p.temp); err != nil {
			return nil, err
		}
		if err := os.Rename(p.temp, final); err != nil {
			return nil, err
		}
		if err := syncPath(filepath.Dir(final)); err != nil {
			return nil, err
		}
		sum := sha256.Sum256(data)
		files = append(files, store.File{Path: p.final, Bytes: int64(len(data)), SHA256: hex.EncodeToString(sum[:])})
	}
	return files, nil
}

// syncPath brings a file's contents, or a folder's names, safely to the disk.
func syncPath(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}

// removeParts removes the files under way of a frame, whatever attempt they come from.
func removeParts(output string, s plan.Sequence, number int) error {
	var errs []error
	for _, f := range s.Files {
		final := filepath.Join(output, filepath.FromSlash(f.Path.Frame(number)))
		prefix := filepath.Base(tempName(final, ""))
		entries, err := os.ReadDir(filepath.Dir(final))
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		errs = append(errs, err)
		for _, e := range entries {
			if name := e.Name(); len(name) > len(prefix) && name[:len(prefix)] == prefix {
				errs = append(errs, os.Remove(filepath.Join(filepath.Dir(final), name)))
			}
		}
	}
	return errors.Join(errs...)
}

func removeFiles(output string, files []store.File) {
	for _, f := range files {
		os.Remove(filepath.Join(output, filepath.FromSlash(f.Path)))
	}
}
