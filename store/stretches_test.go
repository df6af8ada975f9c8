package store

import (
	"testing"

	"reelhouse/core/queue"
)

func TestStretchesHoldAllFrames(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-10,21-30", "1-4", "7")
	for range 6 {
		l, _ := next(t, s)
		l.Spent = Spent{Processor: 1, Peak: int64(l.Number) << 20}
		come(t, s, l, "ab")
	}
	l, _ := next(t, s)
	must(t, s.Refuse(l, "broken", ""))
	of := b.Sequences[0].ID
	for _, most := range []int{1, 3, 20, 1000} {
		all, err := s.FrameStretches(of, most)
		must(t, err)
		sum, seconds, peak, last := queue.Counts{}, 0.0, int64(0), 0
		for _, x := range all {
			for state, n := range x.Counts {
				sum[state] += n
			}
			seconds, peak = seconds+x.Seconds, max(peak, x.Peak)
			if x.First <= last || x.Last < x.First {
				t.Errorf("a stretch goes from %d to %d, behind %d", x.First, x.Last, last)
			}
			last = x.Last
		}
		if len(all) > most || sum[queue.Good] != 6 || sum[queue.Failed] != 1 || sum[queue.Ready] != 13 ||
			seconds != 6 ||
			peak != 6<<20 ||
			last != 30 {
			t.Errorf("%d of %d stretches: %v, %v s, %d bytes, to %d", len(all), most, sum, seconds, peak, last)
		}
	}
	whole, err := s.FrameStretches(of, 1000)
	must(t, err)
	if len(whole) != 20 || whole[0].State() != queue.Good || whole[6].State() != queue.Failed ||
		whole[5].Peak != 6<<20 {
		t.Errorf("%d stretches, %+v", len(whole), whole[5:7])
	}
	for most, want := range map[int]int{1: 1, 2: 2, 9: 3} {
		all, err := s.SequenceStretches(b.ID, most)
		must(t, err)
		total := 0
		for _, x := range all {
			total += x.Counts.Total()
		}
		if len(all) != want || total != 25 || all[0].State() != queue.Failed || all[0].Peak != 6<<20 {
			t.Errorf("at most %d: %+v", most, all)
		}
	}
}

// BenchmarkFrameStretches is a sequence of a million frames, half of which are good.
func BenchmarkFrameStretches(b *testing.B) {
	s := open(b)
	sent := sendAs(b, s, Sending{}, "1-1000000")
	must(b, s.change(func(tx *writing) error {
		if err := s.rowsFor(tx, sent.Sequences[0].ID, 500_000); err != nil {
			return err
		}
		_, err := tx.Exec("UPDATE frame SET seconds = 2, peak = 1000 + number")
		return err
	}))
	b.ResetTimer()
	for b.Loop() {
		if _, err := s.FrameStretches(sent.Sequences[0].ID, 320); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(1e6*float64(b.N)/b.Elapsed().Seconds(), "frames/s")
}
