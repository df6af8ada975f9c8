// Command rays measures how many rays a second the renderer sends, beside the Embree library, in one run on one
// machine: see docs/performance.md.
//
// Rays are those of a camera, one for the centre of each pixel, and such as leave the surfaces that they meet in all
// directions. Both programs get the same triangles and the same rays, send them one at a time on one thread, and take
// turns; each figure is that of the best round, since what else runs on the machine can only make one slower.
package main

import (
	"bytes"
	"encoding/binary"
	"flag"
	"fmt"
	"log"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"reelhouse/core/geom"
	"reelhouse/core/look"
	"reelhouse/core/scene"
	"reelhouse/core/trace"
	"reelhouse/demo"
)

func main() {
	reference := flag.String("reference", "bench/embree/reference", "the C++ program")
	seconds := flag.Float64("seconds", 1, "how long each figure is measured, each time")
	times := flag.Int("times", 3, "how often the two programs take turns")
	only := flag.String("only", "", "one scene")
	flag.Parse()
	runtime.GOMAXPROCS(2)
	fmt.Println("| scene | triangles | rays | query | Mrays/s | reference | ratio |")
	fmt.Println("|---|---|---|---|---|---|---|")
	for _, s := range []struct {
		name string
		make func() (*scene.Scene, geom.Vec, geom.Vec)
	}{
		{"demo", func() (*scene.Scene, geom.Vec, geom.Vec) {
			return demo.Scene(), geom.Vec{X: 22, Y: 3, Z: 40}, geom.Vec{Y: 4, Z: -20}
		}},
		{"balls, 1 M", func() (*scene.Scene, geom.Vec, geom.Vec) { return balls(500) }},
		{"balls, 5 M", func() (*scene.Scene, geom.Vec, geom.Vec) { return balls(2500) }},
	} {
		if *only != "" && *only != s.name {
			continue
		}
		if err := run(s.name, *reference, *seconds, *times, s.make); err != nil {
			log.Fatal(err)
		}
	}
}

// balls returns a scene of balls of 2000 triangles each in a cube, with a place to look from and one to look at.
func balls(n int) (*scene.Scene, geom.Vec, geom.Vec) {
	random := rand.New(rand.NewPCG(1, 2))
	const rows, columns = 26, 40
	var part scene.Part
	part.Material = scene.None
	side := math.Cbrt(float64(n))
	for range n {
		centre := geom.Vec{X: random.Float64() * side, Y: random.Float64() * side, Z: random.Float64() * side}
		radius := 0.2 + 0.3*random.Float64()
		first := uint32(len(part.Positions))
		for i := range rows {
			for j := range columns {
				up, around := math.Pi*float64(i)/(rows-1), 2*math.Pi*float64(j)/columns
				part.Positions = append(
					part.Positions,
					centre.Add(
						geom.Vec{
							X: math.Sin(up) * math.Cos(around),
							Y: math.Cos(up),
							Z: math.Sin(up) * math.Sin(around),
						}.Scale(radius),
					),
				)
			}
		}
		for i := range uint32(rows - 1) {
			for j := range uint32(columns) {
				a, b, c, d := first+i*columns+j, first+i*columns+(j+1)%columns, first+(i+1)*columns+j,
					first+(i+1)*columns+(j+1)%columns
				part.Indices = append(part.Indices, a, b, c, b, d, c)
			}
		}
	}
	s := &scene.Scene{Name: "balls", Roots: []int{0}, Meshes: []scene.Mesh{{Name: "balls", Parts: []scene.Part{part}}}}
	node := scene.NewNode("balls")
	node.Mesh = 0
	s.Nodes = append(s.Nodes, node)
	middle := geom.Vec{X: side / 2, Y: side / 2, Z: side / 2}
	return s, middle.Add(geom.Vec{X: side * 0.9, Y: side * 0.3, Z: side * 1.1}), middle
}

