package imagefile

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/png"
	"io"
	"math"
	"strings"

	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
)

// Names from the PNG specification (W3C, third edition), section 11.
const (
	pngSignature = "\x89PNG\r\n\x1a\n"
	pngHeaderEnd = len(pngSignature) + 12 + 13 // behind the chunk IHDR
	gammaUnit    = 100000
)

var pngLevels = map[int]png.CompressionLevel{1: png.BestSpeed, 2: png.DefaultCompression, 3: png.BestCompression}

// encodePNG writes whole numbers with straight alpha, what encode they carry (gAMA, sRGB), the pixel aspect
// (pHYs) and the facts (iTXt).
func encodePNG(w io.Writer, e output.Encoding, img *pixel.Image, h Header) error {
	var b bytes.Buffer
	encoder := png.Encoder{CompressionLevel: pngLevels[e.Level]}
	var err error
	if e.Depth == output.Sixteen {
		err = encoder.Encode(&b, display16(img, e))
	} else {
		err = encoder.Encode(&b, display8(img, e))
	}
	if err != nil {
		return err
	}
	data := b.Bytes()
	var own []byte
	if e.Curve == pixel.SRGB {
		own = appendChunk(own, "sRGB", []byte{0}) // perceptual
	}
	own = appendChunk(own, "gAMA", binary.BigEndian.AppendUint32(nil, uint32(math.Round(gammaUnit/e.Curve.Gamma()))))
	if aspect := h.pixelAspect(); aspect != 1 {
		// Pixels per unit across and up, of an unknown unit: their ratio is the pixel's shape.
		const up = 100000
		own = appendChunk(own, "pHYs", append(binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(math.Round(up/aspect))), up), 0))
	}
	for _, f := range append([]job.Fact{{Name: "frame", Value: fmt.Sprint(h.Frame)}, {Name: "framesPerSecond", Value: fmt.Sprintf("%d/%d", h.Rate.Numerator, h.Rate.Denominator)}}, h.Facts...) {
		// Keyword, uncompressed, no language, no translated keyword, text in UTF-8.
		own = appendChunk(own, "iTXt", []byte(Prefix+f.Name+"\x00\x00\x00\x00\x00"+strings.ToValidUTF8(f.Value, "�")))
	}
	for _, part := range [][]byte{data[:pngHeaderEnd], own, data[pngHeaderEnd:]} {
		if _, err := w.Write(part); err != nil {
			return err
		}
	}
	return nil
}

func appendChunk(dst []byte, kind string, data []byte) []byte {
	dst = binary.BigEndian.AppendUint32(dst, uint32(len(data)))
	start := len(dst)
	dst = append(append(dst, kind...), data...)
	return binary.BigEndian.AppendUint32(dst, crc32.ChecksumIEEE(dst[start:]))
}

// display8 encodes colour, straight if alpha is kept and over black if it is not.
func display8(img *pixel.Image, e output.Encoding) *image.NRGBA {
	code := pixel.NewEncoder(8, e.Curve)
	out := image.NewNRGBA(image.Rect(0, 0, img.Width, img.Height))
	for i := range img.Width * img.Height {
		r, g, b, a := colour(img, i, e.Alpha == output.NoAlpha)
		copy(out.Pix[4*i:], []byte{byte(code.Code(r)), byte(code.Code(g)), byte(code.Code(b)), byte(a*255 + 0.5)})
	}
	return out
}

func display16(img *pixel.Image, e output.Encoding) *image.NRGBA64 {
	code := pixel.NewEncoder(16, e.Curve)
	out := image.NewNRGBA64(image.Rect(0, 0, img.Width, img.Height))
	for i := range img.Width * img.Height {
		r, g, b, a := colour(img, i, e.Alpha == output.NoAlpha)
		out.SetNRGBA64(i%img.Width, i/img.Width, color.NRGBA64{R: code.Code(r), G: code.Code(g), B: code.Code(b), A: uint16(a*65535 + 0.5)})
	}
	return out
}

