package farm

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"

	"reelhouse/core/inspect"
	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/core/raster"
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

// leaseMark tells the files of one lease from those of another.
func leaseMark(l *store.Lease) string { return strconv.FormatInt(l.Began().UnixNano(), 36) }

// newJob writes the renderer's order for a leased frame, and makes the folders that it needs.
func newJob(h *house.House, l *store.Lease) (job.Job, []part, error) {
	s, b := l.Sequence.Spec, l.Batch.Plan
	mark := leaseMark(l)
	facts, err := factsOf(h, l)
	if err != nil {
		return job.Job{}, nil, err
	}
	frame := job.Frame{Number: l.Number}
	var parts []part
	for _, f := range s.Files {
		final := f.Path.Frame(l.Number)
		if !filepath.IsLocal(final) {
			return job.Job{}, nil, fmt.Errorf("%s leads out of the output folder", final)
		}
		p := part{
			temp: tempName(filepath.Join(h.Output(), filepath.FromSlash(final)), mark), final: final,
			want: inspect.Expected{Encoding: f.Encoding, Size: b.FileSize(s, f), Passes: f.Passes},
		}
		if err := os.MkdirAll(filepath.Dir(p.temp), 0o755); err != nil {
			return job.Job{}, nil, err
		}
		parts = append(parts, p)
		facts.Output, facts.Pass = f.Output, f.Label
		filled, err := f.Stamp.Fill(l.Number, b.Version, facts.Value)
		if err != nil {
			return job.Job{}, nil, fmt.Errorf("stamp of output %s: %w", f.Output, err)
		}
		file := job.File{Path: p.temp, Encoding: f.Encoding, Passes: f.Passes, Stamp: filled}
		if f.Size != s.Size {
			file.Size, file.Kernel = b.FileSize(s, f), f.Kernel
		}
		frame.Files = append(frame.Files, file)
	}
	j := pictureOf(h, l)
	j.Region, j.Tiles = job.RegionOf(b.RegionOf(s)), s.Tiles
	if j.Tiles == (raster.Tiling{}) {
		j.Tiles = b.QualityOf(s).Tiles // of batches from before tiles were steps of their own
	}
	j.Frames, j.Facts = []job.Frame{frame}, headerFacts(facts, s, b)
	return j, parts, nil
}

// pictureOf returns the order for the picture of a leased step, without frames and files.
func pictureOf(h *house.House, l *store.Lease) job.Job {
	s, b := l.Sequence.Spec, l.Batch.Plan
	quality := b.QualityOf(s)
	return job.Job{
		Version: job.Version, Scene: h.ScenePath(b.Scene), SceneUnit: b.Scene.Unit, SceneNumber: b.Scene.Number, Environment: h.EnvironmentPath(s.Environment), View: job.View{Name: s.View, Camera: s.Camera, Setup: s.Setup, Look: s.Look},
		Rate: b.Rate, FirstFrame: b.FirstFrame, Size: s.Size, PixelAspect: s.PixelAspect, Fit: s.Fit, Background: b.Background(s),
		Passes: s.Passes, Samples: s.Samples(quality), Filter: quality.Filter, Effort: quality.Effort, Memory: quality.MemoryBytes(), LightGroups: b.LightGroups, OtherFilter: s.OtherFilter,
		DepthBackground: b.DepthBackground, Depth: b.Depth, OcclusionRadius: b.OcclusionRadius,
	}
}

// judge holds every file under way against what it must be.
func judge(parts []part, log *Log) error {
	for _, p := range parts {
		r, err := p.report()
		if errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("the renderer did not write %s", filepath.Base(p.final))
		} else if err != nil {
			return err
		}
		if !r.Good() {
			return fmt.Errorf("%s: %s", filepath.Base(p.final), r.Problems[0])
		}
		log.Add("checked %s", filepath.Base(p.final))
	}
	return nil
}

// report looks at a file under way.
func (p part) report() (inspect.Report, error) {
	f, err := os.Open(p.temp)
	if err != nil {
		return inspect.Report{}, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return inspect.Report{}, err
	}
	return inspect.Judge(f, info.Size(), p.want), nil
}

// removeOwnParts removes the files under way of a lease. Another attempt may be under way meanwhile, whose files are left alone.
func removeOwnParts(output string, l *store.Lease) error {
	var errs []error
	for _, f := range l.Sequence.Spec.Files {
		err := os.Remove(tempName(filepath.Join(output, filepath.FromSlash(f.Path.Frame(l.Number))), leaseMark(l)))
		if !errors.Is(err, fs.ErrNotExist) {
			errs = append(errs, err)
		}
	}
	return errors.Join(errs...)
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
