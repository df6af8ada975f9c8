package camera

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"reelhouse/core/geom"
)

// A Motion is how a view's own camera moves: from key to key. It is never changed in place, since setups share it.
type Motion struct {
	Keys []Key `json:"keys"` // one a frame, in the order of frames
}

// A Key is where the camera stands at a frame, and what its lens is then.
type Key struct {
	Frame int   `json:"frame"`
	Stand Stand `json:"stand"`
	// Aim is a point that stays in the middle of the picture; heading and tilt follow from it. Between two keys that
	// aim, the camera looks at what lies between their points. Nil leaves heading and tilt to the stand.
	Aim *geom.Vec `json:"aim,omitempty"`
	// Focal is the focal length in millimetres, and Focus the focus distance in metres; 0 stands for the setup's.
	Focal float64 `json:"focal,omitempty"`
	Focus float64 `json:"focus,omitempty"`
	Ease  Ease    `json:"ease,omitempty"`
}

// An Ease says how the camera comes to a key and leaves it.
type Ease string

// The ways.
const (
	Smooth Ease = ""       // flows through it; at the first and the last key it rests
	Linear Ease = "linear" // keeps its speed from and to the keys beside
	Rest   Ease = "rest"   // comes to rest there
	Hold   Ease = "hold"   // stays there until the next key, and jumps
)

// Eases returns all of them.
func Eases() []Ease { return []Ease{Smooth, Linear, Rest, Hold} }

// MostKeys is the most keys that a motion has.
const MostKeys = 10_000

// MostFrame is the farthest from 0 that a key may lie.
const MostFrame = 10_000_000

// Check says what is wrong with the motion, or nil.
func (m *Motion) Check() error {
	if m == nil {
		return nil
	}
	if len(m.Keys) == 0 || len(m.Keys) > MostKeys {
		return fmt.Errorf("a camera that moves has 1 to %d keys, not %d", MostKeys, len(m.Keys))
	}
	for i, k := range m.Keys {
		switch {
		case i > 0 && k.Frame <= m.Keys[i-1].Frame:
			return fmt.Errorf("there are two keys at frame %d, or keys that are not in order", k.Frame)
		case k.Frame < -MostFrame || k.Frame > MostFrame:
			return fmt.Errorf("a key at frame %d is too far away", k.Frame)
		case !slices.Contains(Eases(), k.Ease):
			return fmt.Errorf("a key eases smooth, linear, rest or hold, not %q", string(k.Ease))
		case k.Aim != nil && !(k.Aim.Finite() && k.Aim.Length() <= 2*MostMetres):
			return fmt.Errorf("the point that the key at frame %d aims at is too far away", k.Frame)
		}
		if err := (Setup{Stand: &k.Stand, Focal: k.Focal, Focus: k.Focus}).Check(); err != nil {
			return fmt.Errorf("key at frame %d: %w", k.Frame, err)
		}
	}
	return nil
}

// Find returns the key at a frame.
func (m *Motion) Find(frame int) (Key, bool) {
	i, ok := slices.BinarySearchFunc(m.Keys, frame, func(k Key, f int) int { return cmp.Compare(k.Frame, f) })
	if !ok {
		return Key{}, false
	}
	return m.Keys[i], true
}

// With returns the motion with a key, in the place of the one at its frame.
func (m *Motion) With(key Key) *Motion {
	keys := []Key{key}
	if m != nil {
		keys = append(m.Without(key.Frame).Keys, key)
	}
	slices.SortFunc(keys, func(a, b Key) int { return cmp.Compare(a.Frame, b.Frame) })
	return &Motion{keys}
}

// Without returns the motion without the key at a frame.
func (m *Motion) Without(frame int) *Motion {
	return &Motion{slices.DeleteFunc(slices.Clone(m.Keys), func(k Key) bool { return k.Frame == frame })}
}

// Span returns the frames of the first and the last key.
func (m *Motion) Span() (first, last int) { return m.Keys[0].Frame, m.Keys[len(m.Keys)-1].Frame }

// Stretched returns the motion with its first and last key at other frames, and those between in proportion, at whole
// frames. A single key goes to first.
func (m *Motion) Stretched(first, last int) (*Motion, error) {
	from, to := m.Span()
	out := &Motion{slices.Clone(m.Keys)}
	for i := range out.Keys {
		k := &out.Keys[i]
		if k.Frame = first; to > from {
			k.Frame = first + int(math.Round(float64(m.Keys[i].Frame-from)*float64(last-first)/float64(to-from)))
		}
		if i > 0 && k.Frame <= out.Keys[i-1].Frame {
			return nil, fmt.Errorf(
				"frames %d to %d are too few for %d keys; remove some of them first", first, last, len(out.Keys),
			)
		}
	}
	return out, nil
}

