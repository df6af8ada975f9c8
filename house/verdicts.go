package house

import "reelhouse/core/review"

// Seen returns the sequences of a production of which something was decided, in the order of their shots.
func (h *House) Seen(production string) ([]review.Seen, error) {
	by, err := h.Record.VerdictsOf(production, false)
	if err != nil {
		return nil, err
	}
	var all []review.Seen
	for id, given := range by {
		q, err := h.Record.Sequence(id)
		if err != nil {
			return nil, err
		}
		b, err := h.Record.BatchAlone(q.BatchID)
		if err != nil {
			return nil, err
		}
		all = append(all, review.Seen{
			Production: b.Plan.Production, Shot: q.Spec.Shot, View: q.Spec.View, Size: q.Spec.SizeCode,
			Version: b.Plan.VersionOf(q.Spec), Batch: b.ID, Sequence: id, Frames: q.Spec.Frames,
			First: q.Spec.Files[0].Path.Frame(q.Spec.Frames.First()), Clock: b.Plan.Clock(), Verdicts: given,
		})
	}
	review.InOrder(all)
	return all, nil
}
