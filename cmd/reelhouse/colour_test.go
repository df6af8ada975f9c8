package main

import (
	"errors"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/core/edit"
	"reelhouse/core/lut"
	"reelhouse/core/output"
	"reelhouse/core/picture"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/house"
)

// A house delivers ACEScg and reviews through a look-up table: the master says its primaries, the review has the codes
// that the table gives for the master's light, and another table makes other files.
func TestLightIsDeliveredAndReviewedInOtherColours(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		p.Picture.Primaries = pixel.ACEScg
		p.ShotDefaults.Outputs = []string{"master", "review"}
		for i := range p.Outputs {
			p.Outputs[i].Scale, p.Outputs[i].Stamp.On = raster.Reduction{Percent: 100}, false
		}
	})
	const text = "LUT_1D_SIZE 3\n0 0 0\n0.7 0.5 0.4\n1 1 1\n"
	h, err := house.Open(data, false)
	if err != nil {
		t.Fatal(err)
	}
	f, err := h.Assets.ImportLUT("warm.cube", strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	f.Input = lut.Input{Curve: lut.SRGB}
	on, through := true, "lut:warm"
	_, _, err = h.Do(demoCode, house.Editing{}, edit.AddLUT{LUT: f})
	for _, command := range []edit.Command{
		edit.SetPicture{Viewing: &through}, edit.SetOutput{Output: "review", Viewed: &on},
	} {
		if err == nil {
			_, _, err = h.Do(demoCode, house.Editing{}, command)
		}
	}
	if err := errors.Join(err, h.Close()); err != nil {
		t.Fatal(err)
	}
	if out, complaints, err := run(t, "send", "--trial", "first", "--data", data); err != nil {
		t.Fatal(out, complaints)
	}
	start(t, data)
	if out, complaints, err := run(t, "wait", "1", "--timeout", "3m", "--data", data); err != nil {
		t.Fatal(out, complaints)
	}
	read := func(of string) (picture.Picture, string) {
		pattern := filepath.Join(data, "output", "trials", "*", demoCode, "*", of, "*", "*", "*", "*")
		found, err := filepath.Glob(pattern)
		if err != nil || len(found) != 1 {
			t.Fatalf("%s: %v, %v", of, found, err)
		}
		data, err := os.ReadFile(found[0])
		if err != nil {
			t.Fatal(err)
		}
		p, err := picture.Decode(data)
		if err != nil {
			t.Fatal(err)
		}
		return p, found[0]
	}
	master, path := read("master")
	if master.Encoding.Primaries != pixel.ACEScg {
		t.Errorf("the master says %q", master.Encoding.Primaries)
	}
	if out, complaints, err := run(t, "inspect", path); err != nil || !strings.Contains(out, "ACEScg") {
		t.Errorf("inspect says\n%s%s%v", out, complaints, err)
	}
	review, _ := read("review")
	table, err := lut.Parse([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	shower, err := lut.NewShower(table, f.Input)
	if err != nil {
		t.Fatal(err)
	}
	if review.Encoding.Format != output.PNG || len(review.Image.Planes[0].Data) != len(master.Image.Planes[0].Data) {
		t.Fatalf("the review is %v", review.Encoding)
	}
	worst := 0.0
	for i := range master.Image.Planes[0].Data {
		light := func(p picture.Picture, name string) float64 { return float64(p.Image.Plane(name).Data[i]) }
		x, y, z := shower.Codes(light(master, "R"), light(master, "G"), light(master, "B"))
		for k, want := range []float64{x, y, z} {
			got := pixel.SRGB.Encode(light(review, []string{"R", "G", "B"}[k]))
			worst = max(worst, math.Abs(got-want)*255)
		}
	}
	if worst > 1.6 { // a code is rounded, and the master's halves are
		t.Errorf("the review is %g codes off", worst)
	}
	if !strings.Contains(review.Fact("viewing"), f.SHA256) {
		t.Errorf("the review says %q", review.Fact("viewing"))
	}
}
