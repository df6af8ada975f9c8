package fleet

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/job"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
	"reelhouse/farm/wire"
)

// How nodes are follows from the seed alone, and their speeds are spread about the mean.
func TestNodesAreAsTheSeedSays(t *testing.T) {
	a, b, c := Fleet{Options: Options{Seed: 7}}, Fleet{Options: Options{Seed: 7}}, Fleet{Options: Options{Seed: 8}}
	calm := Fleet{Options: Options{Seed: 7, Calm: true}}
	var speeds []float64
	counts := map[string]int{}
	others := 0
	for i := range 1000 {
		of := a.characterOf(i)
		if of != b.characterOf(i) {
			t.Fatalf("node %d is not the same twice", i)
		}
		if of != c.characterOf(i) {
			others++
		}
		speeds = append(speeds, of.speed)
		for what, is := range map[string]bool{
			"fails": of.fails, "vanishes": of.vanishes, "slow": of.slow, "twice": of.twice, "wrong": of.wrong,
			"astray": of.stray,
		} {
			if is {
				counts[what]++
			}
		}
		if quiet := calm.characterOf(i); quiet != (character{speed: of.speed}) {
			t.Fatalf("node %d is not calm: %+v", i, quiet)
		}
	}
	slices.Sort(speeds)
	if m := speeds[500]; m < 0.9 || m > 1.1 || speeds[250] < 0.6 || speeds[750] > 1.5 {
		t.Errorf("speeds are %.2f, %.2f, %.2f", speeds[250], m, speeds[750])
	}
	for what, want := range map[string]int{
		"fails": failing, "vanishes": vanishing, "slow": slow, "twice": twice, "wrong": wrongly, "astray": astray,
	} {
		if n := counts[what]; n < 10*want/3 || n > 10*want*2 {
			t.Errorf("%s: %d of 1000 nodes, and %d %% were asked for", what, n, want)
		}
	}
	if others < 990 {
		t.Errorf("another seed gives %d other nodes", others)
	}
	sum := 0.0
	for _, s := range times {
		sum += s
	}
	if mean := sum / float64(len(times)); mean < 0.97 || mean > 1.03 {
		t.Errorf("the mean of measured times is %.3f", mean)
	}
}

// Pictures have all that the order asks for, are the same on each machine and other ones in each frame, and a machine
// that is wrong has others.
func TestPicturesAreTheSameOnEachMachine(t *testing.T) {
	j := job.Job{
		Size: raster.Size{Width: 8, Height: 4}, Passes: []pass.Code{pass.Beauty, pass.Depth, pass.LightCode("lamps")},
		LightGroups: []pass.LightGroup{{Code: "lamps", Name: "Lamps"}},
	}
	made := func(number int, wrong bool) []float32 {
		img, err := pictureOf(j, number, wrong)
		if err != nil {
			t.Fatal(err)
		}
		var names []string
		var all []float32
		for _, p := range img.Planes {
			names, all = append(names, p.Name), append(all, p.Data...)
		}
		if len(names) < 8 || img.Width != 8 || img.Height != 4 {
			t.Errorf("it has %d x %d, %s", img.Width, img.Height, strings.Join(names, " "))
		}
		return all
	}
	if !slices.Equal(made(1001, false), made(1001, false)) || slices.Equal(made(1001, false), made(1002, false)) ||
		slices.Equal(made(1001, false), made(1001, true)) {
		t.Error("pictures are the same where they are not to be, or others where they are")
	}
	j.Region = job.RegionOf(j.Area())
	j.Region.Width = 3
	if img, err := pictureOf(j, 1001, false); err != nil || img.Width != 3 {
		t.Errorf("a region: %+v, %v", img, err)
	}
}

func TestFiguresSayHowLongAnswersTook(t *testing.T) {
	f := Fleet{Options: Options{Tokens: make([]wire.Token, 3)}}
	for i := range 200 {
		f.Figures.asked("beat", time.Duration(i+1)*time.Millisecond, nil)
	}
	f.Figures.asked("hello", time.Second, errors.New("away"))
	f.Figures.count(&f.Figures.files)
	f.Figures.took(2 * time.Second)
	r := f.Report()
	want := []Asked{{"beat", 200, 0, 101, 199, 200}, {"hello", 0, 1, 0, 0, 0}, {"all of these", 200, 1, 101, 199, 200}}
	if r.Nodes != 3 || r.Files != 1 || r.Seconds != 2 || !slices.Equal(r.Asked, want) {
		t.Errorf("%+v", r)
	}
	var out strings.Builder
	if err := r.Print(&out); err != nil || !strings.Contains(out.String(), "0.5 a second") {
		t.Errorf("%v: %s", err, out.String())
	}
}
