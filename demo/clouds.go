package demo

import (
	"bytes"
	"math"

	"reelhouse/core/geom"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
)

// CloudsName is what the file of the demo's overcast sky is called, and CloudsCode its code.
const (
	CloudsName = "clouds.exr"
	CloudsCode = "clouds"
)

// Clouds returns an OpenEXR file of an overcast sky: an equirectangular map whose brightness rises from the horizon to
// three times as much overhead, as the CIE Standard Overcast Sky does (ISO 15469), under clouds that are a little
// brighter and darker by place. Below the horizon it fades into dull water.
func Clouds() ([]byte, error) {
	const width, height = 512, 256
	img := pixel.New(width, height, "R", "G", "B", "A")
	for y := range height {
		for x := range width {
			heading, up := 2*math.Pi*((float64(x)+0.5)/width-0.5), math.Pi*(0.5-(float64(y)+0.5)/height)
			light := sky(v(math.Sin(heading)*math.Cos(up), math.Sin(up), -math.Cos(heading)*math.Cos(up)))
			for c, value := range [4]float64{light.X, light.Y, light.Z, 1} {
				img.Planes[c].Data[y*width+x] = float32(value)
			}
		}
	}
	var b bytes.Buffer
	err := picture.Encode(&b, output.EXR.Usual(), img, []pass.Code{pass.Beauty}, picture.Header{})
	return b.Bytes(), err
}

// sky returns the light from a unit direction.
func sky(d geom.Vec) geom.Vec {
	const overhead = 1.35
	if d.Y < 0 { // haze, and then water
		return v(0.93, 0.98, 1.05).Scale(overhead/3).Lerp(v(0.16, 0.16, 0.15), 1-math.Pow(1+d.Y, 6))
	}
	level := overhead * (1 + 2*d.Y) / 3 // CIE Standard Overcast Sky
	// Clouds hang on a plane above, and close up towards the horizon.
	far := 1 / (d.Y + 0.25)
	bright := 1 + 0.5*(cloud(d.X*far*1.6, d.Z*far*1.6)-0.5)*min(1, 4*d.Y+0.35)
	return v(0.93, 0.98, 1.05).Scale(level * bright)
}

// cloud is noise from 0 to 1 in five octaves.
func cloud(x, y float64) float64 {
	sum, weight := 0.0, 0.5
	for range 5 {
		sum += weight * noise(x, y)
		x, y, weight = 2.03*x+17.1, 2.03*y-9.7, weight/2
	}
	return sum / (1 - 1.0/32)
}

// noise is values hashed from whole places, mixed smoothly between them.
func noise(x, y float64) float64 {
	left, top := math.Floor(x), math.Floor(y)
	ease := func(t float64) float64 { return t * t * (3 - 2*t) }
	fx, fy := ease(x-left), ease(y-top)
	at := func(i, j float64) float64 {
		h := uint32(int32(left+i))*0x9e3779b1 ^ uint32(int32(top+j))*0x85ebca77
		h = (h ^ h>>15) * 0x2c1b3c6d
		h = (h ^ h>>12) * 0x297a2d39
		return float64((h^h>>15)>>8) / (1 << 24)
	}
	return (at(0, 0)*(1-fx)+at(1, 0)*fx)*(1-fy) + (at(0, 1)*(1-fx)+at(1, 1)*fx)*fy
}
