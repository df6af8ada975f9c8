package pixel

import (
	"fmt"
	"math"
)

// A Kernel is a resampling filter: the weight of an old pixel by its distance from the new one's centre. When
// a picture is reduced, the kernel is widened by as much.
type Kernel string

// The kernels. All are even, are 0 from Radius on, and add up to 1 over whole steps (the Gaussian nearly, for
// which weights are normalised).
const (
	BoxKernel   Kernel = "box"         // the mean of the area covered
	Triangle    Kernel = "triangle"    // linear interpolation
	Mitchell    Kernel = "mitchell"    // B = C = 1/3 (Mitchell and Netravali 1988)
	CatmullRom  Kernel = "catmull-rom" // B = 0, C = 1/2
	BSpline     Kernel = "b-spline"    // B = 1, C = 0
	GaussKernel Kernel = "gaussian"    // standard deviation 1/2, cut off at 2
	Hann        Kernel = "hann"        // sinc under a Hann window, radius 3
	Lanczos     Kernel = "lanczos"     // sinc under its own middle lobe, radius 3 (Duchon 1979)
)

// Kernels returns all kernels, from the softest kind to the sharpest.
func Kernels() []Kernel {
	return []Kernel{BoxKernel, Triangle, GaussKernel, BSpline, Mitchell, CatmullRom, Hann, Lanczos}
}

// Name returns what the kernel is called, with its source.
func (k Kernel) Name() string {
	switch k {
	case BoxKernel:
		return "box, the mean of the area"
	case Triangle:
		return "triangle"
	case Mitchell:
		return "Mitchell-Netravali, B = C = 1/3"
	case CatmullRom:
		return "Catmull-Rom, B = 0, C = 1/2"
	case BSpline:
		return "cubic B-spline, B = 1, C = 0"
	case GaussKernel:
		return "Gaussian, deviation 1/2"
	case Hann:
		return "sinc, Hann-windowed, 3 lobes"
	case Lanczos:
		return "Lanczos, 3 lobes"
	}
	return string(k)
}

// Check says whether the kernel is known.
func (k Kernel) Check() error {
	if k.Radius() == 0 {
		return fmt.Errorf("there is no resampling filter %q", k)
	}
	return nil
}

// Radius returns the distance, in pixels, from which on the weight is 0; 0 for an unknown kernel.
func (k Kernel) Radius() float64 {
	switch k {
	case BoxKernel:
		return 0.5
	case Triangle:
		return 1
	case Mitchell, CatmullRom, BSpline, GaussKernel:
		return 2
	case Hann, Lanczos:
		return 3
	}
	return 0
}

// Weight returns the weight at a distance in pixels.
func (k Kernel) Weight(x float64) float64 {
	if x = math.Abs(x); x >= k.Radius() && !(k == BoxKernel && x == 0.5) {
		return 0
	}
	switch k {
	case BoxKernel:
		if x == 0.5 {
			return 0.5
		}
		return 1
	case Triangle:
		return 1 - x
	case Mitchell:
		return cubic(x, 1.0/3, 1.0/3)
	case CatmullRom:
		return cubic(x, 0, 0.5)
	case BSpline:
		return cubic(x, 1, 0)
	case GaussKernel:
		return math.Exp(-2*x*x) * math.Sqrt(2/math.Pi)
	case Hann:
		return sinc(x) * (0.5 + 0.5*math.Cos(math.Pi*x/3))
	}
	return sinc(x) * sinc(x/3)
}

// cubic is the family of Mitchell and Netravali (1988), equation 8.
func cubic(x, b, c float64) float64 {
	if x < 1 {
		return ((12-9*b-6*c)*x*x*x + (-18+12*b+6*c)*x*x + 6 - 2*b) / 6
	}
	return ((-b-6*c)*x*x*x + (6*b+30*c)*x*x + (-12*b-48*c)*x + 8*b + 24*c) / 6
}

func sinc(x float64) float64 {
	if x == 0 {
		return 1
	}
	return math.Sin(math.Pi*x) / (math.Pi * x)
}
