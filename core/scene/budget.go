package scene

import (
	"fmt"
	"image"
)

// What a file may take is bounded as a whole, so that a small one cannot ask for more memory than a machine has: by
// accessors without data, by many that share it, or by pictures that pack well. The bounds leave room for what films
// have: scenes of 500 MB, maps of 16384 x 8192 pixels.
const (
	mostGeometry = 6 << 30 // bytes of all elements, as they are held
	mostZeros    = 1 << 24 // elements that stand nowhere in the file, and are zero
	mostPixels   = 1 << 30 // of all pictures that differ
	mostText     = 256 << 20
	mostNodes    = 2_000_000
	mostNotes    = 100

	// MostMemory is how many bytes the first reading of a file may take: what is held, and what is under way.
	MostMemory = 12 << 30

	numberBytes  = 8 // of a component
	textureBytes = 4 // of a pixel
)

// spent is what a file has taken so far.
type spent struct {
	geometry, zeros, pixels int64
}

// elements takes room for the elements of a list.
func (s *spent) elements(l list, data bool) error {
	if !data {
		if s.zeros += int64(l.count); s.zeros > mostZeros {
			return fmt.Errorf(
				"more than %d elements have no data; the file asks for more memory than it may take", mostZeros,
			)
		}
	}
	if s.geometry += int64(l.count) * int64(l.width) * numberBytes; s.geometry > mostGeometry {
		return fmt.Errorf("its meshes and movements take more than %d GB", int64(mostGeometry)>>30)
	}
	return nil
}

// picture takes room for a picture.
func (s *spent) picture(width, height int) error {
	if s.pixels += int64(width) * int64(height); s.pixels > mostPixels {
		return fmt.Errorf("with this one the textures take more than %d GB", int64(mostPixels)*textureBytes>>30)
	}
	return nil
}

// Bytes returns about how many bytes of memory the scene takes.
func (s *Scene) Bytes() int64 {
	const vector, whole, coordinates, colour, joints, weights = 24, 4, 8, 16, 8, 16
	sum := int64(0)
	for _, m := range s.Meshes {
		for _, p := range m.Parts {
			sum += vector*int64(len(p.Positions)+len(p.Normals)) + whole*int64(
				len(p.Indices),
			) + colour*int64(len(p.Colors)) +
				joints*int64(len(p.Joints)) + weights*int64(
				len(p.Weights),
			)
			for _, uv := range p.UV {
				sum += coordinates * int64(len(uv))
			}
			for _, t := range p.Targets {
				sum += vector * int64(len(t.Positions)+len(t.Normals))
			}
		}
	}
	seen := map[*image.NRGBA]bool{}
	for _, m := range s.Images {
		if m.Pixels != nil && !seen[m.Pixels] {
			seen[m.Pixels] = true
			sum += int64(len(m.Pixels.Pix))
		}
	}
	return sum
}
