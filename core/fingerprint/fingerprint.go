// Package fingerprint says whether two frames are the same work. A fingerprint is a hash over everything that decides a
// frame's files, and nothing else: the same fingerprint means the same files, byte by byte, wherever and whenever they
// are rendered.
//
// It is taken of a renderer's order (job.Job) with the contents of what the order names by path, and of the renderer
// with its version. It alone decides whether a frame is in place, on its way, or rendered with another set-up. It is
// kept once a sequence; that of a frame follows from it, with the frame's number and name.
//
//	sequence := fingerprint.Of(order, fingerprint.Contents{Scene: sha256},
//		fingerprint.Renderer{Name: "built-in", Version: "1"})
//	frame := sequence.Frame(1001, "")
package fingerprint

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"

	"reelhouse/core/job"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
)

// A Print is the fingerprint of a sequence or a frame: 64 hexadecimal digits, or "" where it is not known, as of frames
// that were rendered before fingerprints were kept.
type Print string

// Known reports whether there is one.
func (p Print) Known() bool { return p != "" }

// Contents are the SHA-256 sums of what an order names by path.
type Contents struct {
	Scene       string `json:"scene"`
	Environment string `json:"environment,omitempty"` // "" for none
}

// A Renderer is who makes the pixels.
type Renderer struct {
	Name string `json:"name"`
	// Version is another one whenever the renderer makes other pixels or files of the same order.
	Version string `json:"version,omitempty"`
	// Varies says that the renderer was declared to make other bytes each time.
	Varies bool `json:"varies,omitempty"`
}

func (r Renderer) String() string {
	if r.Version == "" {
		return r.Name
	}
	return r.Name + " " + r.Version
}

// Of returns the fingerprint of a sequence from the order for one of its frames, whose number does not matter. Left out
// are:
//
//   - the paths of the scene and the environment, for which their contents stand;
//   - names that decide no pixel: of the look, of the one that it is based on, and the code of the environment. Where
//     one is
//     stamped, the filled stamp has it;
//   - where the files are written, which is compared by itself;
//   - the number of the frame, which Frame adds;
//   - memory and tiles, which decide how the work is shared out: the files are the same (core/framefile is
//     tested for it).
func Of(order job.Job, c Contents, r Renderer) Print {
	order.Scene, order.Environment = "", ""
	order.View.Look.Name, order.View.Look.Base, order.View.Look.Environment.Map = "", "", ""
	order.Memory, order.Tiles = 0, raster.Tiling{}
	frames := make([]job.Frame, len(order.Frames))
	for i, f := range order.Frames {
		f.Number = 0
		files := make([]job.File, len(f.Files))
		for k, file := range f.Files {
			file.Path = ""
			files[k] = file
		}
		f.Files = files
		frames[i] = f
	}
	order.Frames = frames
	return sum(struct {
		Order    job.Job  `json:"order"`
		Contents Contents `json:"contents"`
		Renderer Renderer `json:"renderer"`
	}{order, c, r})
}

// Frame returns the fingerprint of one frame of a sequence; label is the frame's name, "" for none.
func (p Print) Frame(number int, label string) Print {
	if !p.Known() {
		return ""
	}
	return sum([]any{p, number, label})
}

func sum(thing any) Print {
	text, err := json.Marshal(thing)
	if err != nil {
		panic(err) // plain data; a number that is none was refused before
	}
	hash := sha256.Sum256(text)
	return Print(hex.EncodeToString(hash[:]))
}

// Varies says why the files of an order may differ from one rendering to the next though the fingerprint is the same,
// "" if they do not.
func Varies(order job.Job, r Renderer) string {
	switch {
	case r.Varies:
		return fmt.Sprintf("the renderer %s is declared to give other files each time", r)
	case order.Effort.Seconds > 0:
		return "a time limit ends it earlier on a busy machine"
	}
	for _, f := range order.Frames {
		for _, file := range f.Files {
			for _, field := range []string{stamp.RenderTime, stamp.Date} {
				if file.Stamp.On && file.Stamp.Has(field) {
					return fmt.Sprintf("its stamp shows (%s)", field)
				}
			}
		}
	}
	return ""
}

// OfInputs returns the fingerprint of what a follow-up is made from: its kind, its parameters, and the names and
// contents of its inputs. Where they lie on a machine, and where it is written, do not count.
func OfInputs(order job.FollowUp) Print {
	order.About.Batch = 0
	inputs := make([]job.Input, len(order.Inputs))
	for i, in := range order.Inputs {
		in.Path, in.Passes, in.Read = "", nil, nil
		inputs[i] = in
	}
	order.Inputs, order.Outputs, order.Picture = inputs, nil, nil
	return sum(order)
}

// MadeBy returns the fingerprint of a follow-up that a program, of its version, makes from inputs.
func (p Print) MadeBy(program Renderer) Print {
	if !p.Known() {
		return ""
	}
	return sum([]any{p, program})
}
