// Package job is the renderer contract: what a renderer is given, and what it says. docs/renderer-contract.md
// describes it for the authors of other renderers.
//
// A renderer is a program that is given the path of one JSON file, a Job, and prints one JSON object, a
// Message, a line. It exits with 0 only if every file of the job was written.
package job

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"io"

	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/stamp"
)

// Version is the version of the contract. A renderer refuses jobs of a version that it does not know.
const Version = 1

// A Job is one or more frames of one sequence.
type Job struct {
	Version int    `json:"version"`
	Scene   string `json:"scene"` // path of the scene file
	// SceneUnit is the metres that one unit of the file is; 0 stands for 1.
	SceneUnit float64 `json:"sceneUnit,omitempty"`
	// SceneNumber counts the scenes of the file from 1; 0 stands for the one that the file marks as its own.
	SceneNumber int `json:"sceneNumber,omitempty"`
	// Environment is the path of the picture file that the look's environment names, "" for none.
	Environment string      `json:"environment,omitempty"`
	View        View        `json:"view"`
	Rate        frame.Rate  `json:"rate"`
	FirstFrame  int         `json:"firstFrame"` // the frame at the scene's time 0
	Size        raster.Size `json:"size"`
	// PixelAspect is a pixel's width over its height; 0 stands for 1.
	PixelAspect float64 `json:"pixelAspect,omitempty"`
	// Fit says how a camera of another shape fills the size.
	Fit raster.Fit `json:"fit"`
	// Background stands where there is no surface.
	Background look.Background `json:"background"`
	// Region is the part of the picture to render, in pixels from the top left; left out for all.
	Region *Region `json:"region,omitempty"`
	// CutOut makes a region a picture of its own, where otherwise OpenEXR files keep it as a window of the whole one.
	CutOut bool `json:"cutOut,omitempty"`
	// Tiles are what a picture is rendered in, one after the other, without any other difference; left out, as many as
	// its size needs.
	Tiles raster.Tiling `json:"tiles,omitzero"`
	// Memory is how many bytes a renderer should do with, beside the scene; left out, as many as it likes.
	Memory  int64       `json:"memory,omitempty"`
	Passes  []pass.Code `json:"passes"`
	Samples int         `json:"samples"` // along each edge of a pixel, at most
	// Effort says when a pixel is done, how far light is followed, and what else is asked of quality.
	Effort sampling.Effort `json:"effort,omitzero"`
	// LightGroups are what the passes of light groups are of.
	LightGroups []pass.LightGroup `json:"lightGroups,omitempty"`
	// OtherFilter are passes that are to be averaged over pixels though they usually have the value at the centre, and
	// the other way round.
	OtherFilter     []pass.Code  `json:"otherFilter,omitempty"`
	Filter          pixel.Filter `json:"filter"`
	DepthBackground float64      `json:"depthBackground"` // metres
	// Depth says what the depth pass holds; left out, it is metres.
	Depth pass.DepthStyle `json:"depth,omitzero"`
	// OcclusionRadius is how far, in metres, the pass of occlusion looks; left out, 2.
	OcclusionRadius float64 `json:"occlusionRadius,omitempty"`
	// Values are what the shot is of, by keys; the look has taken them up already.
	Values []Fact  `json:"values,omitempty"`
	Frames []Frame `json:"frames"`
	// Facts go into the header of every file that can hold them.
	Facts []Fact `json:"facts"`
}

// A View is a camera and a look, already resolved.
type View struct {
	Name   string    `json:"name"`
	Camera string    `json:"camera"` // name of the scene's node
	Look   look.Look `json:"look"`
	// Setup is what is changed of the scene's camera.
	Setup camera.Setup `json:"setup,omitzero"`
}

// A Region is a rectangle of pixels.
type Region struct {
	X      int `json:"x"`
	Y      int `json:"y"`
	Width  int `json:"width"`
	Height int `json:"height"`
}

// RegionOf returns a rectangle as a region, nil for the empty one.
func RegionOf(r image.Rectangle) *Region {
	if r.Empty() {
		return nil
	}
	return &Region{r.Min.X, r.Min.Y, r.Dx(), r.Dy()}
}

// Rectangle returns the region as an image.Rectangle; a nil region is the empty one.
func (r *Region) Rectangle() image.Rectangle {
	if r == nil {
		return image.Rectangle{}
	}
	return image.Rect(r.X, r.Y, r.X+r.Width, r.Y+r.Height)
}

// A Frame is one frame and the files that it is to give.
type Frame struct {
	Number int    `json:"number"`
	Files  []File `json:"files"`
	Facts  []Fact `json:"facts,omitempty"` // of this frame alone, beside the job's
}

// A File is where some passes of a frame are to be written.
type File struct {
	Path     string          `json:"path"`
	Encoding output.Encoding `json:"encoding"`
	Passes   []pass.Code     `json:"passes"`
	// Size is smaller than the job's if the file is to be reduced; 0 x 0 stands for the job's.
	Size raster.Size `json:"size"`
	// Kernel resamples to Size; unfiltered passes take the nearest pixel instead.
	Kernel pixel.Kernel `json:"kernel,omitempty"`
	// Stamp is burnt into the beauty of this file, filled but for (rendertime).
	Stamp stamp.Stamp `json:"stamp"`
}

