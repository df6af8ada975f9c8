package job

import (
	"encoding/json"
	"fmt"
	"image"
	"io"
)

// An Assembly is a job whose one frame was rendered in tiles, and is to be put together from them.
type Assembly struct {
	Job
	// TileFiles are the paths of the tiles, row by row from the top: OpenEXR files of all passes in 32-bit floats,
	// premultiplied, each of its tile's size.
	TileFiles []string `json:"tileFiles"`
	// Rendered is how many seconds all of the tiles took.
	Rendered float64 `json:"rendered"`
}

// ReadAssembly reads an assembly and checks what putting it together relies on.
func ReadAssembly(r io.Reader) (Assembly, error) {
	var a Assembly
	d := json.NewDecoder(r)
	d.DisallowUnknownFields()
	if err := d.Decode(&a); err != nil {
		return Assembly{}, fmt.Errorf("assembly: %w", err)
	}
	if err := a.check(); err != nil {
		return Assembly{}, fmt.Errorf("assembly: %w", err)
	}
	if len(a.Frames) != 1 {
		return Assembly{}, fmt.Errorf("assembly: %d frames are named, where one is put together", len(a.Frames))
	}
	if whole := image.Rect(0, 0, a.Size.Width, a.Size.Height); whole.Empty() || !a.Area().In(whole) {
		return Assembly{}, fmt.Errorf("assembly: a part of %v does not lie in a picture of %v pixels", a.Area(), a.Size)
	}
	if want := a.Tiles.Count(a.Area()); len(a.TileFiles) != want {
		return Assembly{}, fmt.Errorf("assembly: %d tiles are named of %d", len(a.TileFiles), want)
	}
	return a, nil
}

// Area returns the pixels that are rendered.
func (j Job) Area() image.Rectangle {
	if r := j.Region.Rectangle(); !r.Empty() {
		return r
	}
	return image.Rect(0, 0, j.Size.Width, j.Size.Height)
}
