package kit

import (
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
)

// ShownView is a view with what its camera sees.
type ShownView struct {
	production.View
	Found       bool
	Across, Up  float64 // degrees
	Focal       float64 // millimetres, 0 for an orthographic camera
	Height      float64 // metres that an orthographic camera sees
	MiddleFrame int
	UsedBy      string
	LookName    string
}

// ShownViews returns the views with what their cameras see, and the names of the cameras that there are.
func (a *App) ShownViews(v *View) ([]ShownView, []string) {
	s, err := a.House.Assets.Scene(v.Production.Scene)
	var cameras []string
	if err == nil {
		cameras = house.CameraNames(s)
	}
	var shown []ShownView
	for _, w := range v.Production.Views {
		out := ShownView{View: w, MiddleFrame: v.Production.FirstFrame}
		if l, ok := v.Production.FindLook(w.Look); ok {
			out.LookName = l.Name
		}
		if err == nil {
			if source, err := camera.SourceOf(s, w.Camera); err == nil {
				c, setup := source.Optics, w.Setup.At(float64(v.Production.FirstFrame))
				seen := setup.Of(geom.Identity(), c).Camera
				angles := lens.AnglesOf(seen.Up, seen.Aspect)
				out.Found, out.Across, out.Up, out.Focal, out.Height = true, lens.Degrees(angles.Across), lens.Degrees(
					angles.Up,
				), setup.FocalOf(c), seen.Height
				out.MiddleFrame = (v.Production.FirstFrame + house.LastFrame(v.Production.Production, s)) / 2
			}
		}
		var used []string
		for _, shot := range v.Production.Shots {
			if shot.Shows(w.Code) || w.Rig != "" && shot.Shows(w.Rig) {
				used = append(used, shot.Code)
				out.MiddleFrame = shot.Frames.At(shot.Frames.Count() / 2)
			}
		}
		out.UsedBy = strings.Join(used, ", ")
		shown = append(shown, out)
	}
	return shown, cameras
}

// UsualSize is the shape that a view is shown in when no size is asked for.
var UsualSize = raster.Named{Size: raster.Size{Width: 1920, Height: 1080}}
