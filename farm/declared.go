package farm

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"strings"

	"reelhouse/core/job"
	"reelhouse/core/work"
)

// Programs of other makers know nothing of the renderer contract: a declaration says how they are used. They run in a
// folder of their own beside the files that are wanted, so that what they have written is given its name without being
// copied; it is judged and published like any other.

// ownFolder is what a declared program is given for a job whose first file is written at a path. Its name is one of
// files under way, and it is removed with these.
func ownFolder(temp string) string { return temp + "-own" }

// firstPath returns where the first file of a job is written, "" if it has none.
func firstPath(j job.Job) string {
	for _, f := range j.Frames {
		for _, file := range f.Files {
			return file.Path
		}
	}
	return ""
}

// runDeclared has a job done by a declared program.
func (r Renderer) runDeclared(
	ctx context.Context, workFolder string, j job.Job, cores int, heard func(job.Message), log *Log,
) (err error) {
	first := firstPath(j)
	if first == "" {
		return nil
	}
	if len(r.Declared.Scenes) > 0 && !r.Declared.Understands(j.Scene) {
		return fmt.Errorf("renderer %s reads scenes that end in %s, and this one is %s", r.Name,
			strings.Join(r.Declared.Scenes, ", "), filepath.Ext(j.Scene))
	}
	for _, f := range j.Frames {
		if why := r.Declared.Cannot(f.Files, j.Region); why != "" {
			return fmt.Errorf("renderer %s: %s", r.Name, why)
		}
	}
	folder := ownFolder(first)
	if err := os.Mkdir(folder, 0o755); err != nil {
		return err
	}
	defer func() { err = errors.Join(err, removeAll(folder)) }()
	runs, err := r.Declared.Runs(j, filepath.ToSlash(folder), cores)
	if err != nil {
		return err
	}
	var failed []error
	for i, run := range runs {
		part := func(m job.Message) {
			if m.Event == job.Progress {
				m.Progress = (float64(i) + m.Progress) / float64(len(runs))
			}
			heard(m)
		}
		own := filepath.Join(folder, fmt.Sprint(i))
		if err := os.Mkdir(own, 0o755); err != nil {
			return err
		}
		if err := r.runOne(ctx, workFolder, run, own, cores, part, log); err != nil {
			failed = append(failed, err)
			if ctx.Err() != nil {
				break
			}
		}
	}
	return errors.Join(failed...)
}

// runOne runs one process of a declared program, and takes over what it has written. What it calls an error, an exit
// code that is none of its good ones, and a file that is not there are each a reason. Where there is one, only files
// are taken over that the program has said to be complete.
func (r Renderer) runOne(
	ctx context.Context, workFolder string, run work.Run, own string, cores int, heard func(job.Message), log *Log,
) error {
	said, announced := "", map[string]bool{}
	p := process{
		name: "renderer " + r.Name, line: run.Line, environment: run.Environment, folder: own, work: workFolder,
		mark: own, cores: cores, memory: r.Memory, supervisor: r.Supervisor, together: true,
		hear: func(out io.Reader) error {
			return job.Lines(out, func(line []byte, cut bool) {
				m := r.Declared.Hear(string(line))
				switch m.Event {
				case job.Failed:
					if said == "" {
						said = m.Text
					}
				case job.Progress:
					heard(m)
				case job.Wrote: // which counts when it has ended
					announced[filepath.Base(m.Path)] = true
					m = job.Message{Event: job.Note, Text: string(line)}
				}
				if cut {
					m.Text += " … (a line that was too long)"
				}
				log.line(m)
			})
		},
	}
	complaints, err := p.run(ctx, heard, log)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	reason := r.declaredEnd(err, said, complaints)
	var start *startError
	if errors.As(reason, &start) {
		return reason
	}
	complete := func(name string) bool { return reason == nil || announced[path.Base(name)] }
	missing := takeOver(run, own, complete, heard, log)
	if reason == nil && missing != "" {
		reason = fmt.Errorf("renderer %s ended without an error, and did not write %s", r.Name, missing)
	}
	return reason
}

// declaredEnd says how a process of a declared program has ended, nil for well.
func (r Renderer) declaredEnd(err error, said string, complaints *tail) error {
	if errors.Is(err, exec.ErrWaitDelay) {
		err = nil // it has ended well
	}
	code := 0
	var exit *exec.ExitError
	switch {
	case errors.As(err, &exit):
		code = exit.ExitCode()
		if len(r.Supervisor) > 0 && code == ExitNotStarted && complaints.first(NotStarted) != "" {
			return &startError{"renderer " + r.Name, errors.New(complaints.first(NotStarted))}
		}
	case err != nil:
		return fmt.Errorf("renderer %s: %w", r.Name, err)
	}
	switch {
	case said != "" && !r.Declared.EndsWell(code):
		return fmt.Errorf("%s (renderer %s ended with %s)", said, r.Name, exitText(code))
	case said != "":
		return errors.New(said)
	case !r.Declared.EndsWell(code) && complaints.beginning() != "":
		return fmt.Errorf("%s (renderer %s ended with %s)", complaints.beginning(), r.Name, exitText(code))
	case !r.Declared.EndsWell(code):
		return fmt.Errorf("renderer %s ended with %s", r.Name, exitText(code))
	}
	return nil
}

// exitText says what an exit code is.
func exitText(code int) string {
	if code > 128 && code < 160 {
		return fmt.Sprintf("signal %d", code-128)
	}
	return fmt.Sprintf("exit code %d", code)
}

// takeOver gives the complete files of a run the names that were asked for, and says which is missing first, "" for
// none.
func takeOver(
	run work.Run, own string, complete func(name string) bool, heard func(job.Message), log *Log,
) (missing string) {
	for i, f := range run.Frames {
		for k, file := range f.Files {
			name := run.Names[i][k]
			if !complete(name) {
				continue
			}
			err := os.Rename(filepath.Join(own, filepath.FromSlash(name)), file.Path)
			if err != nil {
				if missing == "" {
					missing = fmt.Sprintf("%s, of frame %d", name, f.Number)
				}
				if !errors.Is(err, fs.ErrNotExist) {
					log.Add("%s: %s", name, cause(err))
				}
				continue
			}
			m := job.Message{Event: job.Wrote, Frame: f.Number, Path: file.Path}
			if info, err := os.Lstat(file.Path); err == nil {
				m.Bytes = info.Size()
			}
			log.Add("%s is taken over as %s", name, filepath.Base(file.Path))
			heard(m)
		}
	}
	return missing
}

// removeAll removes a folder with all that is in it, though a program has taken its own rights away.
func removeAll(folder string) error {
	err := os.RemoveAll(folder)
	if err == nil || !errors.Is(err, fs.ErrPermission) {
		return err
	}
	filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if d != nil && d.IsDir() {
			os.Chmod(path, 0o755)
		}
		return nil
	})
	return os.RemoveAll(folder)
}
