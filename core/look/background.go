package look

import (
	"fmt"

	"reelhouse/core/geom"
)

// A BackgroundKind is what stands where there is no surface.
type BackgroundKind string

// The kinds of background.
const (
	Surroundings BackgroundKind = "environment" // the look's own: its map, or its sky
	PlainColour  BackgroundKind = "colour"
	Transparent  BackgroundKind = "transparent"
)

// A Background is what stands where there is no surface. In a look, the zero value leaves it to the production.
type Background struct {
	Kind   BackgroundKind `json:"kind"`
	Colour string         `json:"colour,omitempty"` // #rrggbb in sRGB, for PlainColour
}

// Light returns the colour in linear light.
func (b Background) Light() (geom.Vec, error) {
	light, err := colour(b.Colour)
	if err != nil {
		return geom.Vec{}, fmt.Errorf("the colour %q is not written as #rrggbb", b.Colour)
	}
	return light, nil
}

// Check says what is wrong with the background, or nil.
func (b Background) Check() error {
	switch b.Kind {
	case Surroundings, Transparent:
		return nil
	case PlainColour:
		_, err := b.Light()
		return err
	}
	return fmt.Errorf("the background %q is not known; choose one of the list", b.Kind)
}

// Over returns the look's own background, or that of the production.
func (l Look) Over(agreed Background) Background {
	if l.Background == (Background{}) {
		return agreed
	}
	return l.Background
}