// colour returns pixel i: straight with its alpha, or as it is over black with an alpha of 1.
func colour(img *pixel.Image, i int, overBlack bool) (r, g, b, a float32) {
	r, g, b, a = img.Planes[0].Data[i], img.Planes[1].Data[i], img.Planes[2].Data[i], 1
	if overBlack || len(img.Planes) < 4 {
		return r, g, b, 1
	}
	if a = img.Planes[3].Data[i]; !(a > 0) {
		return 0, 0, 0, 0
	}
	return r / a, g / a, b / a, min(1, a)
}

func decodePNG(data []byte) (Picture, error) {
	config, err := png.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return Picture{}, err
	}
	if config.Width*config.Height > maxPixels {
		return Picture{}, fmt.Errorf("png: %d x %d pixels are too many", config.Width, config.Height)
	}
	src, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return Picture{}, err
	}
	p := Picture{Encoding: output.Encoding{Format: output.PNG, Depth: output.Eight, Compression: output.Deflate, Alpha: output.NoAlpha, Curve: pixel.SRGB}, PixelAspect: 1}
	switch src.(type) {
	case *image.NRGBA64, *image.RGBA64, *image.Gray16:
		p.Encoding.Depth = output.Sixteen
	}
	names := []string{"R", "G", "B"}
	switch src.(type) {
	case *image.NRGBA, *image.NRGBA64, *image.Paletted:
		names, p.Encoding.Alpha = append(names, "A"), output.Straight
	}
	p.chunks(data)
	p.Image = pixel.New(config.Width, config.Height, names...)
	p.fill(src)
	return p, nil
}

// fill decodes the colours of an image by the picture's curve.
func (p *Picture) fill(src image.Image) {
	decoded := make([]float32, 1<<16)
	for i := range decoded {
		decoded[i] = float32(p.Encoding.Curve.Decode(float64(i) / 65535))
	}
	bounds, width := src.Bounds(), p.Image.Width
	for i := range width * p.Image.Height {
		c := color.NRGBA64Model.Convert(src.At(bounds.Min.X+i%width, bounds.Min.Y+i/width)).(color.NRGBA64)
		a := float32(c.A) / 65535
		for j, code := range []uint16{c.R, c.G, c.B} {
			p.Image.Planes[j].Data[i] = decoded[code] * a
		}
		if len(p.Image.Planes) > 3 {
			p.Image.Planes[3].Data[i] = a
		}
	}
}

// chunks reads what a decoded file says beside its pixels. Its chunks are known to be whole.
func (p *Picture) chunks(data []byte) {
	for at := len(pngSignature); at+12 <= len(data); {
		size := int(binary.BigEndian.Uint32(data[at:]))
		if size > len(data)-at-12 {
			return
		}
		kind, value := string(data[at+4:at+8]), data[at+8:at+8+size]
		switch {
		case kind == "sRGB":
			p.Encoding.Curve, p.CurveStated = pixel.SRGB, true
		case kind == "gAMA" && size == 4 && !p.CurveStated:
			p.gamma(binary.BigEndian.Uint32(value))
		case kind == "pHYs" && size == 9:
			if x, y := binary.BigEndian.Uint32(value), binary.BigEndian.Uint32(value[4:]); x > 0 && y > 0 {
				p.PixelAspect = float64(y) / float64(x)
			}
		case kind == "iTXt":
			name, rest, ok := strings.Cut(string(value), "\x00")
			if text, plain := strings.CutPrefix(rest, "\x00\x00\x00\x00"); ok && plain {
				p.Facts = append(p.Facts, job.Fact{Name: strings.TrimPrefix(name, Prefix), Value: text})
			}
		}
		at += size + 12
	}
}

// gamma takes the nearest curve for what gAMA states; what is near none leaves sRGB, not stated.
func (p *Picture) gamma(stated uint32) {
	for _, c := range []pixel.Curve{pixel.Gamma22, pixel.BT1886, pixel.Linear} {
		if math.Abs(float64(stated)*c.Gamma()/gammaUnit-1) < 0.005 {
			p.Encoding.Curve, p.CurveStated = c, true
			return
		}
	}
}
