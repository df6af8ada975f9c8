package naming

import (
	"math/rand/v2"
	"strings"
	"testing"

	"reelhouse/core/frame"
)

// unique compares every path with every other, the plain way.
func unique(runs []Run) bool {
	seen := map[string]bool{}
	for _, run := range runs {
		for n := range run.Frames.All() {
			key := strings.ToLower(run.Path.Frame(n))
			if seen[key] {
				return false
			}
			seen[key] = true
		}
	}
	return true
}

// Whatever is called proved has no two equal paths: random patterns, values, rules, ranges and names of frames.
func TestWhatIsCalledProvedHasNoTwoEqualPaths(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 6))
	pick := func(from ...string) string { return from[random.IntN(len(from))] }
	value := func() string {
		return pick("a", "b", "A", "a_b", "a-b", "b_c", "c", "1", "11", "1_1", "con", "none", "")
	}
	proved := 0
	for range 20_000 {
		text := ""
		for range 1 + random.IntN(5) {
			text += pick(
				"(shot)", "(size)", "(view)", "(label)", "(frame)", "(frame:3)", "(pass)", "a", "1",
			) + pick("_", "", "/", ".", "-")
		}
		if text += pick("(frame:2)", "(frame)", "(label)") + ".(ext)"; !strings.Contains(text, "(frame") {
			continue
		}
		p, err := Parse(text)
		if err != nil {
			continue
		}
		rules := Rules{Separator: pick("", "_", "-"), Case: Case(pick("", "lower", "upper"))}
		var runs []Run
		for range 1 + random.IntN(4) {
			f := Fields{
				Production: "SALT",
				Shot:       value(),
				View:       value(),
				Size:       value(),
				Pass:       value(),
				Ext:        "exr",
				Version:    1,
			}
			labels := map[int]string{}
			for n := range 30 {
				if random.IntN(4) == 0 {
					labels[n] = pick("b_c", "c", "b", "1", "11", "2", "a")
				}
			}
			first := random.IntN(12) - 2
			run := Run{"", p, f, p.Bind(f, rules).Labelled(labels), frame.Of(first, first+random.IntN(20))}
			runs = append(runs, run)
		}
		proof := Prove(runs, rules, 3)
		if len(proof.Clashes) > 0 {
			continue
		}
		proved++
		if !unique(runs) {
			t.Fatalf(
				"%s with %+v is called proved (%s: %s), and two paths are equal", text, rules, proof.Method,
				proof.Reason,
			)
		}
	}
	if proved < 1000 {
		t.Errorf("only %d cases were proved", proved)
	}
}

// Two frames of two sequences whose shot and label run into each other.
func TestNamesOfFramesDoNotRunIntoShots(t *testing.T) {
	p := MustParse("(shot)_(label)/(frame:4).(ext)")
	run := func(shot, label string) Run {
		f := Fields{Shot: shot, Ext: "exr"}
		return Run{shot, p, f, p.Bind(f, Rules{}).Labelled(map[int]string{1001: label}), frame.Of(1001, 1001)}
	}
	if proof := Prove([]Run{run("a", "b_c"), run("a_b", "c")}, Rules{}, 9); len(proof.Clashes) != 1 ||
		proof.Clashes[0].Path != "a_b_c/1001.exr" {
		t.Errorf("%+v", proof)
	}
}
