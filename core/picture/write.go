package picture

import (
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"runtime"
	"slices"
	"sync"

	"reelhouse/core/imagefile"
	"reelhouse/core/imagefile/bmp"
	"reelhouse/core/imagefile/dpx"
	"reelhouse/core/imagefile/exr"
	"reelhouse/core/imagefile/hdr"
	"reelhouse/core/imagefile/jpeg"
	"reelhouse/core/imagefile/png"
	"reelhouse/core/imagefile/tga"
	"reelhouse/core/imagefile/tiff"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/pixel"
)

var le = binary.LittleEndian

var exrCompressions = map[output.Compression]exr.Compression{
	output.None: exr.None, output.RLE: exr.RLE, output.PIZ: exr.PIZ, output.ZIPS: exr.ZIPS, output.ZIP: exr.ZIP, output.PXR24: exr.PXR24,
	output.B44: exr.B44, output.B44A: exr.B44A, output.DWAA: exr.DWAA, output.DWAB: exr.DWAB,
}

var tiffCompressions = map[output.Compression]tiff.Compression{output.None: tiff.None, output.LZW: tiff.LZW, output.Deflate: tiff.Deflate}

// write writes the part as the encoding says.
func write(out io.Writer, e output.Encoding, p imagefile.Part) error {
	var w imagefile.Writer
	var err error
	switch e.Format {
	case output.EXR:
		part := exr.Part{Header: p.Header, Compression: exrCompressions[e.Compression], Level: e.Level}
		if e.Compression == output.DWAA || e.Compression == output.DWAB {
			part.Level, part.Loss = 0, float32(e.Level)
		}
		return exr.Encode(out, exr.Picture{Part: part, Planes: p.Planes})
	case output.PNG:
		w, err = png.NewWriter(out, p.Header, png.Options{Effort: e.Level})
	case output.JPEG:
		w, err = jpeg.NewWriter(out, p.Header, jpeg.Options{Quality: e.Level, Full: e.Compression == output.DCTFull})
	case output.TIFF:
		w, err = tiff.NewWriter(out, p.Header, tiff.Options{Compression: tiffCompressions[e.Compression], Level: e.Level})
	case output.TGA:
		w, err = tga.NewWriter(out, p.Header, tga.Options{Runs: e.Compression == output.RLE})
	case output.DPX:
		w, err = dpx.NewWriter(out, p.Header)
	case output.HDR:
		w, err = hdr.NewWriter(out, p.Header)
	case output.BMP:
		w, err = bmp.NewWriter(out, p.Header)
	default:
		return fmt.Errorf("there is no file format %q", e.Format)
	}
	if err != nil {
		return err
	}
	return imagefile.WriteAll(w, p)
}

// store turns planes of light into samples as the encoding has them.
func store(e output.Encoding, img *pixel.Image, passes []pass.Code) (imagefile.Part, error) {
	var planes []pixel.Plane
	var halves []bool
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			return imagefile.Part{}, err
		}
		for _, name := range e.Channels(described) {
			planes = append(planes, *img.Plane(name))
			halves = append(halves, e.Half(described))
		}
	}
	p := imagefile.Part{Header: imagefile.Plain(img.Width, img.Height, imagefile.Float), Planes: make([][]byte, len(planes))}
	for i, plane := range planes {
		c := imagefile.Channel{Name: plane.Name, Type: imagefile.Float}
		switch {
		case e.Depth == output.Eight:
			c.Type = imagefile.Uint8
		case !e.Floating():
			c.Type = imagefile.Uint16
		case halves[i]:
			c.Type = imagefile.Half
		}
		p.Channels = append(p.Channels, c)
		p.Planes[i] = make([]byte, c.Type.Size()*len(plane.Data))
	}
	if p.Channel("A") >= 0 {
		p.Alpha = imagefile.Premultiplied
		if e.Alpha == output.Straight {
			p.Alpha = imagefile.Straight
		}
	}
	if e.Floating() {
		storeLight(p, img, planes)
		return p, nil
	}
	p.Curve = e.Curve
	storeCodes(p, e, planes)
	return p, nil
}

// storeLight stores floats.
func storeLight(p imagefile.Part, img *pixel.Image, planes []pixel.Plane) {
	if p.Alpha == imagefile.Straight {
		img = img.Clone()
		img.Straighten()
	}
	for i, plane := range planes {
		data, to := img.Plane(plane.Name).Data, p.Planes[i]
		half := p.Channels[i].Type == imagefile.Half
		eachBand(len(data), func(from, behind int) {
			for at := from; at < behind; at++ {
				if half {
					le.PutUint16(to[2*at:], pixel.ToHalf(data[at]))
				} else {
					le.PutUint32(to[4*at:], math.Float32bits(data[at]))
				}
			}
		})
	}
}

// storeCodes stores colour that is encoded for a display. Straight colour is encoded as if nothing shone through;
// premultiplied codes are these times alpha, so that readers get them back by dividing; without alpha colour stands over
// black as it is.
func storeCodes(p imagefile.Part, e output.Encoding, planes []pixel.Plane) {
	code := pixel.NewEncoder(e.Depth.Bits(), e.Curve, e.Dither)
	largest := float32(int(1)<<e.Depth.Bits() - 1)
	alpha := p.Channel("A")
	eachBand(p.Width()*p.Height(), func(from, behind int) {
		for i := from; i < behind; i++ {
			x, y := i%p.Width(), i/p.Width()
			a := float32(1)
			if alpha >= 0 {
				a = planes[alpha].Data[i]
			}
			for k := range planes {
				v := planes[k].Data[i]
				var c uint16
				switch {
				case k == alpha:
					c = code.Whole(a, x, y)
				case alpha < 0:
					c = code.Code(v, x, y)
				case !(a > 0):
				case p.Alpha == imagefile.Straight:
					c = code.Code(v/a, x, y)
				default:
					c = uint16(float32(code.Code(v/a, x, y))*min(1, a) + 0.5)
					c = min(c, uint16(largest))
				}
				switch e.Depth {
				case output.Eight:
					p.Planes[k][i] = byte(c)
				case output.Ten:
					le.PutUint16(p.Planes[k][2*i:], c<<6|c>>4)
				default:
					le.PutUint16(p.Planes[k][2*i:], c)
				}
			}
		}
	})
}

// eachBand splits n values among the cores.
func eachBand(n int, work func(from, behind int)) {
	bands := min(runtime.GOMAXPROCS(0), 1+n/4096)
	var wg sync.WaitGroup
	for i := range bands {
		wg.Go(func() { work(i*n/bands, (i+1)*n/bands) })
	}
	wg.Wait()
}

// compressionOf returns the output's name of what an OpenEXR file is packed by.
func compressionOf(c exr.Compression) output.Compression {
	for ours, theirs := range exrCompressions {
		if theirs == c {
			return ours
		}
	}
	return output.None
}

// hasHalf reports whether any channel is stored in halves.
func hasHalf(h imagefile.Header) bool {
	return slices.ContainsFunc(h.Channels, func(c imagefile.Channel) bool { return c.Type == imagefile.Half })
}
