package preflight

import "reelhouse/core/edit"

// A Fix is something that puts a finding right at once, by its code.
type Fix string

// The fixes.
const (
	NoFix        Fix = ""
	NextVersion  Fix = "next-version"
	PadFrames    Fix = "pad-frames"
	WholePicture Fix = "whole-picture"
	FinalQuality Fix = "final-quality"
	EveryFrame   Fix = "every-frame"
	FarEnough    Fix = "far-enough"
	TilesByNeed  Fix = "tiles-by-need"
)

// A Repair is what a fix does: one row a fix.
type Repair struct {
	Fix     Fix
	Label   string // of its button
	Command edit.Command
}

// Repairs returns what every fix does.
func Repairs() []Repair {
	return []Repair{
		{NextVersion, "Use the next version", edit.NextVersion{}},
		{PadFrames, "Pad for every frame", edit.PadFrames{}},
		{WholePicture, "Render whole pictures", edit.WholePicture{}},
		{FinalQuality, "Render all shots in the batch's quality", edit.OneQuality{}},
		{EveryFrame, "Render every frame", edit.EveryFrame{}},
		{FarEnough, "Put it behind everything", edit.FarBackground{}},
		{TilesByNeed, "Tiles by need", edit.TilesByNeed{}},
	}
}

// Repair returns what the fix does; false for none.
func (f Fix) Repair() (Repair, bool) {
	for _, r := range Repairs() {
		if r.Fix == f {
			return r, true
		}
	}
	return Repair{}, false
}

// Label is what the button of the fix says, "" for none.
func (f Fix) Label() string {
	r, _ := f.Repair()
	return r.Label
}

// CommandName is the name of the command that the fix is, "" for none.
func (f Fix) CommandName() string {
	r, ok := f.Repair()
	if !ok {
		return ""
	}
	return r.Command.Name()
}
