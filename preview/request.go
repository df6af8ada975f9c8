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
