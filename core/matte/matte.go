// Package matte takes mattes out of Cryptomattes, by the Cryptomatte specification, version 1.2.0 (Psyop): a file
// holds, for each pixel, pairs of an ID and the share of the pixel that it covers, and a manifest of the names that the
// IDs are hashed from. A matte is the sum of the shares of what it names, which is exact at edges, and through
// transparency and motion.
package matte

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/imagefile"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// Attribute begins the names of a Cryptomatte's attributes.
const Attribute = "cryptomatte/"

// mostRanks is how many pairs of a pixel are read.
const mostRanks = 32

// A Layer is a Cryptomatte of a file.
type Layer struct {
	Name  string            // of the layer, as its attributes say
	Names map[uint32]string // by IDs, as the manifest has them; empty where there is none
	Pairs []Pair            // channels of the ranks, what covers most of a pixel first
}

// A Pair is the places of two channels in a file.
type Pair struct{ ID, Coverage int }

// Layers returns the Cryptomattes that a header tells of.
func Layers(h imagefile.Header) []Layer {
	var all []Layer
	for _, a := range h.Attributes {
		key, ok := strings.CutSuffix(a.Name, "/name")
		if !ok || !strings.HasPrefix(key, Attribute) {
			continue
		}
		layer := Layer{Name: a.String(), Names: NamesIn(h.Attributes.Text(key + "/manifest"))}
		for rank := range mostRanks {
			pair := [2]string{"R", "G"}
			if rank%2 == 1 {
				pair = [2]string{"B", "A"}
			}
			p := Pair{layer.channel(h, rank/2, pair[0]), layer.channel(h, rank/2, pair[1])}
			if p.ID < 0 || p.Coverage < 0 {
				break
			}
			layer.Pairs = append(layer.Pairs, p)
		}
		all = append(all, layer)
	}
	return all
}

// channel returns the place of a channel of the layer, whose number has two digits and whose channels may be called by
// their first letter or by their whole colour; -1 if it is not there.
func (l Layer) channel(h imagefile.Header, number int, letter string) int {
	whole := map[string]string{"R": "red", "G": "green", "B": "blue", "A": "alpha"}[letter]
	for _, name := range []string{letter, strings.ToLower(letter), whole} {
		if i := h.Channel(fmt.Sprintf("%s%02d.%s", l.Name, number, name)); i >= 0 {
			return i
		}
	}
	return -1
}

// NamesIn returns the names of a manifest by their IDs; none if it cannot be read.
func NamesIn(manifest string) map[uint32]string {
	var all map[string]string
	names := map[uint32]string{}
	if json.Unmarshal([]byte(manifest), &all) != nil {
		return names
	}
	for name, hex := range all {
		if id, err := strconv.ParseUint(hex, 16, 32); err == nil {
			names[uint32(id)] = name
		}
	}
	return names
}

// Title returns what a layer's ID is called: its name, or its digits where the manifest has none.
func (l Layer) Title(id uint32) string {
	if name, known := l.Names[id]; known {
		return name
	}
	return fmt.Sprintf("ID %08x, without a name,", id)
}

// Ranks are the pairs of all pixels of a layer.
type Ranks struct {
	Layer
	Width, Height int
	IDs           [][]uint32  // by ranks, lines one after another
	Coverage      [][]float32 // likewise, 0 to 1
}

// Size returns how many bytes the ranks take.
func (r *Ranks) Size() int64 { return 8 * int64(r.Width) * int64(r.Height) * int64(len(r.IDs)) }

// bandLines is how many lines are read at once.
const bandLines = 64

// Read reads a layer of a file by its name, such as CryptoObject. of pixels along each edge one is kept, their first:
// IDs have no mean.
func Read(ctx context.Context, f *picture.File, name string, of int) (*Ranks, error) {
	h := f.Headers[0]
	of = max(1, of)
	r, err := ranksOf(h, name, max(1, h.Width()/of), max(1, h.Height()/of))
	if err != nil {
		return nil, err
	}
	step := (bandLines + of - 1) / of * of
	for y := 0; y < r.Height*of; y += step {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		band, err := f.Stored(0, y, min(y+step, h.Height()))
		if err != nil {
			return nil, err
		}
		r.take(band, y, of)
	}
	return r, nil
}

// Of returns a layer of lines that were read as a file has them.
func Of(band imagefile.Part, name string) (*Ranks, error) {
	r, err := ranksOf(band.Header, name, band.Width(), band.Height())
	if err == nil {
		r.take(band, 0, 1)
	}
	return r, err
}

// ranksOf returns room for the ranks of a layer.
func ranksOf(h imagefile.Header, name string, width, height int) (*Ranks, error) {
	layers := Layers(h)
	i := slices.IndexFunc(layers, func(l Layer) bool { return l.Name == name })
	if i < 0 || len(layers[i].Pairs) == 0 {
		return nil, fmt.Errorf("the file has no Cryptomatte %s", name)
	}
	r := &Ranks{Layer: layers[i], Width: width, Height: height}
	for range r.Pairs {
		r.IDs = append(r.IDs, make([]uint32, width*height))
		r.Coverage = append(r.Coverage, make([]float32, width*height))
	}
	return r, nil
}

