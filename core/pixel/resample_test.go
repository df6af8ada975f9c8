package pixel

import (
	"math"
	"testing"
)

// Values of the cubic family by the formula of Mitchell and Netravali (1988) at 0 and 1, and of the windowed
// sincs, which are 1 in the middle and 0 at every whole pixel.
func TestKernelsHaveTheirWorkedValues(t *testing.T) {
	for _, c := range []struct {
		k    Kernel
		x    float64
		want float64
	}{
		{Mitchell, 0, 16.0 / 18}, {Mitchell, 1, 1.0 / 18}, {CatmullRom, 0, 1}, {CatmullRom, 1, 0},
		{CatmullRom, 0.5, 0.5625}, {CatmullRom, 1.5, -0.0625},
		{BSpline, 0, 4.0 / 6}, {BSpline, 1, 1.0 / 6}, {Triangle, 0.25, 0.75}, {BoxKernel, 0.4, 1}, {BoxKernel, 0.6, 0},
		{Lanczos, 0, 1}, {Lanczos, 1, 0}, {Lanczos, 2, 0}, {Hann, 0, 1}, {Hann, 2, 0},
		{GaussKernel, 0, math.Sqrt(2 / math.Pi)},
	} {
		if got := c.k.Weight(c.x); math.Abs(got-c.want) > 1e-12 {
			t.Errorf("%s at %v is %v, want %v", c.k, c.x, got, c.want)
		}
	}
	for _, k := range Kernels() {
		if err := k.Check(); err != nil || k.Name() == "" {
			t.Errorf("%s: %v", k, err)
		}
		for x := 0.0; x < 4; x += 0.03 {
			if k.Weight(x) != k.Weight(-x) || x > k.Radius() && k.Weight(x) != 0 {
				t.Errorf("%s at %v is not even, or reaches too far", k, x)
			}
		}
		sum := 0.0
		for n := -4; n <= 4; n++ {
			sum += k.Weight(float64(n) + 0.3)
		}
		if math.Abs(sum-1) > 0.02 {
			t.Errorf("%s adds up to %v", k, sum)
		}
	}
	if Kernel("x").Check() == nil {
		t.Error("an unknown kernel passed")
	}
}

func TestResizingKeepsEvennessAndTheMean(t *testing.T) {
	even, busy := New(37, 23, "R"), New(37, 23, "R")
	for i := range even.Planes[0].Data {
		even.Planes[0].Data[i] = 0.75
		x, y := float64(i%37), float64(i/37)
		busy.Planes[0].Data[i] = float32(1 + 0.5*math.Sin(x/5)*math.Cos(y/4))
	}
	for _, k := range Kernels() {
		for _, size := range [][2]int{{10, 7}, {1, 1}, {36, 22}, {74, 60}, {5, 60}} {
			for _, v := range even.Resize(size[0], size[1], k, nil).Planes[0].Data {
				if math.Abs(float64(v)-0.75) > 1e-6 {
					t.Fatalf("%s to %v: an even picture has %v", k, size, v)
				}
			}
			if got, want := busy.Resize(size[0], size[1], k, nil).Planes[0].Stats().Mean,
				busy.Planes[0].Stats().Mean; math.Abs(
				got-want,
			) > 0.02 {
				t.Errorf("%s to %v: the mean went from %v to %v", k, size, want, got)
			}
		}
	}
	if even.Resize(37, 23, Mitchell, nil) != even {
		t.Error("what stays as it is was copied")
	}
}

func TestBoxIsTheMeanOfTheExactArea(t *testing.T) {
	img := New(7, 5, "R")
	for i := range img.Planes[0].Data {
		img.Planes[0].Data[i] = float32(i * i % 13)
	}
	for _, size := range [][2]int{{3, 2}, {1, 1}, {7, 1}, {6, 5}} {
		if got := img.Resize(size[0], size[1], BoxKernel, nil); math.Abs(
			got.Planes[0].Stats().Mean-img.Planes[0].Stats().Mean,
		) > 1e-6 {
			t.Errorf("%v: mean %v of %v", size, got.Planes[0].Stats().Mean, img.Planes[0].Stats().Mean)
		}
	}
	half := New(4, 2, "R")
	copy(half.Planes[0].Data, []float32{1, 3, 0, 0, 5, 7, 0, 8})
	if got := half.Resize(2, 1, BoxKernel, nil).Planes[0].Data; got[0] != 4 || got[1] != 2 {
		t.Errorf("means are %v, want 4 and 2", got)
	}
}

// Averaged depth would be a distance at which nothing stands.
func TestDataTakesTheNearestPixel(t *testing.T) {
	img := New(6, 6, "R", "depth.Z")
	for i := range img.Planes[1].Data {
		img.Planes[1].Data[i] = float32(i % 6 / 3 * 1000)
	}
	small := img.Resize(3, 3, Lanczos, func(plane string) bool { return plane == "R" })
	for i, v := range small.Plane("depth.Z").Data {
		if v != 0 && v != 1000 {
			t.Errorf("pixel %d is %v m, where nothing stands", i, v)
		}
	}
	if got := small.Plane("depth.Z").Data; got[0] != 0 || got[2] != 1000 {
		t.Errorf("got %v", got)
	}
}

func TestInterpolatingKernelsMeetThePixels(t *testing.T) {
	img := New(5, 1, "R")
	copy(img.Planes[0].Data, []float32{0, 1, 4, 9, 16})
	for _, k := range []Kernel{Triangle, CatmullRom, Lanczos, Hann} {
		three := img.Resize(15, 1, k, nil).Planes[0].Data // every third new centre is an old one
		for i := 1; i < 4; i++ {
			if got := three[3*i+1]; math.Abs(float64(got-img.Planes[0].Data[i])) > 1e-5 {
				t.Errorf("%s: pixel %d is %v, want %v", k, i, got, img.Planes[0].Data[i])
			}
		}
	}
}

func BenchmarkResize(b *testing.B) {
	img := New(2048, 858, "R", "G", "B", "A")
	for _, k := range []Kernel{BoxKernel, Mitchell, Lanczos} {
		b.Run(string(k), func(b *testing.B) {
			b.SetBytes(int64(4 * 4 * 2048 * 858))
			b.ReportAllocs()
			for b.Loop() {
				img.Resize(1024, 429, k, nil)
			}
		})
	}
}
