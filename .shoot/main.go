package main

import (
	"bytes"
	"context"
	"flag"
	"fmt"
	"os"
	"runtime/pprof"
	"strings"
	"time"

	"reelhouse/core/camera"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/raster"
	"reelhouse/core/sampling"
	"reelhouse/core/trace"
	"reelhouse/demo"
)

func main() {
	cam := flag.String("cam", "cam_quay", "")
	lk := flag.Int("look", 0, "")
	w := flag.Int("w", 1024, "")
	h := flag.Int("h", 429, "")
	n := flag.Int("n", 4, "")
	sec := flag.Float64("t", 1, "")
	noise := flag.Float64("noise", 0, "")
	clamp := flag.Float64("clamp", 0, "")
	passes := flag.String("passes", "beauty", "")
	out := flag.String("o", "/tmp/out.png", "")
	prof := flag.String("prof", "", "")
	splat := flag.Bool("splat", false, "")
	around := flag.Bool("around", false, "")
	blur := flag.Float64("blur", 0, "")
	filter := flag.String("filter", "gaussian", "")
	flag.Parse()
	s := demo.Scene()
	m := trace.Prepare(s)
	var codes []pass.Code
	for _, c := range strings.Split(*passes, ",") {
		codes = append(codes, pass.Code(c))
	}
	l := demo.Looks()[*lk]
	wd := m.During(*sec, *blur, l, nil)
	if *prof != "" {
		f, _ := os.Create(*prof)
		pprof.StartCPUProfile(f)
		defer pprof.StopCPUProfile()
	}
	t := time.Now()
	img, st, err := wd.RenderWatched(context.Background(), *cam, trace.Settings{Size: raster.Size{Width: *w, Height: *h}, Passes: codes, Samples: *n, Filter: pixel.Filter(*filter), DepthBackground: 1000,
		Setup: camera.Setup{AllAround: *around, Blur: *blur > 0}, Effort: sampling.Effort{Noise: *noise, Clamp: *clamp, Splat: *splat}}, func(trace.Progress) {})
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	d := time.Since(t)
	fmt.Printf("%v, %.2f Mrays/s, %d rays, %.1f samples a pixel\n", d, float64(st.Rays)/d.Seconds()/1e6, st.Rays, float64(st.Samples)/float64(st.Pixels))
	for i, c := range codes {
		o, _ := picture.Select(img, []pass.Code{c})
		p, _ := pass.Find(c)
		enc := output.PNG.Usual()
		enc.Depth = output.Eight
		if p.Data {
			continue
		}
		if len(o.Planes) == 3 || true {
			if len(o.Planes) == 4 {
				o.Planes[3].Name = "A"
			}
			for k := range o.Planes[:3] {
				o.Planes[k].Name = []string{"R", "G", "B"}[k]
			}
		}
		if len(o.Planes) == 3 {
			a := pixel.Plane{Name: "A", Data: make([]float32, o.Width*o.Height)}
			for i := range a.Data {
				a.Data[i] = 1
			}
			o.Planes = append(o.Planes, a)
		}
		var b bytes.Buffer
		enc.Alpha = output.NoAlpha
		if err := picture.Encode(&b, enc, o, []pass.Code{pass.Beauty}, picture.Header{}); err != nil {
			fmt.Println(err)
		}
		name := *out
		if i > 0 {
			name = strings.Replace(*out, ".png", "-"+string(c)+".png", 1)
		}
		os.WriteFile(name, b.Bytes(), 0o644)
	}
}
