package frame

import (
	"slices"
	"testing"
)

func TestSetsAreChanged(t *testing.T) {
	set := func(s Set, err error) string {
		if err != nil {
			return "error"
		}
		return s.String()
	}
	thin := func(s string, n int) string { return MustParse(s).Thin(n).String() }
	before, from := MustParse("1001-1010x3").Split(1005)
	for _, c := range []struct{ what, got, want string }{
		{"every tenth", thin("1001-1048", 10), "1001-1041x10"}, // floor(47/10) + 1 = 5
		{"every second of a set with a hole", thin("1-5,8-10", 2), "1-5x2,9"},
		{"every third of every second", thin("1-20x2", 3), "1-19x6"},
		{"of one frame", thin("7", 10), "7"},
		{"not thinned", thin("1-3", 0), "1-3"},
		{"ends", MustParse("1001-1048").Ends().String(), "1001,1025,1048"},
		{"ends of two", MustParse("4,9").Ends().String(), "4,9"},
		{"moved", set(MustParse("1001-1009x2,1020").Shift(-1001)), "0-8x2,19"},
		{"moved too far", set(Of(0, MaxNumber).Shift(1)), "error"},
		{"trimmed", set(MustParse("1001-1048").Reach(1010, 1020)), "1010-1020"},
		{"reached out in steps", set(MustParse("1001-1009x2").Reach(996, 1014)), "997-1013x2"},
		{"trimmed within steps", set(MustParse("1001-1009x2").Reach(1002, 1008)), "1003-1007x2"},
		{"a hole stays", set(MustParse("1-10,!5").Reach(3, 12)), "3-4,6-12"},
		{"somewhere else", set(MustParse("1-10").Reach(20, 25)), "20-25"},
		{"turned round", set(MustParse("1-10").Reach(5, 4)), "error"},
		{"before the cut", before.String(), "1001,1004"},
		{"from the cut on", from.String(), "1007,1010"},
		{"left over", MustParse("1-10").Minus(MustParse("2-4,9")).String(), "1,5-8,10"},
		{"common", MustParse("1-10").Common(MustParse("8-20x2")).String(), "8,10"},
		{"together", set(Union(Of(1, 4), Of(3, 9), Of(20, 20))), "1-9,20"},
	} {
		if c.got != c.want {
			t.Errorf("%s: %s, not %s", c.what, c.got, c.want)
		}
	}
}

func TestCoarseOrderHasEveryFrameOnceAndSpreadsThem(t *testing.T) {
	if got := Of(1, 9).Coarse(); !slices.Equal(got, []int{1, 9, 5, 3, 7, 2, 4, 6, 8}) {
		t.Errorf("the order is %v", got)
	}
	for _, n := range []int{1, 2, 3, 10, 101} {
		got := Of(1, n).Coarse()
		slices.Sort(got)
		if want := slices.Collect(Of(1, n).All()); !slices.Equal(got, want) {
			t.Errorf("of %d frames came %v", n, got)
		}
	}
}

func BenchmarkChanges(b *testing.B) {
	s := Of(1, 100_000)
	b.ReportAllocs()
	for b.Loop() {
		s.Minus(Of(500, 700))
	}
	b.ReportMetric(float64(s.Count())*float64(b.N)/b.Elapsed().Seconds(), "frames/s")
}
