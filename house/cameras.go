package house

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/camera"
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

// Cameras writes the cameras of views, all but working ones if none are named, over the frames at which the scene moves. left says what the
// format cannot hold.
func (h *House) Cameras(p production.Production, f CameraFormat, views ...string) (file []byte, left []string, err error) {
	if p.Scene.Opaque != nil {
		return nil, nil, fmt.Errorf("where the cameras of %s stand is known to its own renderer only", p.Scene.Name)
	}
	s, err := h.Scene(p.Scene)
	if err != nil {
		return nil, nil, err
	}
	for _, code := range views {
		if _, ok := p.FindView(code); !ok {
			return nil, nil, fmt.Errorf("there is no view %q", code)
		}
	}
	var seconds []float64
	for n := p.FirstFrame; n <= LastFrame(p, s); n++ {
		seconds = append(seconds, p.Rate.Seconds(n, p.FirstFrame))
	}
	var followed []camera.Followed
	for _, v := range p.Views {
		if len(views) > 0 && !slices.Contains(views, v.Code) || len(views) == 0 && v.Working {
			continue
		}
		node := s.FindCamera(v.Camera)
		if node == scene.None {
			left = append(left, fmt.Sprintf("View %s looks through %s, which is not in the scene.", v.Code, v.Camera))
			continue
		}
		followed = append(followed, camera.Followed{Name: v.Code, Node: node, Setup: v.Setup})
	}
	if len(followed) == 0 {
		return nil, left, fmt.Errorf("there is no view whose camera could be written")
	}
	tracks := camera.Follow(s, followed, seconds)
	var out bytes.Buffer
	switch f {
	case CamerasGLTF:
		animation, shifted := camera.Animation(p.Title, tracks, p.Rate.PerSecond())
		if len(shifted) > 0 {
			left = append(left, "glTF has no lens shift, which is left out of "+strings.Join(shifted, ", ")+"; USD has it.")
		}
		err = animation.Write(&out)
	case CamerasUSD:
		err = camera.WriteUSD(&out, p.Title, tracks, p.FirstFrame, p.Rate.PerSecond())
	default:
		err = fmt.Errorf("cameras are written as %s or %s, not as %q", CamerasGLTF, CamerasUSD, f)
	}
	return out.Bytes(), left, err
}
