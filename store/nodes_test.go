package store

import (
	"errors"
	"testing"
	"time"
)

func TestNodesAreKept(t *testing.T) {
	s := open(t)
	if err := s.AddNode("shed", "UKEY", Author{Name: "Ann"}); err != nil {
		t.Fatal(err)
	}
	if err := s.AddNode("Shed", "UOTHER", Author{}); !errors.Is(err, ErrTaken) {
		t.Errorf("the name is given twice: %v", err)
	}
	n, err := s.NodeOf("UKEY")
	if err != nil || n.Name != "shed" || n.By != "Ann" || !n.Seen.IsZero() || n.Made.IsZero() {
		t.Fatalf("%+v, %v", n, err)
	}
	before, _ := s.Marks()
	n.Paused, n.Note, n.Labels = "fan", "in the shed", []string{"big"}
	if err := s.SetNode(n); err != nil {
		t.Fatal(err)
	}
	if now, _ := s.Marks(); now == before {
		t.Error("nobody is told")
	}
	at := time.Now()
	if err := errors.Join(
		s.NodeJoined("shed", `{"cores":4}`),
		s.NodesSeen(NodeNote{"shed", at, NodeState{0.5, 1, 2, ""}, NodeCounts{2, 1, 0, 3.5}}),
		s.NodesSeen(NodeNote{"shed", at, NodeState{1, 2, 3, "its disk is full"}, NodeCounts{1, 0, 4, 1}}),
	); err != nil {
		t.Fatal(err)
	}
	n, err = s.FindNode("SHED")
	if err != nil || n.Paused != "fan" || n.Labels[0] != "big" || n.Hello != `{"cores":4}` || !n.Seen.Equal(at) ||
		n.NodeCounts != (NodeCounts{3, 1, 4, 4.5}) || n.State != (NodeState{1, 2, 3, "its disk is full"}) {
		t.Errorf("%+v, %v", n, err)
	}
	n.Paused = ""
	if err := s.SetNode(n); err != nil {
		t.Fatal(err)
	}
	if n, err = s.FindNode("shed"); err != nil || n.TrustedDone != 3 || n.TrustedFailed != 1 {
		t.Errorf("resumed, it is held against others by what it did before: %+v, %v", n, err)
	}
	if all, more, err := s.RenderedBy("shed", 10); err != nil || len(all) > 0 || more > 0 {
		t.Errorf("%v, %d, %v", all, more, err)
	}
	if err := s.RemoveNode("shed"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.NodeOf("UKEY"); !errors.Is(err, ErrNotFound) {
		t.Errorf("its key is still known: %v", err)
	}
	if err := s.RemoveNode("shed"); !errors.Is(err, ErrNotFound) {
		t.Errorf("it is removed twice: %v", err)
	}
}

// The speeds are worked out by hand: four tasks in 20 s are 5 s each.
func TestSpeedIsAgainstTheMean(t *testing.T) {
	fast := Node{NodeCounts: NodeCounts{Done: 3, Seconds: 6}}
	slow := Node{NodeCounts: NodeCounts{Done: 1, Seconds: 14}}
	all := []Node{fast, slow, {}}
	if f, s, none := Speed(fast, all), Speed(slow, all), Speed(Node{}, all); f != 2.5 || s != 0.36 || none != 0 {
		t.Error(f, s, none)
	}
}
