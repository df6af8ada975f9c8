// Package pass is the catalogue of passes: the kinds of information that one frame can carry.
//
// A pass is either colour (linear light, 16-bit half in float files, may be encoded for viewing) or data
// (numbers, 32-bit float, never encoded or filtered in a way that invents values).
package pass

import (
	"fmt"
	"slices"
)

// A Code names a pass in paths, files and jobs.
type Code string

// The passes.
const (
	Beauty Code = "beauty"
	Depth  Code = "depth"
	Normal Code = "normal"
	Object Code = "object"
)

// A Pass is one entry of the catalogue.
type Pass struct {
	Code     Code
	Name     string
	Meaning  string // one sentence, units included
	Unit     string // of the values, empty for colour
	Channels []string
	Data     bool
	// Filtered passes are averaged over a pixel; the others hold the value at its centre.
	Filtered bool
}

// Catalogue returns every pass, in the order in which they are shown and stored.
func Catalogue() []Pass {
	return []Pass{
		{Beauty, "Beauty", "The picture: linear light with coverage as alpha.", "", []string{"R", "G", "B", "A"}, false, true},
		{Depth, "Depth", "Distance ahead of the camera along its viewing axis, at the pixel's centre.", "m", []string{"Z"}, true, false},
		{Normal, "Normal", "Direction of the surface in world axes, at the pixel's centre; 0 where there is none.", "", []string{"X", "Y", "Z"}, true, false},
		{Object, "Object colours", "One plain colour an object, mixed by coverage at the edges; black where there is none.", "", []string{"R", "G", "B"}, true, true},
	}
}

// Find returns the pass of a code.
func Find(code Code) (Pass, error) {
	all := Catalogue()
	if i := slices.IndexFunc(all, func(p Pass) bool { return p.Code == code }); i >= 0 {
		return all[i], nil
	}
	return Pass{}, fmt.Errorf("there is no pass %q", code)
}

// Sorted returns codes in the order of the catalogue, without repeats.
func Sorted(codes []Code) []Code {
	var sorted []Code
	for _, p := range Catalogue() {
		if slices.Contains(codes, p.Code) {
			sorted = append(sorted, p.Code)
		}
	}
	return sorted
}

// ChannelNames returns the names that the pass's channels have in a file of layers: beauty's stand by
// themselves, every other pass is a layer ("depth.Z").
func (p Pass) ChannelNames() []string {
	if p.Code == Beauty {
		return slices.Clone(p.Channels)
	}
	names := make([]string, len(p.Channels))
	for i, c := range p.Channels {
		names[i] = string(p.Code) + "." + c
	}
	return names
}

// BytesPerPixel returns what the pass takes uncompressed in a float file.
func (p Pass) BytesPerPixel() int {
	if p.Data {
		return 4 * len(p.Channels)
	}
	return 2 * len(p.Channels)
}
