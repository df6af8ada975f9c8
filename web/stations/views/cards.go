package views

import (
	"fmt"
	"slices"

	"reelhouse/core/viewsheet"
	"reelhouse/web/kit"
)

// A viewCard is a view with what is edited of it in the view sheet, or beside its picture.
type viewCard struct {
	kit.ShownView
	Facts     []viewsheet.Fact // none of a working view
	Opened    bool
	Plain     bool // of an opaque scene: nothing of its camera is known
	Small     kit.Thumb
	Large     kit.Thumb
	CodeField kit.Field
	Title     kit.Field
	CameraOf  kit.Field
	LookOf    kit.Field
	SetUp     string // address, "" if it cannot be set up
	Copy      kit.Action
	Remove    kit.Action
	Promote   *kit.Action // makes a working view one for shots
	Wrong     []string
}

// Fact returns what a column of the view sheet has of the view.
func (w viewCard) Fact(column string) viewsheet.Fact {
	if i := slices.Index(viewsheet.Columns(), column); i >= 0 && i < len(w.Facts) {
		return w.Facts[i]
	}
	return viewsheet.Fact{}
}

// Seen says what the camera sees.
func (w viewCard) Seen() string {
	switch {
	case !w.Found || w.Plain:
		return "–"
	case w.Height > 0:
		return fmt.Sprintf("%.2f m high, orthographic", w.Height)
	}
	return fmt.Sprintf("%.1f° × %.1f° · %.1f mm", w.Across, w.Up, w.Focal)
}

// cameraOptions are the cameras that a view can look through.
func cameraOptions(cameras []string, opaque bool) []kit.Option {
	options := named(cameras)
	if !opaque {
		options = append(options, kit.Option{Value: "", Text: "of its own"})
	}
	return options
}

// cardOf returns a view with what is edited of it.
func cardOf(v *kit.View, w kit.ShownView, cameras []string, looks []kit.Option, opaque bool) viewCard {
	part := v.Part("view", w.Code)
	c := viewCard{
		ShownView: w,
		Opened:    w.Code == v.Open,
		Plain:     opaque,
		Small:     v.ThumbOf(w, 112, 63),
		Large:     v.ThumbOf(w, 288, 162),
		CodeField: part.Field("code", "Code", w.Code).Styled("mono font-bold", 0),
		Title:     part.Field("name", "Name", w.Name),
		CameraOf:  part.Field("camera", "Camera", w.Camera).Among(cameraOptions(cameras, opaque)),
		LookOf:    part.Field("look", "Look", w.Look).Among(looks),
		Copy:      part.Action("copy", "Copy", "A new view beside this one"),
		Remove:    part.Action("remove", "Remove", "Remove this view"),
	}
	c.CameraOf.Locked, c.LookOf.Locked = w.Rig != "" || w.Setup.Locked, w.Rig != ""
	for _, field := range []string{"", "remove", "working"} {
		if message := part.Wrong(field); message != "" {
			c.Wrong = append(c.Wrong, message)
		}
	}
	if w.Found && !opaque {
		c.SetUp = v.Path("views?open=" + w.Code + "#set-up")
	}
	if w.Working {
		promote := part.Tick("working", "Make it a shot view", true).
			Set("Make it a shot view", "From now on shots may use it", "")
		c.Promote = &promote
	}
	return c
}
