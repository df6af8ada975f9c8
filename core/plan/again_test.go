package plan

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/production"
)

// Whatever was edited, a batch that takes over what is as it was is the one that is planned as a whole, and tells the
// same changes.
func TestWhatIsTakenOverIsAsIfPlannedAnew(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	p := example()
	p.Shots = p.Shots[:0]
	for i := range 120 {
		p.Shots = append(p.Shots, production.Shot{
			Code: fmt.Sprintf(
				"%03d", i,
			), View: p.Views[0].Code, Frames: frame.Of(1001, 1001+r.IntN(50)), InBatch: r.IntN(9) > 0,
		})
	}
	edits := []func(p *production.Production){
		func(p *production.Production) { p.Shots[r.IntN(len(p.Shots))].Frames = frame.Of(1001, 1001+r.IntN(50)) },
		func(p *production.Production) { p.Shots[r.IntN(len(p.Shots))].Name += "x" },
		func(p *production.Production) { s := &p.Shots[r.IntN(len(p.Shots))]; s.InBatch = !s.InBatch },
		func(p *production.Production) { p.Shots[r.IntN(len(p.Shots))].Sizes = []string{"hd"} },
		func(p *production.Production) { p.Version++ },
		func(p *production.Production) { p.Title += "x" },
		func(p *production.Production) { i := r.IntN(len(p.Shots)); p.Shots = slices.Delete(p.Shots, i, i+1) },
		func(p *production.Production) {
			if _, err := p.CopyShot(p.Shots[r.IntN(len(p.Shots))].Code); err != nil {
				t.Fatal(err)
			}
		},
		func(p *production.Production) { p.MoveShots([]string{p.Shots[r.IntN(len(p.Shots))].Code}, 1) },
		func(p *production.Production) { p.Views[0].Setup.Focal = float64(20 + r.IntN(50)) },
		func(p *production.Production) { p.Looks[0].ExposureEV = float64(r.IntN(5)) },
		func(p *production.Production) { p.ShotDefaults.Sizes = []string{"scope"} },
		func(p *production.Production) { p.RenumberShots(nil) },
	}
	before := (*Built)(nil).Again(p.Resolve(), Measure{})
	takenOver := 0
	for i := range 60 {
		p = p.Copy()
		edits[r.IntN(len(edits))](&p)
		again := before.Again(p.Resolve(), Measure{})
		whole, err := Build(p, Measure{})
		if err != nil {
			t.Fatal(err)
		}
		if !reflect.DeepEqual(again.Batch, whole) {
			t.Fatalf("edit %d: the batches differ", i)
		}
		if got, want := again.Since(before), Compare(before.Batch, whole); !reflect.DeepEqual(got, want) {
			t.Fatalf("edit %d: it changes %+v, want %+v", i, got, want)
		}
		for i, place := range again.Kept(before) {
			if place < 0 {
				continue
			}
			if takenOver++; !reflect.DeepEqual(again.Batch.Sequences[i], before.Batch.Sequences[place]) {
				t.Fatalf("edit %d: sequence %d is not the one at %d before", i, i, place)
			}
		}
		before = again
	}
	if takenOver < 40*100 {
		t.Errorf("only %d shots were taken over", takenOver)
	}
}
