package plan

import (
	"fmt"
	"strconv"

	"reelhouse/core/grade"
	"reelhouse/core/naming"
	"reelhouse/core/pass"
)

// A FollowUp is what is made from the files of a sequence when they are there: once for each frame, or once for all of
// them. It stands in a batch as a sequence of its own.
type FollowUp struct {
	Kind       string            `json:"kind"`    // of work, by its name
	Follows    string            `json:"follows"` // the kind of follow-up whose files are its inputs, "" for rendering
	ByFrame    bool              `json:"byFrame,omitempty"`
	Extensions []string          `json:"extensions"` // of the files that are made, such as sha256
	Parameters map[string]string `json:"parameters,omitempty"`
	// Matte and Grade are what is made of each frame's pictures: sequences that are named, judged and looked at as
	// those that are rendered. Nil for other kinds.
	Matte *pass.Matte   `json:"matte,omitempty"`
	Grade *grade.Frozen `json:"grade,omitempty"`
}

// Kinds of follow-ups whose files are pictures. There may be several of each, whose kinds have these words before their
// names.
const (
	MatteWork = "matte"
	GradeWork = "grade"
)

// Work returns the kind of work that it is: what decides which program does it, and what that needs.
func (f FollowUp) Work() string {
	switch {
	case f.Matte != nil:
		return MatteWork
	case f.Grade != nil:
		return GradeWork
	}
	return f.Kind
}

// Pictures reports whether its files are pictures.
func (f FollowUp) Pictures() bool { return f.Matte != nil || f.Grade != nil }

// FollowUpsFolder is the folder, below that of the outputs, in which the files of follow-ups lie.
const FollowUpsFolder = "follow-ups"

// Sequence returns the sequence of a batch that is this follow-up of another one. Its files lie in a folder of the
// batch's number, the kind, the shot and the view, and are named for the size and the frame: no two are alike, and
// none is named like a picture.
func (f FollowUp) Sequence(b Batch, number int64, of Sequence) (Sequence, error) {
	if f.Pictures() {
		return f.pictures(b, of)
	}
	s := Sequence{
		Shot: of.Shot, ShotName: of.ShotName, View: of.View, SizeCode: of.SizeCode, Version: of.Version,
		Frames: of.Frames, Own: of.Own, FollowUp: &f,
	}
	if !f.ByFrame {
		s.Frames = of.Frames.Thin(max(2, of.Frames.Count()))
		s.Own = s.Frames
	}
	called := f.Kind
	if of.FollowUp != nil { // of a grade, beside that of what it was made of
		called += "-of-" + of.FollowUp.Kind
	}
	folder := fmt.Sprintf("%s/%d/%s/", FollowUpsFolder, number, called)
	rules := naming.Rules{}
	for _, extension := range f.Extensions {
		file := FileSequence{Label: f.Kind, Pattern: folder + "(shot)/(view)/(size).(frame:4).(ext)"}
		if f.ByFrame {
			pattern, err := naming.Parse(file.Pattern)
			if err != nil {
				return s, err
			}
			fields := naming.Fields{Shot: of.Shot, View: of.View, Size: of.SizeCode, Ext: extension}
			file.Path = pattern.Bind(fields, rules)
		} else {
			file.Pattern = ""
			file.Path = rules.Single(
				extension, FollowUpsFolder, strconv.FormatInt(number, 10), called, of.Shot, of.View, of.SizeCode,
			)
		}
		file.Path = file.Path.On(b.Volume)
		s.Files = append(s.Files, file)
	}
	return s, nil
}
