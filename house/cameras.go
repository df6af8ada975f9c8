package house

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/camera"
	"reelhouse/core/cut"
	"reelhouse/core/geom"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// A CameraFormat is what cameras are handed on in.
type CameraFormat string

// The formats.
const (
	CamerasGLTF CameraFormat = "gltf" // binary glTF 2.0
	CamerasUSD  CameraFormat = "usda" // OpenUSD, text
)

// Ext returns the file name extension.
func (f CameraFormat) Ext() string {
	if f == CamerasGLTF {
		return "glb"
	}
	return string(f)
}

// Cameras writes the cameras of views, all but working ones if none are named, over the frames at which the scene
// moves. left says what the format cannot hold.
func (h *House) Cameras(
	p production.Production, f CameraFormat, views ...string,
) (file []byte, left []string, err error) {
	if p.Scene.Opaque != nil && !p.Scene.Opaque.Read {
		return nil, nil, fmt.Errorf("where the cameras of %s stand is known to its own renderer only", p.Scene.Name)
	}
	s, err := h.Assets.Scene(p.Scene)
	if err != nil {
		return nil, nil, err
	}
	for _, code := range views {
		if _, ok := p.FindView(code); !ok {
			return nil, nil, fmt.Errorf("there is no view %q", code)
		}
	}
	var seconds []float64
	for n := p.FirstFrame; n <= lastMoving(p, s); n++ {
		seconds = append(seconds, p.Rate.Seconds(n, p.FirstFrame))
	}
	var followed []camera.Followed
	for _, v := range p.Views {
		if len(views) > 0 && !slices.Contains(views, v.Code) || len(views) == 0 && v.Working {
			continue
		}
		source, err := camera.SourceOf(s, v.Camera)
		if err != nil {
			left = append(left, fmt.Sprintf("View %s looks through %s, which is not in the scene.", v.Code, v.Camera))
			continue
		}
		followed = append(followed, camera.Followed{Name: v.Code, Source: source, Setup: v.Setup})
	}
	if len(followed) == 0 {
		return nil, left, fmt.Errorf("there is no view whose camera could be written")
	}
	tracks := camera.Follow(s, followed, p.FirstFrame, seconds)
	var out bytes.Buffer
	switch f {
	case CamerasGLTF:
		if p.Cut.Length() > 0 && len(views) == 0 {
			left = append(
				left, "glTF has no lens that changes, so that the camera over the cut is left out; USD has it.",
			)
		}
		for _, t := range tracks {
			if len(t.Focals) > 0 {
				left = append(
					left, fmt.Sprintf("glTF has no lens that changes; %s keeps its first. USD has it.", t.Name),
				)
			}
		}
		animation, shifted := camera.Animation(p.Title, tracks, p.Rate.PerSecond())
		if len(shifted) > 0 {
			left = append(
				left, "glTF has no lens shift, which is left out of "+strings.Join(shifted, ", ")+"; USD has it.",
			)
		}
		err = animation.Write(&out)
	case CamerasUSD:
		joined, unseen := h.joined(p, s)
		if len(views) > 0 || len(joined.Moments) == 0 {
			err = camera.WriteUSD(&out, p.Title, tracks, p.FirstFrame, p.Rate.PerSecond())
			break
		}
		left = append(left, unseen...)
		err = camera.WriteJoinedUSD(&out, p.Title, tracks, joined, p.FirstFrame, p.Rate.PerSecond())
	default:
		err = fmt.Errorf("cameras are written as %s or %s, not as %q", CamerasGLTF, CamerasUSD, f)
	}
	return out.Bytes(), left, err
}

// lastMoving returns the last frame at which anything moves: the scene, or a camera by its keys.
func lastMoving(p production.Production, s *scene.Scene) int {
	last := LastFrame(p, s)
	for _, v := range p.Views {
		if v.Setup.Motion != nil {
			_, to := v.Setup.Motion.Span()
			last = max(last, to)
		}
	}
	return last
}

// joined returns the one camera that goes through the whole cut: in each record frame it is that of the view that is
// seen. Where nothing is seen, and where an orthographic view is, which a camera cannot become in the middle, it stays
// what it was.
func (h *House) joined(p production.Production, s *scene.Scene) (j camera.Joined, left []string) {
	j.Name = "cut"
	at := func(shown cut.Clip, n int) (m camera.Moment, ok bool) {
		shot, known := p.FindShot(shown.Shot)
		v, seen := p.ResolvedShot(shot).Seen(shown.View)
		if !known || !seen {
			return m, false
		}
		source, err := camera.SourceOf(s, v.Camera)
		if err != nil {
			return m, false
		}
		c, setup := source.Optics, v.Setup.At(float64(n))
		if setup.Of(geom.Identity(), c).Camera.Height > 0 {
			left = append(
				left,
				fmt.Sprintf("Clip %s of the cut is orthographic, and left out of the camera over it.", shown.Title()),
			)
			return m, false
		}
		pose := s.At(p.Rate.Seconds(n, p.FirstFrame))
		return camera.Moment{Setup: setup, Camera: c, Pose: setup.Of(source.Pose(pose), c).Pose}, true
	}
	var before *camera.Moment
	for _, span := range p.Cut.Seen() {
		for n := span.From; n < span.To; n++ {
			if !span.Gap() {
				if m, ok := at(span.Clip, span.Clip.SourceAt(n)); ok {
					before = &m
				}
			}
			if before != nil {
				for len(j.Moments) <= n { // what comes before the first view is that view
					j.Moments = append(j.Moments, *before)
				}
			}
		}
	}
	return j, slices.Compact(left)
}
