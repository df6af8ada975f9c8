package housetest

import (
	"bytes"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/house"
	"reelhouse/store"
)

// Light is what a picture of DrawAll shows in its upper half: of a frame, in red, green and blue.
func Light(number int) [3]float32 {
	return [3]float32{0.1 + 0.02*float32(number%20), 0.4, 0.05 + 0.01*float32(number%7)}
}

// DrawAll makes all frames good that are ready, each with a picture as its first file: OpenEXR, even light above, and
// below a disc that covers a half of the width, with nothing round it.
func DrawAll(t testing.TB, h *house.House) {
	t.Helper()
	finish(t, h, func(l *store.Lease) []byte { return drawn(t, l) })
}

func drawn(t testing.TB, l *store.Lease) []byte {
	t.Helper()
	spec := l.Sequence.Spec
	size := spec.Files[0].Size
	img := pixel.New(size.Width, size.Height, "R", "G", "B", "A", "depth.Z", "normal.X", "normal.Y", "normal.Z",
		"object.R", "object.G", "object.B")
	light := Light(l.Number)
	for y := range size.Height {
		for x := range size.Width {
			covered := y < size.Height/2 || x > size.Width/4 && x < size.Width*3/4
			if !covered {
				continue
			}
			i := y*size.Width + x
			share := float32(1)
			if y >= size.Height/2 && x == size.Width/4+1 { // the edge is covered in half
				share = 0.5
			}
			for c := range 3 {
				img.Planes[c].Data[i] = share * light[c]
			}
			img.Planes[3].Data[i] = share
		}
	}
	header := picture.Header{Rate: frame.Rate{Numerator: 24, Denominator: 1}}
	further(img, spec.Passes, &header)
	chosen, err := picture.Select(img, spec.Files[0].Passes)
	if err != nil {
		t.Fatal(err)
	}
	encoding := spec.Files[0].Encoding
	if encoding.Format == "" {
		encoding = output.EXR.Usual()
	}
	var b bytes.Buffer
	if err := picture.Encode(&b, encoding, chosen, spec.Files[0].Passes, header); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// further adds planes of light groups, each of which has an equal share of the light, and of Cryptomattes, in which all
// that is covered is called Covered.
func further(img *pixel.Image, passes []pass.Code, h *picture.Header) {
	groups := 0
	for _, code := range passes {
		if _, ok := code.LightGroup(); ok {
			groups++
		}
	}
	for _, code := range passes {
		described, err := pass.Find(code)
		if err != nil {
			continue
		}
		if code == pass.Position { // a metre a pixel, and nothing at 0
			for c, name := range described.ChannelNames() {
				plane := pixel.Plane{Name: name, Data: make([]float32, img.Width*img.Height)}
				for i := range plane.Data {
					plane.Data[i] = [3]float32{1 + float32(i%img.Width), 1 + float32(i/img.Width), 1}[c]
				}
				img.Planes = append(img.Planes, plane)
			}
			continue
		}
		_, light := code.LightGroup()
		if !light && !described.IsCryptomatte() {
			continue
		}
		for c, name := range described.ChannelNames() {
			plane := pixel.Plane{Name: name, Data: make([]float32, img.Width*img.Height)}
			for i, covered := range img.Planes[3].Data {
				switch {
				case light:
					plane.Data[i] = img.Planes[c].Data[i] / float32(groups)
				case c == 0 && covered > 0:
					plane.Data[i] = pass.ID(Covered)
				case c == 1:
					plane.Data[i] = covered
				}
			}
			img.Planes = append(img.Planes, plane)
		}
		if described.IsCryptomatte() {
			h.Attributes = append(h.Attributes, picture.Cryptomatte(described, pass.Manifest([]string{Covered}))...)
		}
	}
}

// Covered is what everything is called in drawn pictures.
const Covered = "floor"
