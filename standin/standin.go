// Package standin is a renderer that stands in for those of other makers: it knows nothing of the renderer contract. It
// has flags of its own, chats in its log, gives files names of its own, and reads a scene format that only it
// understands, a sketch of shapes in text:
//
//	halyard 1
//	sky   0.10 0.13 0.24   0.86 0.48 0.28
//	water 0.42   0.04 0.09 0.13
//	disc  0.70 0.52 0.05   3.0 1.9 1.0
//	boat  0.20 0.40 0.16   0.08 0.05 0.04   0.004
//
// Places are shares of the picture's width and height from the lower left; colours are linear light, BT.709. sky has
// the colours of top and horizon, water its upper edge and colour, disc a middle, a radius and a colour, boat its
// middle, its length, its colour, and how far it goes in a frame. Later lines cover earlier ones.
//
// By a mood it misbehaves as renderers do at night; see Moods.
package standin

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// Name is what it calls itself, and Version which one it is.
const (
	Name    = "halyard"
	Version = "2.1"
	Ending  = ".hly" // of its scene files
)

// A Scene is what it draws.
type Scene struct{ shapes []shape }

type shape struct {
	kind   string
	values []float64
}

// values is how many numbers each kind of shape has.
var values = map[string]int{"sky": 6, "water": 4, "disc": 6, "boat": 7}

// mostShapes is how many shapes a scene may have.
const mostShapes = 10_000

// Read reads a scene.
func Read(in io.Reader) (Scene, error) {
	var s Scene
	lines := bufio.NewScanner(in)
	for n := 1; lines.Scan(); n++ {
		words := strings.Fields(lines.Text())
		if len(words) == 0 || strings.HasPrefix(words[0], "#") {
			continue
		}
		if n == 1 || len(s.shapes) == 0 && words[0] == Name {
			if len(words) != 2 || words[0] != Name || words[1] != "1" {
				return s, fmt.Errorf("line %d: this is no sketch of version 1; the first line is \"halyard 1\"", n)
			}
			continue
		}
		count, known := values[words[0]]
		if !known || len(words)-1 != count {
			return s, fmt.Errorf("line %d: %q is no shape, or has not its numbers", n, words[0])
		}
		shape := shape{kind: words[0]}
		for _, word := range words[1:] {
			v, err := strconv.ParseFloat(word, 64)
			if err != nil || math.IsNaN(v) || math.Abs(v) > 1e6 {
				return s, fmt.Errorf("line %d: %q is no number from -1000000 to 1000000", n, word)
			}
			shape.values = append(shape.values, v)
		}
		if s.shapes = append(s.shapes, shape); len(s.shapes) > mostShapes {
			return s, fmt.Errorf("line %d: there are more than %d shapes", n, mostShapes)
		}
	}
	if err := lines.Err(); err != nil {
		return s, err
	}
	if len(s.shapes) == 0 {
		return s, fmt.Errorf("there is no shape in it")
	}
	return s, nil
}

// at returns the light at a place of the picture, at a frame.
func (s Scene) at(x, y float64, frame int) [3]float64 {
	var light [3]float64
	for _, shape := range s.shapes {
		v := shape.values
		switch shape.kind {
		case "sky":
			for i := range light {
				light[i] = v[3+i] + (v[i]-v[3+i])*min(1, max(0, y))
			}
		case "water":
			if y < v[0] {
				ripple := 1 + 0.15*math.Sin(90*y/max(0.05, v[0])+11*x+0.4*float64(frame))
				light = [3]float64{v[1] * ripple, v[2] * ripple, v[3] * ripple}
			}
		case "disc":
			if math.Hypot(x-v[0], y-v[1]) < v[2] {
				light = [3]float64{v[3], v[4], v[5]}
			}
		case "boat":
			dx, dy := x-v[0]-v[6]*float64(frame), y-v[1]
			hull := math.Abs(dy) < 0.02 && math.Abs(dx) < v[2]/2-max(0, -dy)
			cabin := dy >= 0.02 && dy < 0.06 && math.Abs(dx) < v[2]/5
			if hull || cabin {
				light = [3]float64{v[3], v[4], v[5]}
			}
		}
	}
	return light
}

// Draw renders a frame, with so many samples along an edge of a pixel.
func (s Scene) Draw(width, height, samples, frame int) *pixel.Image {
	img := pixel.New(width, height, "R", "G", "B", "A")
	aspect := float64(width) / float64(height)
	for y := range height {
		for x := range width {
			var sum [3]float64
			for i := range samples * samples {
				px := (float64(x) + (float64(i%samples)+0.5)/float64(samples)) / float64(width)
				py := 1 - (float64(y)+(float64(i/samples)+0.5)/float64(samples))/float64(height)
				light := s.at((px-0.5)*max(1, aspect/2)+0.5, py, frame)
				for k := range sum {
					sum[k] += light[k]
				}
			}
			for k := range sum {
				img.Planes[k].Data[y*width+x] = float32(sum[k] / float64(samples*samples))
			}
			img.Planes[3].Data[y*width+x] = 1
		}
	}
	return img
}

