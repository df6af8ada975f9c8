package views

import (
	"fmt"

	"reelhouse/core/camera"
	"reelhouse/core/lens"
	"reelhouse/web/kit"
)

// A setUp is what is edited of the camera of an open view, by subject.
type setUp struct {
	Locked   kit.Field
	Working  kit.Field
	Look     kit.Field
	Renderer *kit.Field // nil where the house has only one
	Groups   []kit.Group
	Motion   motion
	InSizes  inSizes
	Dolly    *dollyZoom // nil for an orthographic camera
	Aim      kit.Field
	Actions  []kit.Action
	Mistakes []string
	Where    string // how it stands, in words
}

// A dollyZoom is the form of a dolly zoom.
type dollyZoom struct {
	Post     kit.Action
	Focal    string // millimetres
	Distance string // metres
}

// setUpFields returns what is edited of an open view.
func (o *openView) setUpFields(v *kit.View, objects []string, looks []kit.Option, renderers []string) setUp {
	part, s := v.Part("view", o.Code), o.Setup.At(float64(o.Frame))
	number := func(name, label, format string, value float64) kit.Field {
		return part.Field(name, label, fmt.Sprintf(format, value)).Mono(0)
	}
	some := func(name, label string, value float64) kit.Field {
		return part.Field(name, label, kit.Some(value)).Mono(0)
	}
	position, lensGroup := kit.Group{Name: "Position"}, kit.Group{Name: "Lens"}
	sensor, exposure := kit.Group{Name: "Film back"}, kit.Group{Name: "Focus and exposure"}
	sensor.Holds = fmt.Sprintf("%s mm wide", kit.Number(o.Back))
	position.Fields = []kit.Field{
		number("x", "East, m", "%.3f", o.Stand.Position.X), number("z", "South, m", "%.3f", o.Stand.Position.Z),
		number("y", "Up, m", "%.3f", o.Stand.Position.Y), number("heading", "Heading, °", "%.2f", o.Stand.Heading),
		number("tilt", "Tilt, °", "%.2f", o.Stand.Tilt), number("roll", "Roll, °", "%.2f", o.Stand.Roll),
	}
	flat := o.Height > 0
	if !flat {
		lensGroup.Fields = []kit.Field{
			number("focalLength", "Focal length, mm", "%.2f", o.Focal),
			number("horizontalFOV", "Horizontal FOV, °", "%.2f", o.Across),
			number("verticalFOV", "Vertical FOV, °", "%.2f", o.Up),
		}
		exposure.Fields = []kit.Field{
			some("fNumber", "f-number", s.FNumber), some("focusDistance", "Focus distance, m", s.Focus),
		}
	}
	lensGroup.Fields = append(lensGroup.Fields,
		number("lensShiftX", "Lens shift X, mm", "%.2f", s.ShiftAcross),
		number("lensShiftY", "Lens shift Y, mm", "%.2f", s.ShiftUp),
		some("orthographicHeight", "Orthographic height, m", s.Parallel),
		part.Tick("panorama", "panorama (equirectangular)", s.Panorama),
	)
	var backs []kit.Option
	for _, b := range lens.Backs() {
		text := fmt.Sprintf("%s, %s × %s mm", b.Name, kit.Number(b.Width), kit.Number(b.Height))
		backs = append(backs, kit.Option{Value: b.Name, Text: text})
	}
	sensor.Fields = []kit.Field{
		part.Field("sensorWidth", "Sensor width, mm", kit.Number(o.Back)).Mono(0),
		some("sensorHeight", "Sensor height, mm", s.BackHigh),
		part.Choice("sensor", "Common film backs", "choose …", backs),
	}
	ways := []kit.Option{{Value: "", Text: "as the look says"}, {Value: "fixed", Text: "fixed for this view"}}
	if !flat {
		ways = append(ways, kit.Option{Value: "lens", Text: "by lens, shutter and film"})
	}
	exposure.Fields = append(exposure.Fields, part.Field("exposure", "Exposure", s.Exposure).Among(ways))
	if s.Exposure == "fixed" {
		exposure.Fields = append(exposure.Fields, part.Field("exposureEV", "EV", kit.Number(s.EV)).Mono(0))
	}
	shutter := s.Shutter
	if shutter == 0 {
		shutter = 180
	}
	exposure.Fields = append(exposure.Fields, some("shutterAngle", "Shutter angle, °", shutter))
	if !flat {
		exposure.Fields = append(exposure.Fields, some("iso", "ISO", s.ISO))
	}
	rig, _ := v.Production.FindRig(o.Rig)
	pair := rig.Kind == camera.Pair
	lock := func(g *kit.Group, held bool) {
		for i := range g.Fields {
			g.Fields[i].Locked = g.Fields[i].Locked || s.Locked || held
		}
	}
	lock(&position, o.Rig != "")
	lock(&lensGroup, o.Rig != "" && rig.Kind != camera.Ring)
	lock(&sensor, o.Rig != "" && rig.Kind != camera.Ring)
	lock(&exposure, pair)
	up := setUp{
		Look:    part.Field("look", "Look", o.ShownView.Look).Among(looks),
		Motion:  o.motion(v, objects),
		InSizes: o.inSizes(v),
		Locked:  part.Tick("locked", "locked", s.Locked),
		Working: part.Tick("working", "working view", o.ShownView.Working),
		Groups:  []kit.Group{position, lensGroup, exposure, sensor},
		Aim:     part.Choice("aim", "Aim at an object", "choose one …", named(objects)).By("view.aim", "object"),
		Actions: []kit.Action{
			part.Action("straighten", "Straighten verticals", "Level the camera and shift its lens instead"),
		},
		Where: "It stands as in the scene.",
	}
	if chosen := o.ShownView.Renderer; len(renderers) > 1 || chosen != "" {
		of := append([]kit.Option{{Text: "who reads the scene"}}, kit.Codes(renderers, chosen)...)
		field := part.Field("renderer", "Renderer", chosen).Among(of)
		up.Renderer = &field
	}
	up.Look.ID, up.Look.Locked = "set-up-look", o.Rig != ""
	switch {
	case o.Setup.Motion != nil:
		up.Where = "It moves by keys. A number typed here, or the camera dragged, sets the key at this frame."
	case o.Own:
		up.Where = "It stands where this view says."
	case o.Moves:
		up.Where = "It moves as in the scene. A number typed here makes it stand still, at this frame's place."
	}
	switch {
	case o.Rig != "":
		up.Actions = append(up.Actions,
			part.Action("detach", "Detach from rig", "It stays where it is, and can be set up by itself"))
	case o.Own && o.Camera != "":
		up.Actions = append(up.Actions, part.Action("reset", "Reset to scene", "Stand where the scene has it"))
	}
	up.Actions = append(up.Actions, part.Action(
		"freeze", "New working view of this picture", "A camera that stands still where this one is at this frame",
	))
	if !flat {
		up.Dolly = &dollyZoom{
			Post:  part.Action("dolly-zoom", "Zoom and move", "").Telling("frame", fmt.Sprint(o.Frame)),
			Focal: fmt.Sprintf("%.1f", o.Focal), Distance: kit.Number(o.Dolly),
		}
	}
	if s.Locked {
		up.Actions, up.Dolly = nil, nil
	}
	for _, field := range []string{"", "scene", "setup", "picture", "take-over", "stretch", "add"} {
		if message := part.Wrong(field); message != "" {
			up.Mistakes = append(up.Mistakes, message)
		}
	}
	return up
}

// named returns names as options.
func named(names []string) []kit.Option {
	var all []kit.Option
	for _, name := range names {
		all = append(all, kit.Option{Value: name, Text: name})
	}
	return all
}