// take puts lines of a file, from y on, where they belong.
func (r *Ranks) take(band imagefile.Part, y, of int) {
	for line := 0; line < band.Height(); line += of {
		to := (y + line) / of
		if to >= r.Height {
			return
		}
		for rank, pair := range r.Pairs {
			ids, coverage := sampler(band, pair.ID), sampler(band, pair.Coverage)
			at := line * band.Width()
			for x := range r.Width {
				r.IDs[rank][to*r.Width+x] = math.Float32bits(ids(at + x*of))
				r.Coverage[rank][to*r.Width+x] = coverage(at + x*of)
			}
		}
	}
}

// sampler returns what reads samples of a channel as they are stored.
func sampler(part imagefile.Part, channel int) func(i int) float32 {
	plane := part.Planes[channel]
	switch part.Channels[channel].Type {
	case imagefile.Half:
		return func(i int) float32 { return pixel.FromHalf(uint16(plane[2*i]) | uint16(plane[2*i+1])<<8) }
	case imagefile.Uint8:
		return func(i int) float32 { return float32(plane[i]) / math.MaxUint8 }
	case imagefile.Uint16:
		return func(i int) float32 {
			return float32(uint16(plane[2*i])|uint16(plane[2*i+1])<<8) / math.MaxUint16
		}
	}
	return func(i int) float32 {
		return math.Float32frombits(
			uint32(plane[4*i]) | uint32(plane[4*i+1])<<8 | uint32(plane[4*i+2])<<16 | uint32(plane[4*i+3])<<24,
		)
	}
}

// Wanted returns the IDs of what a matte holds: of the names of the manifest, and of names without "*" that it lacks,
// since IDs are hashed from names.
func (l Layer) Wanted(m pass.Matte) map[uint32]bool {
	ids := map[uint32]bool{}
	for id, name := range l.Names {
		if m.Holds(name) {
			ids[id] = true
		}
	}
	for _, name := range m.Names {
		if !strings.Contains(name, "*") {
			ids[math.Float32bits(pass.ID(name))] = true
		}
	}
	return ids
}

// Pull returns how much of each pixel is covered by some IDs, from 0 to 1.
func (r *Ranks) Pull(wanted map[uint32]bool) []float32 {
	out := make([]float32, r.Width*r.Height)
	pixel.Bands(len(out), func(first, behind int) {
		for rank := range r.IDs {
			ids, coverage := r.IDs[rank], r.Coverage[rank]
			last, is := uint32(0), wanted[0]
			for i := first; i < behind; i++ {
				share := coverage[i]
				if !(share > 0) { // also what is no number
					continue
				}
				if id := ids[i]; id != last {
					last, is = id, wanted[id]
				}
				if is {
					out[i] += share
				}
			}
		}
		for i := first; i < behind; i++ {
			out[i] = min(1, out[i])
		}
	})
	return out
}

// A Found is what covers something of a picture, and how many pixels in all.
type Found struct {
	Name   string  `json:"name"`
	ID     uint32  `json:"-"`
	Pixels float64 `json:"pixels"`
}

// Within returns what covers something of a rectangle, the most first; IDs without a name are left out, since nothing
// holds them in other frames. least is how many pixels it covers at least.
func (r *Ranks) Within(part image.Rectangle, least float64) []Found {
	part = part.Intersect(image.Rect(0, 0, r.Width, r.Height))
	sums := map[uint32]float64{}
	for rank := range r.IDs {
		for y := part.Min.Y; y < part.Max.Y; y++ {
			for i := y*r.Width + part.Min.X; i < y*r.Width+part.Max.X; i++ {
				if share := r.Coverage[rank][i]; share > 0 {
					sums[r.IDs[rank][i]] += float64(share)
				}
			}
		}
	}
	var all []Found
	for _, id := range slices.Sorted(maps.Keys(sums)) {
		if name, known := r.Names[id]; known && sums[id] >= least {
			all = append(all, Found{name, id, sums[id]})
		}
	}
	slices.SortStableFunc(
		all,
		func(a, b Found) int { return cmp.Or(cmp.Compare(b.Pixels, a.Pixels), cmp.Compare(a.Name, b.Name)) },
	)
	return all
}

// NamesLike returns the names of the manifest that are like a pattern, sorted; a pattern without "*" finds names that
// it is a part of. No more than most are returned, and how many there are.
func (l Layer) NamesLike(pattern string, most int) (names []string, all int) {
	if !strings.Contains(pattern, "*") {
		pattern = "*" + pattern + "*"
	}
	pattern, names = strings.ToLower(pattern), []string{}
	for _, name := range l.Names {
		if pass.Like(pattern, strings.ToLower(name)) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names[:min(most, len(names))], len(names)
}