// options are what its command line says.
type options struct {
	scene, into, kind, mood        string
	from, to, by                   int
	width, height, quality, digits int
}

// Run does what a command line says, and returns the exit code: 0 for well, 1 for an error, 2 for a wrong command line.
func Run(ctx context.Context, args []string, out, complaints io.Writer) int {
	var o options
	f := flag.NewFlagSet(Name, flag.ContinueOnError)
	f.SetOutput(complaints)
	f.StringVar(&o.scene, "sketch", "", "scene file")
	f.StringVar(&o.into, "into", "frame", "beginning of the files' paths")
	f.StringVar(&o.kind, "kind", "exr", "exr or png")
	f.IntVar(&o.from, "from", 1, "first frame")
	f.IntVar(&o.to, "to", 1, "last frame")
	f.IntVar(&o.by, "by", 1, "every how many-th")
	f.IntVar(&o.width, "wide", 960, "pixels")
	f.IntVar(&o.height, "high", 400, "pixels")
	f.IntVar(&o.quality, "quality", 2, "samples along an edge of a pixel")
	f.IntVar(&o.digits, "digits", 5, "of frame numbers in names")
	f.StringVar(&o.mood, "mood", "", "how it misbehaves; "+strings.Join(Moods(), ", "))
	if f.Parse(args) != nil {
		return 2
	}
	o.mood = first(o.mood, os.Getenv(MoodVariable))
	fmt.Fprintf(out, "Halyard %s  -  good evening\n", Version)
	if err := o.run(ctx, out); err != nil {
		fmt.Fprintf(out, "HALYARD ERROR: %v\n", err)
		return 1
	}
	fmt.Fprintln(out, "Halyard is done.")
	return 0
}

func first(texts ...string) string {
	for _, t := range texts {
		if t != "" {
			return t
		}
	}
	return ""
}

const mostEdge = 16_384

func (o options) run(ctx context.Context, out io.Writer) error {
	switch {
	case o.scene == "":
		return fmt.Errorf("no sketch is named; -sketch FILE%s", Ending)
	case o.by < 1 || o.to < o.from:
		return fmt.Errorf("there is no frame from %d to %d by %d", o.from, o.to, o.by)
	case o.width < 1 || o.height < 1 || o.width > mostEdge || o.height > mostEdge:
		return fmt.Errorf("a picture of %d x %d pixels is too small, or too large", o.width, o.height)
	case o.quality < 1 || o.quality > 64:
		return fmt.Errorf("a quality of %d is not possible", o.quality)
	case o.kind != "exr" && o.kind != "png":
		return fmt.Errorf("files of kind %q cannot be written", o.kind)
	}
	mood, err := moodOf(o.mood)
	if err != nil {
		return err
	}
	if err := mood.begin(ctx, out); err != nil {
		return err
	}
	file, err := os.Open(o.scene)
	if err != nil {
		return fmt.Errorf("the sketch cannot be opened: %w", err)
	}
	scene, err := Read(file)
	file.Close()
	if err != nil {
		return fmt.Errorf("%s, %w", filepath.Base(o.scene), err)
	}
	fmt.Fprintf(out, "  sketch with %d shapes\n", len(scene.shapes))
	all := (o.to-o.from)/o.by + 1
	for i := range all {
		number := o.from + i*o.by
		fmt.Fprintf(out, "  >> frame %d\n", number)
		width, height, write, err := mood.frame(ctx, out, o.width, o.height)
		if err != nil {
			return err
		}
		began := time.Now()
		img := scene.Draw(width, height, o.quality, mood.drawn(number))
		mood.spoil(number, img)
		path := fmt.Sprintf("%s_%0*d.%s", o.into, o.digits, number, o.kind)
		if write {
			if err := save(path, o.kind, img); err != nil {
				return fmt.Errorf("frame %d cannot be written: %w", number, err)
			}
			fmt.Fprintf(out, "  wrote file: %s   (%.2f s)\n", path, time.Since(began).Seconds())
		}
		fmt.Fprintf(out, "  .. %.1f pct\n", 100*float64(i+1)/float64(all))
	}
	return nil
}

func save(path, kind string, img *pixel.Image) error {
	e := output.Encoding{
		Format:      output.EXR,
		Depth:       output.ByPass,
		Compression: output.ZIP,
		Level:       4,
		Alpha:       output.Premultiplied,
		Curve:       pixel.Linear,
	}
	if kind == "png" {
		e = output.Encoding{
			Format: output.PNG, Depth: output.Eight, Compression: output.Deflate, Level: 6, Alpha: output.NoAlpha,
			Curve: pixel.SRGB,
		}
	}
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	if err := picture.Encode(f, e, img, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
		f.Close()
		return err
	}
	return f.Close()
}
