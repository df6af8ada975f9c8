// Command files measures OpenEXR files against the OpenEXR library, in one run on one machine: see docs/performance.md.
//
// It renders a frame of the demo scene, 2048 x 1080 pixels with four channels of halves, and one with all its passes in
// twelve channels; writes and reads them in memory in every compression, on one core and on two; lets the C++ program
// in ../openexr do the same work in turn; and prints a table. Each figure is that of the best round: what else runs on
// the machine can only make one slower.
package main

import (
	"bufio"
	"bytes"
	"context"
	"flag"
	"fmt"
	"io"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/trace"
	"reelhouse/demo"
)

func main() {
	reference := flag.String("reference", "bench/openexr/reference", "the C++ program")
	folder := flag.String("frames", os.TempDir(), "where the rendered frames are kept")
	seconds := flag.Float64("seconds", 0.3, "how long each figure is measured, each time")
	only := flag.String("only", "", "one compression")
	times := flag.Int("times", 5, "how often the two programs take turns")
	flag.Parse()
	if err := run(*reference, *folder, *only, *seconds, *times); err != nil {
		log.Fatal(err)
	}
}

func run(reference, folder, only string, seconds float64, times int) error {
	frames, err := frames(folder)
	if err != nil {
		return err
	}
	for _, frame := range frames {
		p, err := load(frame)
		if err != nil {
			return err
		}
		fmt.Printf("\n%d channels, %.1f MB of pixels\n\n", len(p.Channels), float64(p.Bytes())/1e6)
		fmt.Println(
			"| compression | size, of the reference's | cores | write, MB/s | reference | ratio | read, MB/s | " +
				"reference | ratio |",
		)
		fmt.Println("|---|---|---|---|---|---|---|---|---|")
		for _, c := range exr.Compressions() {
			if only != "" && c.String() != only {
				continue
			}
			for cores := 1; cores <= min(2, runtime.NumCPU()); cores++ {
				var ours, theirs [2][]float64
				var size, theirSize int
				for range times {
					for i, direction := range []string{"write", "read"} {
						n, took, err := measure(p, c, direction, cores, seconds)
						if err != nil {
							return err
						}
						size, ours[i] = n, append(ours[i], took...)
						n, took, err = measureReference(reference, frame, c, direction, cores, seconds)
						if err != nil {
							return err
						}
						theirSize, theirs[i] = n, append(theirs[i], took...)
					}
				}
				row := fmt.Sprintf("| %s | %.3f | %d |", c, float64(size)/float64(theirSize), cores)
				for i := range 2 {
					a, b := float64(p.Bytes())/1e6/slices.Min(ours[i]), float64(p.Bytes())/1e6/slices.Min(theirs[i])
					row += fmt.Sprintf(" %.0f | %.0f | %.2f |", a, b, a/b)
				}
				fmt.Println(row)
			}
		}
	}
	return nil
}

// measure returns the size of the file, and the seconds of each round.
func measure(
	p exr.Picture, c exr.Compression, direction string, cores int, seconds float64,
) (size int, took []float64, err error) {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
	p.Compression = c
	var file bytes.Buffer
	write := func() error {
		file.Reset()
		return exr.Encode(&file, p)
	}
	read := func() error {
		r, err := exr.NewReader(bytes.NewReader(file.Bytes()), int64(file.Len()), 1<<32)
		if err != nil {
			return err
		}
		return r.ReadLines(0, 0, p.Height(), p.Planes)
	}
	work := write
	if err := write(); err != nil {
		return 0, nil, err
	}
	if direction == "read" {
		work = read
		p.Planes = p.Header.Planes(p.Height()) // lossy files would spoil the frame
	}
	runtime.GC()
	for began := time.Now(); time.Since(began).Seconds() < seconds; {
		round := time.Now()
		if err := work(); err != nil {
			return 0, nil, err
		}
		took = append(took, time.Since(round).Seconds())
	}
	return file.Len(), took, nil
}

func measureReference(
	program, frame string, c exr.Compression, direction string, cores int, seconds float64,
) (size int, took []float64, err error) {
	cmd := exec.Command(program, frame, c.String(), direction, strconv.Itoa(cores), fmt.Sprint(seconds))
	if cores == 1 {
		cmd = exec.Command("taskset", append([]string{"-c", "0"}, cmd.Args...)...)
	}
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return 0, nil, fmt.Errorf("%s: %w", strings.Join(cmd.Args, " "), err)
	}
	lines := bufio.NewScanner(bytes.NewReader(out))
	for lines.Scan() {
		if size == 0 {
			if size, err = strconv.Atoi(lines.Text()); err != nil {
				return 0, nil, err
			}
			continue
		}
		v, err := strconv.ParseFloat(lines.Text(), 64)
		if err != nil {
			return 0, nil, err
		}
		took = append(took, v)
	}
	return size, took, nil
}

// frames returns the paths of the two frames, which are rendered if they are not there.
func frames(folder string) ([]string, error) {
	paths := []string{filepath.Join(folder, "bench-beauty.exr"), filepath.Join(folder, "bench-passes.exr")}
	if _, err := os.Stat(paths[1]); err == nil {
		return paths, nil
	}
	var file bytes.Buffer
	if err := demo.Scene().Write(&file); err != nil {
		return nil, err
	}
	s, err := scene.Read(&file)
	if err != nil {
		return nil, err
	}
	size := raster.Size{Width: 2048, Height: 1080}
	passes := []pass.Code{pass.Beauty, pass.Depth, pass.Normal, pass.Object}
	log.Print("rendering a frame; it is kept for the next time")
	img, err := trace.Prepare(s).
		At(1, demo.Looks()[0], nil).
		Render(context.Background(), "cam_lighthouse",
			trace.Settings{Size: size, Passes: passes, Samples: 2, Filter: pixel.Gaussian, DepthBackground: 1000},
			func(float64) {})
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	for i, path := range paths {
		var b bytes.Buffer
		if err := picture.Encode(&b, output.EXR.Usual(), img, passes[:1+3*i], picture.Header{}); err != nil {
			return nil, err
		}
		data := b.Bytes()
		if i == 1 {
			if data, err = twelfth(data); err != nil {
				return nil, err
			}
		}
		if err := os.WriteFile(path, data, 0o644); err != nil {
			return nil, err
		}
	}
	return paths, nil
}

// twelfth adds a channel of halves to the eleven of all passes: light without colour.
func twelfth(data []byte) ([]byte, error) {
	parts, err := exr.ReadAll(data, 1<<32)
	if err != nil {
		return nil, err
	}
	p := parts[0]
	green := p.Channel("G")
	p.Channels = append(p.Channels, imagefile.Channel{Name: "light.Y", Type: imagefile.Half})
	var b bytes.Buffer
	err = exr.Encode(
		&b,
		exr.Picture{Part: exr.Part{Header: p.Header, Compression: exr.ZIP}, Planes: append(p.Planes, p.Planes[green])},
	)
	return b.Bytes(), err
}

func load(path string) (exr.Picture, error) {
	file, err := os.Open(path)
	if err != nil {
		return exr.Picture{}, err
	}
	defer file.Close()
	data, err := io.ReadAll(file)
	if err != nil {
		return exr.Picture{}, err
	}
	parts, err := exr.ReadAll(data, 1<<32)
	if err != nil {
		return exr.Picture{}, err
	}
	return exr.Picture{Part: exr.Part{Header: parts[0].Header}, Planes: parts[0].Planes}, nil
}
