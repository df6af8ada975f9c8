package production

import (
	"encoding/json"
	"testing"

	"reelhouse/core/pass"
)

// A document from before depth was a pass list's says it once; every list has it then.
func TestDepthOfEarlierDocumentsGoesToEveryList(t *testing.T) {
	text := `{"code": "OLD", "version": 1, "depthBackground": 1200, "occlusionRadius": 0.5,
		"depth": {"picture": true, "near": 2, "far": 80}, "quality": "draft", "looks": [], "views": [],
		"passLists": [{"code": "a", "name": "A", "passes": ["beauty"]},
			{"code": "b", "name": "B", "passes": ["depth"]}]}`
	var p Production
	if err := json.Unmarshal([]byte(text), &p); err != nil {
		t.Fatal(err)
	}
	want := pass.DepthSettings{
		Style: pass.DepthStyle{Picture: true, Near: 2, Far: 80}, Background: 1200, OcclusionRadius: 0.5,
	}
	if len(p.PassLists) != 2 || p.PassLists[0].Depth != want || p.PassLists[1].Depth != want || p.Code != "OLD" {
		t.Errorf("%+v", p)
	}
	own := pass.DepthSettings{Background: 7}
	p.PassLists[0].Depth = own
	data, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	var back Production
	if err := json.Unmarshal(data, &back); err != nil || back.PassLists[0].Depth != own ||
		back.PassLists[1].Depth != want {
		t.Errorf("%v, %+v", err, back.PassLists)
	}
}
