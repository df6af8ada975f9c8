package imagefile

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image/jpeg"
	"io"
	"math"
	"strings"

	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pixel"
)

// Markers of JPEG (ITU-T T.81) and the identifier of JFIF (ITU-T T.871).
const (
	markerStart   = "\xff\xd8"
	markerAPP0    = 0xe0
	markerComment = 0xfe
	markerScan    = 0xda
	jfif          = "JFIF\x00"
	maxSegment    = 0xffff - 2
)

// encodeJPEG writes sRGB colour over black, the pixel aspect (JFIF) and the facts (a comment, one a line).
func encodeJPEG(w io.Writer, e output.Encoding, img *pixel.Image, h Header) error {
	e.Alpha = output.NoAlpha
	var b bytes.Buffer
	if err := jpeg.Encode(&b, display8(img, e), &jpeg.Options{Quality: e.Level}); err != nil {
		return err
	}
	aspect := h.pixelAspect()
	// Version 1.02; unit 0: the densities give the pixel's shape only. No thumbnail.
	app0 := append([]byte(jfif), 1, 2, 0)
	app0 = binary.BigEndian.AppendUint16(app0, uint16(math.Round(1000/aspect)))
	app0 = binary.BigEndian.AppendUint16(app0, 1000)
	app0 = append(app0, 0, 0)
	var comment strings.Builder
	fmt.Fprintf(&comment, "%sframe=%d\n%sframesPerSecond=%d/%d\n", Prefix, h.Frame, Prefix, h.Rate.Numerator, h.Rate.Denominator)
	for _, f := range h.Facts {
		line := Prefix + f.Name + "=" + strings.ReplaceAll(f.Value, "\n", " ") + "\n"
		if comment.Len()+len(line) <= maxSegment {
			comment.WriteString(line)
		}
	}
	own := appendSegment(appendSegment([]byte(markerStart), markerAPP0, app0), markerComment, []byte(comment.String()))
	for _, part := range [][]byte{own, b.Bytes()[len(markerStart):]} {
		if _, err := w.Write(part); err != nil {
			return err
		}
	}
	return nil
}

func appendSegment(dst []byte, marker byte, data []byte) []byte {
	dst = append(dst, 0xff, marker)
	return append(binary.BigEndian.AppendUint16(dst, uint16(len(data)+2)), data...)
}

func decodeJPEG(data []byte) (Picture, error) {
	config, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return Picture{}, err
	}
	if config.Width*config.Height > maxPixels {
		return Picture{}, fmt.Errorf("jpeg: %d x %d pixels are too many", config.Width, config.Height)
	}
	src, err := jpeg.Decode(bytes.NewReader(data))
	if err != nil {
		return Picture{}, err
	}
	p := Picture{
		Encoding: output.Encoding{Format: output.JPEG, Depth: output.Eight, Compression: output.DCT, Alpha: output.NoAlpha, Curve: pixel.SRGB}, PixelAspect: 1,
		CurveStated: true, // JFIF has no other
		Image:       pixel.New(config.Width, config.Height, "R", "G", "B"),
	}
	p.segments(data)
	p.fill(src)
	return p, nil
}

// segments reads what a decoded file says before its first scan.
func (p *Picture) segments(data []byte) {
	for at := len(markerStart); at+4 <= len(data) && data[at] == 0xff && data[at+1] != markerScan; {
		size := int(binary.BigEndian.Uint16(data[at+2:]))
		if size < 2 || at+2+size > len(data) {
			return
		}
		value := data[at+4 : at+2+size]
		switch {
		case data[at+1] == markerAPP0 && bytes.HasPrefix(value, []byte(jfif)) && len(value) >= 12:
			if x, y := binary.BigEndian.Uint16(value[8:]), binary.BigEndian.Uint16(value[10:]); x > 0 && y > 0 {
				p.PixelAspect = float64(y) / float64(x)
			}
		case data[at+1] == markerComment:
			for line := range strings.SplitSeq(string(value), "\n") {
				if name, fact, ok := strings.Cut(strings.TrimPrefix(line, Prefix), "="); ok {
					p.Facts = append(p.Facts, job.Fact{Name: name, Value: fact})
				}
			}
		}
		at += 2 + size
	}
}
