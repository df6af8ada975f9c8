package house

import (
	"errors"
	"fmt"
	"reflect"

	"reelhouse/core/grade"
	"reelhouse/core/output"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/work"
	"reelhouse/store"
)

// ofPictures returns a follow-up with what the production has of it: of a matte or a grade, which is named by a
// parameter. Others are returned as they are.
func ofPictures(f plan.FollowUp, p production.Production) (plan.FollowUp, error) {
	name := f.Parameters[work.Named]
	switch work.Kind(f.Kind) {
	case work.Matte:
		m, ok := p.FindMatte(name)
		if !ok {
			return f, fmt.Errorf(
				"there is no matte %q; write matte name=CODE, of a matte that the production has",
				name,
			)
		}
		f.Matte = &m
	case work.Grade:
		g, ok := p.FindGrade(name)
		if !ok {
			return f, fmt.Errorf(
				"there is no grade %q; write grade name=CODE, of a grade that the production has",
				name,
			)
		}
		f.Grade = &grade.Frozen{Grade: g}
		for _, code := range g.Mattes() {
			if m, ok := p.FindMatte(code); ok {
				f.Grade.Masks = append(f.Grade.Masks, m)
			}
		}
	default:
		return f, nil
	}
	f.Kind += "-" + name
	return f, nil
}

// mostTakes is how often a matte or a grade can be made of one sequence, each time otherwise.
const mostTakes = 1000

// ErrMade is the error of a matte or a grade that is made, or under way, just as it is.
var ErrMade = fmt.Errorf("%w: it is made of these frames already, or under way, just as it is", store.ErrNothing)

// Follow lets something be made from what was sent before, as store.AddFollowUp does. A matte or a grade that was made
// of a sequence before, and is another one by now, is made once more, under a name with a number.
func (h *House) Follow(scope store.Scope, f store.FollowUp) (added int, err error) {
	if !f.Pictures() {
		return h.Record.AddFollowUp(scope, f)
	}
	if scope.Frame != nil {
		return 0, fmt.Errorf("%w: mattes and grades are made of a sequence, or of all of a batch", store.ErrNothing)
	}
	sequences, err := h.Record.SequencesIn(scope)
	if err != nil {
		return 0, err
	}
	same := false
	var lacking error
	for _, q := range sequences {
		numbered, made, err := h.numbered(q, f)
		if err != nil {
			return added, err
		}
		if made {
			same = true
			continue
		}
		n, err := h.Record.AddFollowUp(store.Scope{Production: scope.Production, Sequence: q.ID}, numbered)
		var less *plan.LackingError
		if errors.As(err, &less) {
			lacking = err
			continue
		}
		if added += n; err != nil {
			return added, err
		}
	}
	switch {
	case added > 0:
		return added, nil
	case same:
		return 0, ErrMade
	}
	return 0, lacking
}

// numbered returns a follow-up of pictures under the first name that it does not have yet; made is true if one of
// them is just like it.
func (h *House) numbered(q store.Sequence, f store.FollowUp) (numbered store.FollowUp, made bool, err error) {
	name := f.Kind
	for n := 2; n <= mostTakes; n++ {
		before, has, err := h.Record.FollowUpOf(q.ID, work.Kind(f.Kind))
		if err != nil || !has {
			return f, false, err
		}
		made = sameRecipe(*before.Spec.FollowUp, f.FollowUp)
		if made {
			return f, true, nil
		}
		f.Kind = fmt.Sprintf("%s-%d", name, n)
	}
	return f, false, fmt.Errorf("%s was made %d times of %s", name, mostTakes, q.Spec.Title())
}

// sameRecipe reports whether two follow-ups make the same pictures of the same frames.
func sameRecipe(a, b plan.FollowUp) bool {
	if a.Parameters[work.Format] != b.Parameters[work.Format] {
		return false
	}
	if a.Matte != nil && b.Matte != nil {
		return a.Matte.Layer == b.Matte.Layer && reflect.DeepEqual(a.Matte.Names, b.Matte.Names)
	}
	if a.Grade == nil || b.Grade == nil {
		return false
	}
	before, now := a.Grade.Grade, b.Grade.Grade
	before.Name, now.Name = "", ""
	return reflect.DeepEqual(before, now) && reflect.DeepEqual(a.Grade.Masks, b.Grade.Masks)
}

// MakePictures lets a matte or a grade of a production, by its code, be made of what was rendered. A matte is written
// in a format.
func (h *House) MakePictures(
	p production.Production, scope store.Scope, kind work.Kind, code string, format output.Format,
) (added int, err error) {
	f := plan.FollowUp{
		Kind: string(kind), ByFrame: true, Parameters: map[string]string{work.Named: code}, Extensions: []string{"exr"},
	}
	if kind == work.Matte {
		f.Parameters[work.Format] = string(format)
	}
	if f, err = ofPictures(f, p); err != nil {
		return 0, err
	}
	if !f.Pictures() {
		return 0, fmt.Errorf("%s is neither a matte nor a grade", kind)
	}
	return h.Follow(scope, store.FollowUp{FollowUp: f})
}
