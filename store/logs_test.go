package store

import (
	"fmt"
	"strings"
	"testing"
)

// said makes a frame break with a log.
func said(t testing.TB, s *Store, text string) *Lease {
	t.Helper()
	l := lease(t, s)
	must(t, s.Refuse(l, "broken", text))
	return l
}

func TestWordsOfLogsAreFound(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-5")
	other := sendAs(t, s, Sending{}, "1")
	said(t, s, "one\nwarning: cannot find Texture QUAY.png\nthree\nquay.png again\nquay.png\nquay.png")
	said(t, s, "nothing here")
	said(t, s, `a "quoted" thing and 100 % (sure) æøå`)
	said(t, s, "")
	last := said(t, s, "two letters: xq")
	said(t, s, "quay.png, in another batch")
	for text, want := range map[string][]string{
		"quay.png": {"1:2", "1:4", "1:5"}, "TEXTURE quay": {"1:2"}, `"quoted" thing`: {"3:1"}, "xq": {"5:1"},
		"æøå": {"3:1"}, "%": {"3:1"}, "* OR NEAR(": {}, "nothing is like that": {}, "": {}, "  ": {},
	} {
		found, further, err := s.SearchLogs(b.ID, text)
		var got []string
		for _, l := range found {
			got = append(got, fmt.Sprintf("%d:%d", l.Number, l.Line))
		}
		if err != nil || further != 0 || strings.Join(got, " ") != strings.Join(want, " ") {
			t.Errorf("%q is found at %v, want %v; %v", text, got, want, err)
		}
	}
	if found, _, err := s.SearchLogs(other.ID, "quay"); err != nil || len(found) != 1 ||
		found[0].Task.String() != "2/0/quay/hd/1" {
		t.Errorf("%+v, %v", found, err)
	}
	if l, err := s.Log(last.SequenceID, 5, 0); err != nil || l.Text != "two letters: xq" {
		t.Errorf("%+v, %v", l, err)
	}
	if more, err := s.ReadLogs(); err != nil || more {
		t.Errorf("there is more: %v, %v", more, err)
	}
}

// Logs that are longer than what is taken up at once are taken up one by one, and nothing is left out.
func TestLongLogsAreTakenUp(t *testing.T) {
	s := open(t)
	b := sendAs(t, s, Sending{}, "1-9")
	for i := range 9 {
		said(t, s, strings.Repeat("some words of a long log\n", 30_000)+fmt.Sprintf("needle %d\n", i+1))
	}
	rounds := 0
	for more := true; more; rounds++ {
		var err error
		more, err = s.ReadLogs()
		must(t, err)
	}
	if rounds < 2 {
		t.Errorf("7 MB are taken up in %d rounds", rounds)
	}
	if found, _, err := s.SearchLogs(b.ID, "needle"); err != nil || len(found) != 9 || found[0].Line != 30_001 {
		t.Errorf("%d lines are found, %v", len(found), err)
	}
}

// BenchmarkReadLogs is what a log of a frame costs until its words are found.
func BenchmarkReadLogs(b *testing.B) {
	s := open(b)
	sendAs(b, s, Sending{}, "1-20000")
	text := strings.Repeat(
		"20:42:37.381  wrote .010_quay_scope_beauty.1001.exr.part-1a, 3072 bytes, after 0.00 s\n",
		12,
	)
	n := 0
	for b.Loop() {
		b.StopTimer()
		if n == 20000 {
			b.Fatal("there are no more frames")
		}
		n++
		said(b, s, text)
		b.StartTimer()
		if _, err := s.ReadLogs(); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "logs/s")
}
