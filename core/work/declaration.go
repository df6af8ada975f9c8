package work

import (
	"errors"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// A Declaration says how a program of another maker is used, which knows nothing of the renderer contract: what its
// command line is, which scenes it understands, what it writes, and what the lines of its log mean.
//
// Command line, environment and file names are text with fields in round brackets, options after a colon; "((" stands
// for a bracket:
//
//	(scene)            path of the scene file
//	(camera)           name of the camera
//	(first) (last)     numbers of the first and the last frame that a process renders
//	(step)             every how many-th frame
//	(frame) (frame:4)  number of the frame, with leading zeros; where it stands, a process renders one frame
//	(width) (height)   of the picture, in pixels
//	(samples)          along an edge of a pixel
//	(folder)           an empty folder that it is to write into
//	(files)            the beginning of the paths that it is to write: that folder, and "picture"
//	(ext)              ending of the files that are wanted, such as exr
//	(cores)            how many it may use
//	(value:title)      a value of the shot, by its key
//
// File names have only (frame) and (ext).
type Declaration struct {
	// Line is the command line: the program, and its arguments.
	Line []string `json:"line"`
	// Environment are further variables of its environment.
	Environment map[string]string `json:"environment,omitempty"`
	// Scenes are the endings of the scene files that it understands, such as ".hly".
	Scenes []string `json:"scenes,omitempty"`
	// Files are what it writes of each frame.
	Files []ForeignFile `json:"files"`
	// Progress, Warning, Error and Wrote are regular expressions for lines of its log. The first group of Progress is a
	// share in per cent, of the process; that of Error the sentence that people read (the whole line without a group);
	// that of Wrote the path of a file that is complete.
	Progress string `json:"progress,omitempty"`
	Warning  string `json:"warning,omitempty"`
	Error    string `json:"error,omitempty"`
	Wrote    string `json:"wrote,omitempty"`
	// Exit are the exit codes with which it ends well; left out, 0.
	Exit []int `json:"exit,omitempty"`
}

// A ForeignFile is a file of a frame, by the name that the program gives it.
type ForeignFile struct {
	Name   string      `json:"name"`
	Passes []pass.Code `json:"passes"`
}

// A Program is a declaration that was checked.
type Program struct {
	Declaration
	line                            []template
	environment                     map[string]template
	files                           []template
	progress, warning, wrong, wrote *regexp.Regexp
}

// field names that a command line may have, and how many options each takes: 0 none, 1 one that may be left out, 2 one
// that is needed.
var lineFields = map[string]int{
	"scene": 0, "camera": 0, "first": 0, "last": 0, "step": 0, "frame": 1, "width": 0, "height": 0, "samples": 0,
	"folder": 0, "files": 0, "ext": 0, "cores": 0, "value": 2,
}

var nameFields = map[string]int{"frame": 1, "ext": 0}

// Compile checks a declaration.
func (d Declaration) Compile() (*Program, error) {
	p := &Program{Declaration: d, environment: map[string]template{}}
	if len(d.Line) == 0 || d.Line[0] == "" {
		return nil, errors.New("it has no command line")
	}
	for i, text := range d.Line {
		t, err := parseTemplate(text, lineFields)
		if err != nil {
			return nil, fmt.Errorf("word %d of the command line, %q: %w", i+1, text, err)
		}
		p.line = append(p.line, t)
	}
	for name, text := range d.Environment {
		t, err := parseTemplate(text, lineFields)
		if err != nil {
			return nil, fmt.Errorf("environment %s, %q: %w", name, text, err)
		}
		if name == "" || strings.ContainsAny(name, "=\x00") {
			return nil, fmt.Errorf("%q is no name of a variable", name)
		}
		p.environment[name] = t
	}
	if len(d.Files) == 0 {
		return nil, errors.New("it says of no file that it is written; give each a name and its passes")
	}
	for _, f := range d.Files {
		t, err := parseTemplate(f.Name, nameFields)
		if err != nil {
			return nil, fmt.Errorf("file %q: %w", f.Name, err)
		}
		if bad := strings.ContainsAny(f.Name, "\\\x00") || path.IsAbs(f.Name) || !t.has("frame") ||
			slices.Contains(strings.Split(f.Name, "/"), ".."); bad {
			return nil, fmt.Errorf("file %q: a name below the folder is wanted, with (frame) in it", f.Name)
		}
		if len(f.Passes) == 0 {
			return nil, fmt.Errorf("file %q: it has no passes", f.Name)
		}
		for _, code := range f.Passes {
			if _, err := pass.Find(code); err != nil {
				return nil, fmt.Errorf("file %q: %w", f.Name, err)
			}
		}
		p.files = append(p.files, t)
	}
	for _, ending := range d.Scenes {
		if !strings.HasPrefix(ending, ".") || len(ending) < 2 {
			return nil, fmt.Errorf("%q is no ending of scene files; write it as .abc", ending)
		}
	}
	for _, e := range []struct {
		what, text string
		groups     int
		to         **regexp.Regexp
	}{{"progress", d.Progress, 1, &p.progress}, {"warning", d.Warning, 0, &p.warning}, {"error", d.Error, 0, &p.wrong},
		{"wrote", d.Wrote, 1, &p.wrote}} {
		if e.text == "" {
			continue
		}
		r, err := regexp.Compile(e.text)
		if err != nil {
			return nil, fmt.Errorf("the expression for %s: %w", e.what, err)
		}
		if r.NumSubexp() < e.groups {
			return nil, fmt.Errorf("the expression for %s, %q, needs a group in round brackets", e.what, e.text)
		}
		*e.to = r
	}
	return p, nil
}

// Ranges reports whether one process renders several frames; otherwise it is started once a frame.
func (p *Program) Ranges() bool {
	return slices.ContainsFunc(p.line, func(t template) bool { return t.has("last") }) && !p.uses("frame")
}

// uses reports whether a field stands in the command line or the environment.
func (p *Program) uses(field string) bool {
	for _, t := range p.environment {
		if t.has(field) {
			return true
		}
	}
	return slices.ContainsFunc(p.line, func(t template) bool { return t.has(field) })
}

// Understands reports whether it reads scene files of a name.
func (p *Program) Understands(scene string) bool {
	return slices.ContainsFunc(p.Scenes, func(ending string) bool {
		return strings.HasSuffix(strings.ToLower(scene), strings.ToLower(ending))
	})
}

// Cannot says why it cannot render what an order asks for, "" if it can: each file has to be one that it writes.
func (p *Program) Cannot(files []job.File, part *job.Region) string {
	if part != nil {
		return "it renders whole pictures, and no part of one"
	}
	for _, f := range files {
		if p.fileOf(f) < 0 {
			return fmt.Sprintf("it writes no %s file of %s", f.Encoding.Format.Kind().Name, passNames(f.Passes))
		}
		if f.Size != (raster.Size{}) {
			return "it does not resample; give the output the full size"
		}
		if f.Stamp.On {
			return "it does not stamp pictures; take the stamp off the output"
		}
		if f.Encoding.Viewed() {
			return "it knows no viewing transform; take that off the output"
		}
	}
	return ""
}

func passNames(codes []pass.Code) string {
	var all []string
	for _, c := range codes {
		all = append(all, string(c))
	}
	return strings.Join(all, ", ")
}

// fileOf returns which of the files that it writes is the one that is wanted, -1 for none: one of the same passes,
// whose ending is that of the format.
func (p *Program) fileOf(want job.File) int {
	ext := extOf(want.Encoding)
	return slices.IndexFunc(p.Files, func(f ForeignFile) bool {
		if len(f.Passes) != len(want.Passes) {
			return false
		}
		for _, c := range want.Passes {
			if !slices.Contains(f.Passes, c) {
				return false
			}
		}
		return strings.HasSuffix(f.Name, "(ext)") || strings.EqualFold(strings.TrimPrefix(path.Ext(f.Name), "."), ext)
	})
}

func extOf(e output.Encoding) string { return e.Format.Ext() }

// A Run is one process of a declared program: which frames, and which of their files.
type Run struct {
	Line        []string
	Environment []string // NAME=value
	Frames      []job.Frame
	// Names are, for each frame, what the program calls its files, below the folder.
	Names [][]string
}

// Runs returns the processes by which a job is done, in their order: one for each ending of files, and for each range
// of frames with one distance. folder is empty, and each has its own below it, by its place.
func (p *Program) Runs(j job.Job, folder string, cores int) ([]Run, error) {
	var runs []Run
	for _, ext := range endings(j) {
		frames := framesWith(j, ext)
		for len(frames) > 0 {
			n := 1
			if p.Ranges() {
				n = evenRun(frames)
			}
			r := Run{Frames: frames[:n]}
			at := path.Join(folder, strconv.Itoa(len(runs)))
			step := 1
			if n > 1 {
				step = frames[1].Number - frames[0].Number
			}
			values := func(field, option string) string {
				switch field {
				case "scene":
					return j.Scene
				case "camera":
					return j.View.Camera
				case "first", "frame":
					return padded(frames[0].Number, option)
				case "last":
					return strconv.Itoa(frames[n-1].Number)
				case "step":
					return strconv.Itoa(step)
				case "width":
					return strconv.Itoa(j.Size.Width)
				case "height":
					return strconv.Itoa(j.Size.Height)
				case "samples":
					return strconv.Itoa(j.Samples)
				case "folder":
					return at
				case "files":
					return path.Join(at, "picture")
				case "ext":
					return ext
				case "cores":
					return strconv.Itoa(cores)
				}
				for _, v := range j.Values {
					if v.Name == option {
						return v.Value
					}
				}
				return ""
			}
			for _, t := range p.line {
				r.Line = append(r.Line, t.fill(values))
			}
			for name, t := range p.environment {
				r.Environment = append(r.Environment, name+"="+t.fill(values))
			}
			slices.Sort(r.Environment)
			for _, f := range r.Frames {
				names, err := p.names(f, ext)
				if err != nil {
					return nil, err
				}
				r.Names = append(r.Names, names)
			}
			runs, frames = append(runs, r), frames[n:]
		}
	}
	return runs, nil
}

// names returns what the program calls the files of a frame.
func (p *Program) names(f job.Frame, ext string) ([]string, error) {
	var names []string
	for _, file := range f.Files {
		i := p.fileOf(file)
		if i < 0 {
			return nil, fmt.Errorf("it writes no %s file of %s", file.Encoding.Format.Kind().Name,
				passNames(file.Passes))
		}
		names = append(names, p.files[i].fill(func(field, option string) string {
			if field == "ext" {
				return ext
			}
			return padded(f.Number, option)
		}))
	}
	return names, nil
}

// endings returns the endings of all files of a job, in the order in which they come.
func endings(j job.Job) []string {
	var all []string
	for _, f := range j.Frames {
		for _, file := range f.Files {
			if ext := extOf(file.Encoding); !slices.Contains(all, ext) {
				all = append(all, ext)
			}
		}
	}
	return all
}

// framesWith returns the frames of a job with their files of one ending.
func framesWith(j job.Job, ext string) []job.Frame {
	var all []job.Frame
	for _, f := range j.Frames {
		f.Files = slices.DeleteFunc(slices.Clone(f.Files), func(file job.File) bool {
			return extOf(file.Encoding) != ext
		})
		if len(f.Files) > 0 {
			all = append(all, f)
		}
	}
	return all
}

// evenRun returns how many frames from the first on have one distance.
func evenRun(frames []job.Frame) int {
	n := min(2, len(frames))
	for n > 1 && n < len(frames) && frames[n].Number-frames[n-1].Number == frames[1].Number-frames[0].Number {
		n++
	}
	return n
}

// padded writes a number with leading zeros, so that it has as many digits as the option says.
func padded(n int, option string) string {
	digits, _ := strconv.Atoi(option)
	if n < 0 {
		return fmt.Sprintf("-%0*d", digits, -n)
	}
	return fmt.Sprintf("%0*d", digits, n)
}

// Hear tells what a line of the program's log means: a message of the renderer contract. A line that no expression
// knows is a note.
func (p *Program) Hear(line string) job.Message {
	switch {
	case p.wrong != nil && p.wrong.MatchString(line):
		return job.Message{Event: job.Failed, Text: group(p.wrong, line)}
	case p.wrote != nil && p.wrote.MatchString(line):
		return job.Message{Event: job.Wrote, Path: group(p.wrote, line)}
	case p.warning != nil && p.warning.MatchString(line):
		return job.Message{Event: job.Warning, Text: line}
	case p.progress != nil:
		if found := p.progress.FindStringSubmatch(line); found != nil {
			if share, err := strconv.ParseFloat(strings.TrimSpace(found[1]), 64); err == nil && share >= 0 &&
				share <= 100 {
				return job.Message{Event: job.Progress, Progress: share / 100}
			}
		}
	}
	return job.Message{Event: job.Note, Text: line}
}

// group returns the first group of an expression in a line, the whole line if there is none.
func group(r *regexp.Regexp, line string) string {
	if found := r.FindStringSubmatch(line); len(found) > 1 && found[1] != "" {
		return strings.TrimSpace(found[1])
	}
	return strings.TrimSpace(line)
}

// EndsWell reports whether an exit code is one of those with which it ends well.
func (p *Program) EndsWell(code int) bool {
	if len(p.Exit) == 0 {
		return code == 0
	}
	return slices.Contains(p.Exit, code)
}
