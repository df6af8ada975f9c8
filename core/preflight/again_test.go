package preflight

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/production"
)

// Whatever was edited, what is found when most is taken over is what is found of the whole.
func TestWhatIsTakenOverIsAsIfCheckedAnew(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	p := production.New("TEST", "A film")
	p.Scene = production.SceneFile{Name: "a.glb", SHA256: "00"}
	p.Views = []production.View{{Code: "quay", Name: "Quay", Camera: "cam_quay", Look: "plain"}}
	for i := range 120 {
		first := 900 + r.IntN(200)
		p.Shots = append(p.Shots, production.Shot{
			Code: fmt.Sprintf("%03d", i), Name: []string{"A shot", "poster"}[r.IntN(2)], View: "quay",
			Frames: frame.Of(first, first+r.IntN(3)), InBatch: r.IntN(9) > 0,
		})
	}
	any := func(p *production.Production) *production.Shot { return &p.Shots[r.IntN(len(p.Shots))] }
	edits := []func(p *production.Production){
		func(p *production.Production) { any(p).Frames = frame.Of(995, 995+r.IntN(9)) },
		func(p *production.Production) { any(p).Name = []string{"still", "run"}[r.IntN(2)] },
		func(p *production.Production) { s := any(p); s.InBatch = !s.InBatch },
		func(p *production.Production) { any(p).Quality = []string{"", "draft", "final"}[r.IntN(3)] },
		func(p *production.Production) { any(p).Outputs = []string{"review"} },
		func(p *production.Production) { any(p).Step = 1 + r.IntN(3) },
		func(p *production.Production) { p.Quality = []string{"draft", "final"}[r.IntN(2)] },
		func(p *production.Production) { p.Names.Pattern = "(shot)/(output)/(pass).(frame:3).(ext)" },
		func(p *production.Production) { p.Names.Pattern = "(output)/(pass).(frame:4).(ext)" },
		func(p *production.Production) { p.Waivers = []production.Waiver{{Rule: "quick-shot", Reason: "so"}} },
		func(p *production.Production) { i := r.IntN(len(p.Shots)); p.Shots = slices.Delete(p.Shots, i, i+1) },
		func(p *production.Production) { p.MoveShots([]string{any(p).Code}, 1) },
		func(p *production.Production) { p.RenumberShots(nil) },
	}
	facts := Facts{Cameras: []string{"cam_quay"}, LastFrame: 1000, FreeBytes: -1,
		ViewLooks: map[string]string{"quay": "plain"}}
	var built *plan.Built
	var checked *Checked
	taken := 0
	for i := range 300 {
		p = p.Copy()
		edits[r.IntN(len(edits))](&p)
		now := built.Again(p.Resolve(), plan.Measure{})
		kept := now.Kept(built)
		facts.Cut = map[string]frame.Set{p.Shots[0].Code: frame.Of(1, 2)}
		again := checked.Again(now.Batch, facts, kept)
		if want := Check(now.Batch, facts); !reflect.DeepEqual(again.Findings, want) {
			t.Fatalf("edit %d: %d findings, want %d", i, len(again.Findings), len(want))
		}
		if len(kept) > 0 {
			taken++
		}
		built, checked = now, again
	}
	if taken < 100 {
		t.Errorf("only %d of 300 took anything over", taken)
	}
}
