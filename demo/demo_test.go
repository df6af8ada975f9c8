package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"reelhouse/core/geom"
	"reelhouse/core/lens"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/scene"
	"reelhouse/core/trace"
)

func file(t testing.TB) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Scene().Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// The Khronos Group's glTF 2.0 validator finds no error in the scene file.
func TestTheValidatorFindsNoError(t *testing.T) {
	check, err := filepath.Abs("../scripts/gltf/validate.js")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(filepath.Join(filepath.Dir(check), "node_modules")); err != nil {
		t.Fatal("the glTF validator is not installed; `make test` installs it")
	}
	path := filepath.Join(t.TempDir(), "scene.glb")
	if err := os.WriteFile(path, file(t), 0o644); err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("node", check, path).CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	var issues struct{ NumErrors, NumWarnings int }
	if err := json.Unmarshal(out, &issues); err != nil || issues.NumErrors > 0 {
		t.Errorf("%v\n%s", err, out)
	}
}

func TestTheSceneIsTheSameEveryTime(t *testing.T) {
	if !bytes.Equal(file(t), file(t)) {
		t.Error("two makings differ")
	}
}

func TestTheProductionIsReadyToSend(t *testing.T) {
	s, err := scene.Read(bytes.NewReader(file(t)))
	if err != nil {
		t.Fatal(err)
	}
	p := Production(
		production.SceneFile{Name: SceneName, SHA256: "00"}, production.EnvironmentFile{Name: CloudsName, SHA256: "00"},
	)
	b, err := plan.Build(p, plan.Measure{})
	if err != nil {
		t.Fatal(err)
	}
	views, sizes := map[string]bool{}, map[string]bool{}
	for _, q := range b.Sequences {
		views[q.View], sizes[q.SizeCode] = true, true
		if s.FindCamera(q.Camera) == scene.None {
			t.Errorf("%s has no camera %s", q.Title(), q.Camera)
		}
	}
	if total := b.Totals(); total.Frames < 140 || total.Frames > 160 || len(views) < 3 || len(sizes) < 2 {
		t.Errorf("%d frames of %d views in %d sizes", total.Frames, len(views), len(sizes))
	}
	for _, l := range p.Looks {
		if lights, objects := l.Unmatched(s); len(lights)+len(objects) > 0 {
			t.Errorf("look %s puts out lights, or hides objects, that there are not: %v, %v", l.Code, lights, objects)
		}
	}
	if len(s.Notes) > 0 {
		t.Errorf("the scene's own reader notes %v", s.Notes)
	}
}

// nearest returns the depth of the nearest triangle along a ray, by plain arithmetic over every triangle of
// the scene: no tree, no instance, nothing of the renderer's.
func nearest(s *scene.Scene, pose scene.Pose, origin, direction, forward geom.Vec) float64 {
	best := math.Inf(1)
	for _, i := range pose.Shown {
		if s.Nodes[i].Mesh == scene.None {
			continue
		}
		for _, part := range s.Meshes[s.Nodes[i].Mesh].Parts {
			for j := 0; j+2 < len(part.Indices); j += 3 {
				var p [3]geom.Vec
				for k := range p {
					p[k] = pose.World[i].Point(part.Positions[part.Indices[j+k]]).Sub(origin)
				}
				normal := p[1].Sub(p[0]).Cross(p[2].Sub(p[0]))
				t := p[0].Dot(normal) / direction.Dot(normal)
				if !(t > 0) || t >= best {
					continue
				}
				at := direction.Scale(t)
				inside := true
				for k := range p {
					inside = inside && p[(k+1)%3].Sub(p[k]).Cross(at.Sub(p[k])).Dot(normal) >= 0
				}
				if inside {
					best = t
				}
			}
		}
	}
	return best * direction.Dot(forward)
}

func TestDepthAgreesWithTheSceneByHand(t *testing.T) {
	s, err := scene.Read(bytes.NewReader(file(t)))
	if err != nil {
		t.Fatal(err)
	}
	const seconds, background = 1.5, 1000.0
	size := raster.Size{Width: 96, Height: 54}
	img, err := trace.Prepare(s).At(seconds, Looks()[0], nil).Render(context.Background(), "cam_quay",
		trace.Settings{
			Size:            size,
			Passes:          []pass.Code{pass.Depth},
			Samples:         1,
			Filter:          pixel.Box,
			DepthBackground: background,
		}, func(float64) {})
	if err != nil {
		t.Fatal(err)
	}
	pose := s.At(seconds)
	camera := s.FindCamera("cam_quay")
	optics := s.Cameras[s.Nodes[camera].Camera]
	eye := pose.World[camera]
	forward := eye.Z.Unit().Scale(-1)
	p := lens.Project(eye, lens.AnglesOf(optics.Up, optics.Aspect).Window(raster.Fit{}, size, 1), size)
	surfaces := 0
	for _, at := range [][2]int{{10, 40}, {25, 30}, {33, 27}, {47, 25}, {47, 45}, {60, 50}, {70, 53}, {80, 28},
		{90, 40}, {48, 5}} {
		origin, direction := p.Ray(float64(at[0])+0.5, float64(at[1])+0.5)
		want := nearest(s, pose, origin, direction, forward)
		if math.IsInf(want, 1) {
			want = background
		} else {
			surfaces++
		}
		if got := float64(img.Planes[0].Data[at[1]*size.Width+at[0]]); math.Abs(got-want) > 0.001*want {
			t.Errorf("pixel %v: %v m, by hand %v m", at, got, want)
		}
	}
	if surfaces < 6 {
		t.Errorf("only %d of the pixels show a surface", surfaces)
	}
}

func BenchmarkDraftFrame(b *testing.B) {
	s, err := scene.Read(bytes.NewReader(file(b)))
	if err != nil {
		b.Fatal(err)
	}
	m := trace.Prepare(s)
	size := raster.Size{Width: 512, Height: 215}
	n := 0
	for b.Loop() {
		if _, err := m.At(1, Looks()[0], nil).Render(context.Background(), "cam_quay",
			trace.Settings{Size: size, Passes: []pass.Code{pass.Beauty}, Samples: 2, Filter: pixel.Box},
			func(float64) {}); err != nil {
			b.Fatal(err)
		}
		n += size.Pixels() * 4
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "camera-rays/s")
}

func BenchmarkPrepare(b *testing.B) {
	s, err := scene.Read(bytes.NewReader(file(b)))
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		trace.Prepare(s)
	}
	b.ReportMetric(float64(s.Triangles())*float64(b.N)/b.Elapsed().Seconds(), "triangles/s")
}

// BenchmarkPass renders one pass of a draft frame after the other, each by itself.
func BenchmarkPass(b *testing.B) {
	s, err := scene.Read(bytes.NewReader(file(b)))
	if err != nil {
		b.Fatal(err)
	}
	w := trace.Prepare(s).At(1, Looks()[0], nil)
	for _, p := range pass.Catalogue() {
		b.Run(string(p.Code), func(b *testing.B) {
			size := raster.Size{Width: 512, Height: 215}
			for b.Loop() {
				if _, err := w.Render(context.Background(), "cam_quay",
					trace.Settings{Size: size, Passes: []pass.Code{p.Code}, Samples: 2, Filter: pixel.Box,
						DepthBackground: 1000}, func(float64) {}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