// A Fact is a named text for file headers.
type Fact struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Read reads a job and checks what every renderer relies on.
func Read(r io.Reader) (Job, error) {
	var j Job
	d := json.NewDecoder(r)
	d.DisallowUnknownFields()
	if err := d.Decode(&j); err != nil {
		return Job{}, fmt.Errorf("job: %w", err)
	}
	if err := j.check(); err != nil {
		return Job{}, fmt.Errorf("job: %w", err)
	}
	return j, nil
}

// check says what is wrong with a job that every renderer relies on, or nil.
func (j Job) check() error {
	switch {
	case j.Version != Version:
		return fmt.Errorf("version %d of the contract is not known here, only %d", j.Version, Version)
	case j.Scene == "":
		return fmt.Errorf("no scene is named")
	case !j.Rate.Valid():
		return fmt.Errorf("the frame rate must be above 0")
	case j.Depth.Check() != nil:
		return j.Depth.Check()
	case j.Effort.Check() != nil:
		return j.Effort.Check()
	case pass.CheckLightGroups(j.LightGroups) != nil:
		return pass.CheckLightGroups(j.LightGroups)
	case j.Tiles.Check() != nil:
		return j.Tiles.Check()
	case len(j.Frames) == 0:
		return fmt.Errorf("no frame is asked for")
	}
	for _, f := range j.Frames {
		for _, file := range f.Files {
			if file.Path == "" || len(file.Passes) == 0 {
				return fmt.Errorf("frame %d has a file without a path or passes", f.Number)
			}
			if err := file.Encoding.Check(); err != nil {
				return fmt.Errorf("frame %d, %s: %w", f.Number, file.Path, err)
			}
			if file.Size != (raster.Size{}) {
				if err := file.Kernel.Check(); err != nil {
					return fmt.Errorf("frame %d, %s: %w", f.Number, file.Path, err)
				}
			}
		}
	}
	return nil
}

// An Event is the kind of a message.
type Event string

// The events.
const (
	Started  Event = "started"  // a frame begins
	Progress Event = "progress" // of the frame, 0 to 1
	Wrote    Event = "wrote"    // a file is complete
	Warning  Event = "warning"  // worth knowing; the job goes on
	Note     Event = "note"     // worth keeping in the log
	Judged   Event = "judged"   // a file was read and held against what it must be; of the judge, not of renderers
	Used     Event = "used"     // what a process has taken in all; of the node, not of renderers
	Failed   Event = "error"    // the job ends here
	Finished Event = "finished" // every file of the job is written
)

// A Message is one line of what a renderer says.
type Message struct {
	Event    Event   `json:"event"`
	Frame    int     `json:"frame,omitempty"`
	Progress float64 `json:"progress,omitempty"`
	Path     string  `json:"path,omitempty"`
	Bytes    int64   `json:"bytes,omitempty"`
	Text     string  `json:"text,omitempty"`
	Seconds  float64 `json:"seconds,omitempty"`
	// Of Progress and Wrote: how many seconds are left, how many rays are sent in a second, and the most memory that
	// the renderer has taken so far, in bytes. A renderer that does not know leaves them out.
	Remaining     float64 `json:"remaining,omitempty"`
	RaysPerSecond float64 `json:"raysPerSecond,omitempty"`
	Memory        int64   `json:"memory,omitempty"`
	// Of Used: the processor time in seconds, beside Memory.
	Processor float64 `json:"processor,omitempty"`
	// Of Judged: the sum of the file, in hexadecimal digits, and in Text what is wrong with it.
	SHA256 string `json:"sha256,omitempty"`
}

// longestLine is how much of a line is read, in bytes. What is behind is passed over.
const longestLine = 64 << 10

// Listen reads messages to the end of r and hands each to heard. A line that is no message is handed on as a warning
// with its text, since renderers print what they like; so is the beginning of one that is longer than 64 KB.
func Listen(r io.Reader, heard func(Message)) error {
	return Lines(r, func(line []byte, cut bool) { heard(messageOf(line, cut)) })
}

// Lines reads lines to the end of r and hands each to heard, without what stands around it, if there is anything in it.
// cut says that only the first 64 KB of one are handed on.
func Lines(r io.Reader, heard func(line []byte, cut bool)) error {
	lines := bufio.NewReaderSize(r, longestLine)
	for {
		line, err := lines.ReadSlice('\n')
		cut := errors.Is(err, bufio.ErrBufferFull)
		if text := bytes.TrimSpace(line); len(text) > 0 {
			heard(text, cut)
		}
		for errors.Is(err, bufio.ErrBufferFull) {
			_, err = lines.ReadSlice('\n')
		}
		if errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
	}
}

// shownOfLine is how much of a line that was too long is handed on.
const shownOfLine = 1000

func messageOf(line []byte, cut bool) Message {
	var m Message
	switch err := json.Unmarshal(line, &m); {
	case cut:
		return Message{Event: Warning, Text: string(line[:shownOfLine]) + " … (a line that was too long)"}
	case err != nil || m.Event == "":
		return Message{Event: Warning, Text: string(line)}
	case !(m.Progress >= 0 && m.Progress <= 1):
		m.Progress = 0
	}
	return m
}
