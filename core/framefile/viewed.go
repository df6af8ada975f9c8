package framefile

import (
	"fmt"
	"io"
	"strings"
	"sync"

	"reelhouse/core/job"
	"reelhouse/core/lut"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

// Tables returns a function that reads look-up tables by their paths, each once. It may be used by many goroutines at
// once.
func Tables(open func(path string) (io.ReadCloser, error)) func(path string) (*lut.Transform, error) {
	var mutex sync.Mutex
	read := map[string]*lut.Transform{}
	return func(path string) (*lut.Transform, error) {
		mutex.Lock()
		defer mutex.Unlock()
		if t := read[path]; t != nil {
			return t, nil
		}
		file, err := open(path)
		if err != nil {
			return nil, err
		}
		defer file.Close()
		data, err := io.ReadAll(io.LimitReader(file, lut.MostBytes+1))
		if err != nil {
			return nil, err
		}
		t, err := lut.Parse(data)
		if err == nil {
			read[path] = t
		}
		return t, err
	}
}

// view sends the light of passes through the viewing transform of a file. What comes out is light again, which its
// curve encodes as the codes that the transform gives. Where coverage is stored, colour goes through as if nothing
// shone through; otherwise it stands over black as it is.
func view(img *pixel.Image, out job.File, o Outside) (*pixel.Image, error) {
	shown, err := shower(out.Encoding, o)
	if err != nil {
		return nil, err
	}
	img = img.Clone()
	for _, code := range out.Passes {
		described, err := pass.Find(code)
		if err != nil {
			return nil, err
		}
		if described.Data {
			continue
		}
		var rgb [3][]float32
		var alpha []float32
		for _, name := range described.ChannelNames() {
			plane := img.Plane(name)
			switch letter := name[strings.LastIndexByte(name, '.')+1:]; {
			case plane == nil:
			case letter == "A" && out.Encoding.Alpha != output.NoAlpha:
				alpha = plane.Data
			case len(letter) == 1 && strings.Contains("RGB", letter):
				rgb[strings.Index("RGB", letter)] = plane.Data
			}
		}
		if rgb[0] != nil && rgb[1] != nil && rgb[2] != nil {
			viewPlanes(rgb, alpha, shown)
		}
	}
	return img, nil
}

func viewPlanes(rgb [3][]float32, alpha []float32, shown func(r, g, b float64) (x, y, z float64)) {
	pixel.Bands(len(rgb[0]), func(from, behind int) {
		for i := from; i < behind; i++ {
			a := 1.0
			if alpha != nil {
				if a = float64(alpha[i]); !(a > 0) {
					continue
				}
			}
			x, y, z := shown(float64(rgb[0][i])/a, float64(rgb[1][i])/a, float64(rgb[2][i])/a)
			rgb[0][i], rgb[1][i], rgb[2][i] = float32(x*a), float32(y*a), float32(z*a)
		}
	})
}

// shower returns what makes light of light by a file's viewing transform.
func shower(e output.Encoding, o Outside) (func(r, g, b float64) (x, y, z float64), error) {
	if e.LUT.SHA256 == "" {
		return e.Viewing.Light, nil
	}
	if o.Table == nil {
		return nil, fmt.Errorf("look-up tables cannot be read here")
	}
	table, err := o.Table(e.LUT.Path)
	if err != nil {
		return nil, fmt.Errorf("look-up table: %w", err)
	}
	s, err := lut.NewShower(table, e.LUT.Input)
	if err != nil {
		return nil, fmt.Errorf("look-up table: %w", err)
	}
	return func(r, g, b float64) (x, y, z float64) {
		x, y, z = s.Codes(r, g, b)
		return e.Curve.Decode(x), e.Curve.Decode(y), e.Curve.Decode(z)
	}, nil
}
