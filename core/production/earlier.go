package production

import (
	"encoding/json"

	"reelhouse/core/pass"
)

// UnmarshalJSON reads documents of earlier versions, too: those had one setting of depth and occlusion for all pass
// lists.
func (p *Production) UnmarshalJSON(data []byte) error {
	type plain Production
	document := struct {
		*plain
		Background      float64         `json:"depthBackground"`
		Depth           pass.DepthStyle `json:"depth"`
		OcclusionRadius float64         `json:"occlusionRadius"`
	}{plain: (*plain)(p)}
	if err := json.Unmarshal(data, &document); err != nil {
		return err
	}
	for i := range p.PassLists {
		if l := &p.PassLists[i]; document.Background != 0 && l.Depth == (pass.DepthSettings{}) {
			l.Depth = pass.DepthSettings{
				Style: document.Depth, Background: document.Background, OcclusionRadius: document.OcclusionRadius,
			}
		}
	}
	return nil
}
