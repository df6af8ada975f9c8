package inspect

import (
	"fmt"
	"io"
	"math"

	"reelhouse/core/picture"
)

// Difference says in what two pictures differ, of which the files have so many bytes: their sizes, their channels, or
// how many values, and by how much. Pictures whose values are all alike differ in their headers or their coding alone.
func Difference(was, is io.ReaderAt, wasBytes, isBytes int64) (string, error) {
	before, err := picture.OpenLarge(was, wasBytes, picture.Limit)
	if err != nil {
		return "", err
	}
	now, err := picture.OpenLarge(is, isBytes, picture.Limit)
	if err != nil {
		return "", err
	}
	before.KeepPrimaries, now.KeepPrimaries = true, true
	if a, b := before.Headers[0], now.Headers[0]; a.Width() != b.Width() || a.Height() != b.Height() {
		return fmt.Sprintf("it has %d × %d pixels, and had %d × %d", b.Width(), b.Height(), a.Width(), a.Height()), nil
	}
	if len(before.Headers) != len(now.Headers) {
		return fmt.Sprintf("it has %d parts, and had %d", len(now.Headers), len(before.Headers)), nil
	}
	different, all, most, channel := 0, 0, 0.0, ""
	for n := range before.Headers {
		height := before.Headers[n].Height()
		for y := 0; y < height; y += linesAtOnce {
			a, err := before.Lines(n, y, min(y+linesAtOnce, height))
			if err != nil {
				return "", err
			}
			b, err := now.Lines(n, y, min(y+linesAtOnce, height))
			if err != nil {
				return "", err
			}
			if len(a.Image.Planes) != len(b.Image.Planes) {
				return fmt.Sprintf("it has %d channels, and had %d", len(b.Image.Planes), len(a.Image.Planes)), nil
			}
			for i, plane := range a.Image.Planes {
				for k, value := range plane.Data {
					all++
					other := b.Image.Planes[i].Data[k]
					if math.Float32bits(value) == math.Float32bits(other) {
						continue
					}
					different++
					if d := math.Abs(float64(other) - float64(value)); d > most || channel == "" {
						most, channel = d, plane.Name
					}
				}
			}
		}
	}
	if different == 0 {
		return "all values are alike, so that it is the header or the coding that differs", nil
	}
	return fmt.Sprintf("%d of %d values differ, by at most %.3g, in channel %s", different, all, most, channel), nil
}
