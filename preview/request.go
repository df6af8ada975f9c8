package preview

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"

	"reelhouse/assets"
	"reelhouse/core/camera"
	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// A Request says which picture is wanted.
type Request struct {
	Scene      production.SceneFile
	Camera     string
	Setup      camera.Setup
	Look       look.Look
	Rate       frame.Rate
	FirstFrame int
	Frame      int
	Size       raster.Size // in square pixels
	Fit        raster.Fit
	Background look.Background
	// Environment is the map that the look names; the zero value for none.
	Environment production.EnvironmentFile
}

// Key names the picture by everything that it depends on.
func (t Request) Key() string {
	t.Scene = assets.Key(t.Scene) // its name and its past change nothing
	text, err := json.Marshal(t)
	if err != nil {
		panic(err) // plain data; a number that is none was refused before
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:16])
}

// SmallPicture describes a picture of a view at a frame, in the shape of a size, edge pixels long at most.
func SmallPicture(
	p production.Production, v production.View, l look.Look, size raster.Named, number, edge int,
) Request {
	v, fit := v.In(size)
	return Request{
		Scene: p.Scene, Camera: v.Camera, Setup: v.Setup, Look: l, Rate: p.Rate, FirstFrame: p.FirstFrame,
		Frame: number,
		Size: size.Seen().
			Within(edge),
		Fit: fit, Background: l.Over(p.Picture.Background), Environment: p.EnvironmentOf(l),
	}
}