// At returns what the camera is at a frame, or between two: a key without an ease. Values between keys follow cubic
// Hermite curves that go beyond neither key (F. N. Fritsch and J. Butland, 1984), so that what is equal at two keys
// stays so between them. A heading takes the shorter way round.
func (m *Motion) At(frame float64) Key {
	last := len(m.Keys) - 1
	i := 0
	for i < last && float64(m.Keys[i+1].Frame) <= frame {
		i++
	}
	if k := m.Keys[i]; frame <= float64(k.Frame) || i == last || k.Ease == Hold {
		return k
	}
	a, b := m.Keys[i], m.Keys[i+1]
	at := func(of func(k Key) float64) float64 { return m.between(i, frame, of, difference) }
	out := Key{Frame: int(frame), Stand: Stand{
		Position: geom.Vec{
			X: at(func(k Key) float64 { return k.Stand.Position.X }),
			Y: at(func(k Key) float64 { return k.Stand.Position.Y }),
			Z: at(func(k Key) float64 { return k.Stand.Position.Z }),
		},
		Heading: math.Mod(m.between(i, frame, func(k Key) float64 { return k.Stand.Heading }, shorter)+720, 360),
		Tilt:    at(func(k Key) float64 { return k.Stand.Tilt }),
		Roll:    at(func(k Key) float64 { return k.Stand.Roll }),
	}}
	out.Focal, out.Focus = at(func(k Key) float64 { return k.Focal }), at(func(k Key) float64 { return k.Focus })
	if a.Aim != nil && b.Aim != nil {
		point := geom.Vec{X: m.aim(i, frame, axisX), Y: m.aim(i, frame, axisY), Z: m.aim(i, frame, axisZ)}
		if aimed, err := out.Stand.Aimed(point); err == nil {
			aimed.Roll = out.Stand.Roll
			out.Stand, out.Aim = aimed, &point
		}
	}
	return out
}

func axisX(v geom.Vec) float64 { return v.X }
func axisY(v geom.Vec) float64 { return v.Y }
func axisZ(v geom.Vec) float64 { return v.Z }

// aim returns a coordinate of the point that lies between those of two keys. Beyond keys that aim, the points stay.
func (m *Motion) aim(i int, frame float64, of func(geom.Vec) float64) float64 {
	run := &Motion{slices.Clone(m.Keys[max(0, i-1):min(len(m.Keys), i+3)])}
	at := i - max(0, i-1)
	for k := range run.Keys {
		if run.Keys[k].Aim == nil {
			run.Keys[k].Aim = run.Keys[min(max(k, at), at+1)].Aim
		}
	}
	return run.between(at, frame, func(k Key) float64 { return of(*k.Aim) }, difference)
}

func difference(from, to float64) float64 { return to - from }

// shorter returns the way from one heading to another: less than half a turn.
func shorter(from, to float64) float64 { return math.Remainder(to-from, 360) }

// between returns a value between the key i and the next.
func (m *Motion) between(i int, frame float64, of func(Key) float64, way func(from, to float64) float64) float64 {
	slope := func(k int) float64 { // from the key k to the next
		a, b := m.Keys[k], m.Keys[k+1]
		return way(of(a), of(b)) / float64(b.Frame-a.Frame)
	}
	tangent := func(k int) float64 {
		switch m.Keys[k].Ease {
		case Linear:
			return slope(i)
		case Rest, Hold:
			return 0
		}
		if k == 0 || k == len(m.Keys)-1 || m.Keys[k-1].Ease == Hold {
			return 0
		}
		before, after := slope(k-1), slope(k)
		if before*after <= 0 {
			return 0
		}
		wide, narrow := float64(m.Keys[k+1].Frame-m.Keys[k].Frame), float64(m.Keys[k].Frame-m.Keys[k-1].Frame)
		u, v := 2*wide+narrow, wide+2*narrow
		return (u + v) / (u/before + v/after)
	}
	from, span := of(m.Keys[i]), float64(m.Keys[i+1].Frame-m.Keys[i].Frame)
	t := (frame - float64(m.Keys[i].Frame)) / span
	rise := slope(i) * span
	return from + (3-2*t)*t*t*rise + span*(t*(1-t)*(1-t)*tangent(i)-t*t*(1-t)*tangent(i+1))
}

// At returns the setup at a frame, or between two: standing still.
func (s Setup) At(frame float64) Setup {
	if s.Motion == nil || len(s.Motion.Keys) == 0 {
		return s
	}
	m := s.Motion
	if m.zooms() {
		m = &Motion{slices.Clone(m.Keys)}
		for i := range m.Keys {
			k := &m.Keys[i]
			k.Focal, k.Focus = cmp.Or(k.Focal, s.Focal), cmp.Or(k.Focus, s.Focus)
		}
	}
	k := m.At(frame)
	stand := k.Stand
	s.Motion, s.Stand = nil, &stand
	s.Focal, s.Focus = cmp.Or(k.Focal, s.Focal), cmp.Or(k.Focus, s.Focus)
	return s
}

// zooms reports whether keys have lenses of their own.
func (m *Motion) zooms() bool {
	return slices.ContainsFunc(m.Keys, func(k Key) bool { return k.Focal != 0 || k.Focus != 0 })
}

// checkLens says that keys without a lens of their own have none to take, or nil.
func (s Setup) checkLens() error {
	if s.Motion == nil {
		return nil
	}
	focals, focuses := 0, 0
	for _, k := range s.Motion.Keys {
		if k.Focal != 0 {
			focals++
		}
		if k.Focus != 0 {
			focuses++
		}
	}
	switch n := len(s.Motion.Keys); {
	case focals > 0 && focals < n && s.Focal == 0:
		return fmt.Errorf("some keys have a focal length and others have not; give the lens one for those")
	case focuses > 0 && focuses < n && s.Focus == 0:
		return fmt.Errorf("some keys have a focus distance and others have not; give the lens one for those")
	}
	return nil
}

// OfAnotherCamera returns what of the setup goes with another camera: exposure and blur; not place, lens and framing.
func (s Setup) OfAnotherCamera() Setup {
	return Setup{
		Blur: s.Blur, FNumber: s.FNumber, Focus: s.Focus, Exposure: s.Exposure, EV: s.EV, Shutter: s.Shutter,
		ISO: s.ISO, Locked: s.Locked,
	}
}

// Own reports whether the view itself says where the camera stands or moves.
func (s Setup) Own() bool { return s.Stand != nil || s.Motion != nil }
