package farm

import (
	"slices"
	"strconv"

	"reelhouse/core/job"
	"reelhouse/core/naming"
	"reelhouse/core/pass"
	"reelhouse/core/plan"
	"reelhouse/core/stamp"
	"reelhouse/house"
	"reelhouse/store"
)

// factsOf returns what is known of a leased frame before it is rendered, but for the file.
func factsOf(h *house.House, l *store.Lease) (stamp.Facts, error) {
	s, b := l.Sequence.Spec, l.Batch.Plan
	scene, err := h.Scene(b.Scene)
	if err != nil {
		return stamp.Facts{}, err
	}
	clock := b.Clock()
	return stamp.Facts{
		Fields: naming.Fields{Production: b.Production, Shot: s.Shot, View: s.View, Look: s.Look.Name, Size: s.SizeCode, Quality: b.QualityOf(s).Name},
		Title:  b.Title, ShotName: s.ShotName, Timecode: clock.Timecode(l.Number).String(), Seconds: clock.Seconds(l.Number),
		Lens: house.LensName(scene, s.Camera, s.Setup), Note: s.Note, Label: s.Label(l.Number), Sent: l.Batch.Sent,
	}, nil
}

// depthFact says what the depth pass holds, "" if there is none.
func depthFact(s plan.Sequence, b plan.Batch) string {
	if !slices.Contains(s.Passes, pass.Depth) {
		return ""
	}
	return b.Depth.String()
}

// headerFacts returns what the headers of a frame's files say; parts of the production by their codes.
func headerFacts(f stamp.Facts, s plan.Sequence, b plan.Batch) []job.Fact {
	var kept []job.Fact
	for _, fact := range []job.Fact{
		{Name: "production", Value: f.Production}, {Name: "title", Value: f.Title}, {Name: "shot", Value: f.Shot}, {Name: "shotname", Value: f.ShotName},
		{Name: "view", Value: f.View}, {Name: "camera", Value: s.Camera}, {Name: "lens", Value: f.Lens}, {Name: "look", Value: s.Look.Code},
		{Name: "size", Value: f.Size}, {Name: "quality", Value: b.QualityOf(s).Code}, {Name: "version", Value: strconv.Itoa(b.Version)},
		{Name: "timecode", Value: f.Timecode}, {Name: "date", Value: f.Date()}, {Name: "note", Value: f.Note}, {Name: "label", Value: f.Label}, {Name: "scene", Value: b.Scene.SHA256}, {Name: "depth", Value: depthFact(s, b)},
	} {
		if fact.Value != "" {
			kept = append(kept, fact)
		}
	}
	return kept
}