func run(name, reference string, seconds float64, times int, build func() (*scene.Scene, geom.Vec, geom.Vec)) error {
	s, from, to := build()
	before := held()
	began := time.Now()
	model := trace.Prepare(s)
	world := model.At(0, look.Look{Code: "dark", LightGain: 1}, nil)
	took := time.Since(began)
	triangles := world.Triangles()
	after := held()
	perTriangle := float64(after-before)/float64(
		len(triangles),
	) - float64(len(triangles[0])*24) // what Triangles made is not the renderer's
	log.Printf(
		"%s: %d triangles, made ready in %.2f s, %.0f bytes a triangle", name, len(triangles), took.Seconds(),
		perTriangle,
	)
	camera, scattered := rays(world, from, to)
	for _, kind := range []struct {
		name string
		rays []line
	}{{"of a camera", camera}, {"scattered", scattered}} {
		file := filepath.Join(os.TempDir(), "rays.bin")
		if err := write(file, triangles, kind.rays); err != nil {
			return err
		}
		var ours, theirs [2]float64
		met, theirMet := 0, 0
		for range times {
			nearest, any, n := measure(world, kind.rays, seconds)
			ours, met = [2]float64{max(ours[0], nearest), max(ours[1], any)}, n
			var a, b, bytes float64
			cmd := exec.Command("taskset", "-c", "0", reference, file, fmt.Sprint(seconds))
			cmd.Stderr = os.Stderr
			out, err := cmd.Output()
			if err != nil {
				return fmt.Errorf("%s: %w", strings.Join(cmd.Args, " "), err)
			}
			if _, err := fmt.Sscan(string(out), &a, &b, &theirMet, &bytes); err != nil {
				return err
			}
			theirs = [2]float64{max(theirs[0], a), max(theirs[1], b)}
		}
		if d := met - theirMet; d > len(kind.rays)/1000 || -d > len(kind.rays)/1000 {
			return fmt.Errorf("%d rays met a surface, and %d of the reference", met, theirMet)
		}
		for i, query := range []string{"nearest", "any"} {
			fmt.Printf(
				"| %s | %.2f M | %s | %s | %.2f | %.2f | %.2f |\n", name, float64(len(triangles))/1e6, kind.name, query,
				ours[i]/1e6, theirs[i]/1e6, ours[i]/theirs[i],
			)
		}
		os.Remove(file)
	}
	return nil
}

// held returns the bytes in use.
func held() int64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc)
}

type line struct{ origin, direction geom.Vec }

const across, high = 640, 360

// rays returns those of a camera, and one from each surface that they meet.
func rays(world *trace.World, from, to geom.Vec) (camera, scattered []line) {
	probe := world.Probe()
	ahead := to.Sub(from).Unit()
	right := ahead.Cross(geom.Vec{Y: 1}).Unit()
	up := right.Cross(ahead)
	random := rand.New(rand.NewPCG(3, 4))
	for y := range high {
		for x := range across {
			u, v := (float64(x)+0.5-across/2)/across, (high/2-float64(y)-0.5)/across
			r := rounded(line{from, ahead.Add(right.Scale(u)).Add(up.Scale(v)).Unit()})
			camera = append(camera, r)
			if distance, found := probe.Nearest(r.origin, r.direction, math.Inf(1)); found {
				d := geom.Vec{X: random.NormFloat64(), Y: random.NormFloat64(), Z: random.NormFloat64()}.Unit()
				if d.Dot(r.direction) > 0 { // back to the side that it came from, at least by half
					d = d.Scale(-1)
				}
				scattered = append(scattered, rounded(line{r.origin.Add(r.direction.Scale(distance * 0.9999)), d}))
			}
		}
	}
	return camera, scattered
}

// rounded is what the reference is given, in single precision.
func rounded(l line) line {
	single := func(v geom.Vec) geom.Vec {
		return geom.Vec{X: float64(float32(v.X)), Y: float64(float32(v.Y)), Z: float64(float32(v.Z))}
	}
	return line{single(l.origin), single(l.direction)}
}

// measure returns rays a second of both queries, of the best round, and how many rays met a surface.
func measure(world *trace.World, rays []line, seconds float64) (nearest, any float64, met int) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	probe := world.Probe()
	best := func(work func()) float64 {
		most := 0.0
		for began := time.Now(); time.Since(began).Seconds() < seconds; {
			round := time.Now()
			work()
			most = max(most, float64(len(rays))/time.Since(round).Seconds())
		}
		return most
	}
	nearest = best(func() {
		met = 0
		for i := range rays {
			if _, found := probe.Nearest(rays[i].origin, rays[i].direction, math.Inf(1)); found {
				met++
			}
		}
	})
	any = best(func() {
		for i := range rays {
			probe.Blocked(rays[i].origin, rays[i].direction, math.Inf(1))
		}
	})
	return nearest, any, met
}

func write(path string, triangles [][3]geom.Vec, rays []line) error {
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, [2]uint32{uint32(len(triangles)), uint32(len(rays))})
	var numbers []float32
	add := func(v geom.Vec) { numbers = append(numbers, float32(v.X), float32(v.Y), float32(v.Z)) }
	for _, t := range triangles {
		add(t[0])
		add(t[1])
		add(t[2])
	}
	for _, r := range rays {
		add(r.origin)
		add(r.direction)
	}
	binary.Write(&b, binary.LittleEndian, numbers)
	return os.WriteFile(path, b.Bytes(), 0o644)
}
