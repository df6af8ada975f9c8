package cut

import (
	"math"
	"slices"
	"strings"
)

// warpOf returns the speed of an effect; false if it is none of time.
func (o *otioReader) warpOf(effect node) (Speed, bool, error) {
	if off(effect) {
		return Speed{}, false, nil
	}
	switch kind, _, _ := strings.Cut(effect.text("OTIO_SCHEMA"), "."); kind {
	case "FreezeFrame":
		return Hold, true, nil
	case "LinearTimeWarp":
		v, err := effect.number("time_scalar")
		if err != nil {
			return Speed{}, true, err
		}
		if !(math.Abs(v) <= maxSpeed) {
			return Speed{}, true, effect.wrong("a speed of %g times", v)
		}
		return speedOf(v), true, nil
	}
	return Speed{}, false, nil
}

// warp returns the speed that all effects of a thing give it together.
func (o *otioReader) warp(n node) (Speed, error) {
	var all Speed
	for _, effect := range n.object["effects"].list {
		v, timed, err := o.warpOf(effect)
		if err != nil {
			return Speed{}, err
		}
		if timed {
			all = all.Times(v)
		}
	}
	if over, under := all.Fraction(); over > maxSpeed*under || over < -maxSpeed*under {
		return Speed{}, n.wrong("a speed of %s", all)
	}
	return all, nil
}

// retimed returns what clips show at another speed: of length record frames from at on, the k-th shows what the record
// frame from + floor(k x speed) showed.
func retimed(clips []Clip, from int, v Speed, at, length int) []Clip {
	over, under := v.Fraction()
	var all []Clip
	for _, clip := range clips {
		a, b := clip.Record-from, clip.End()-from
		first, last := 0, length // k, and before which
		switch {
		case over > 0:
			first, last = -floorDiv(-a*under, over), -floorDiv(-b*under, over)
		case over < 0:
			first, last = floorDiv(b*under, over)+1, floorDiv(a*under, over)+1
		case a > 0 || b <= 0:
			continue
		}
		first, last = max(0, first), min(length, last)
		if first >= last {
			continue
		}
		part := clip
		part.Source = clip.SourceAt(from + floorDiv(first*over, under))
		part.Record, part.Length, part.Speed = at+first, last-first, clip.Speed.Times(v)
		all = append(all, part)
	}
	slices.SortFunc(all, func(a, b Clip) int { return a.Record - b.Record })
	return all
}

// floorDiv divides and rounds down.
func floorDiv(a, b int) int {
	q := a / b
	if a%b != 0 && (a < 0) != (b < 0) {
		q--
	}
	return q
}

// window returns what clips show in a part of the record frames, from one to before another.
func window(clips []Clip, from, to int) []Clip {
	var kept []Clip
	for _, clip := range clips {
		if a, b := max(clip.Record, from), min(clip.End(), to); a < b {
			kept = append(kept, clip.Part(a, b))
		}
	}
	return kept
}
