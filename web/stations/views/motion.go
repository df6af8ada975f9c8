package views

import (
	"fmt"
	"net/url"
	"strconv"

	"reelhouse/core/camera"
	"reelhouse/core/edit"
	"reelhouse/web/kit"
)

// A motion is how the camera of an open view moves by keys, and what is edited of that.
type motion struct {
	Blur     kit.Field
	Keys     []shownKey
	Add      *kit.Action // nil where there is a key at the frame that is shown, or none may be set
	TakeOver *kit.Action // nil but for a camera that moves in the scene
	Stretch  *stretching // nil without two keys
	Ruler    ruler
	Now      string // what it does, in words
}

// A shownKey is a key with what is edited of it.
type shownKey struct {
	Frame  int
	Here   bool   // it is at the frame that is shown
	Link   string // to its frame
	At     kit.Field
	Ease   kit.Field
	Aim    kit.Field
	Focal  kit.Field
	Focus  kit.Field
	Remove kit.Action
	Wrong  string
}

// stretching is the form that puts the keys over other frames.
type stretching struct {
	First, Last int
	Do          kit.Action
	Shots       []kit.Action // over the frames of shots that show the view
}

// A ruler is the frames of a motion, in percent of its length.
type ruler struct {
	Marks []rulerMark
	Now   float64
}

type rulerMark struct {
	X     float64
	Frame int
	Link  string
}

var easeNames = map[camera.Ease]string{
	camera.Smooth: "smooth: flows through", camera.Linear: "linear: keeps its speed",
	camera.Rest: "rest: comes to rest", camera.Hold: "hold until the next key",
}

// motion returns how the open view moves.
func (o *openView) motion(v *kit.View, objects []string) motion {
	part, free := v.Part("view-key", o.Code).At("view "+o.Code), !o.Setup.Locked && o.Rig == ""
	out := motion{Blur: v.Part("view", o.Code).Tick("motionBlur", "motion blur", o.Setup.Blur), Now: "It stands still."}
	rig, _ := v.Production.FindRig(o.Rig)
	out.Blur.Locked = o.Setup.Locked || rig.Kind == camera.Pair
	m := o.Setup.Motion
	switch {
	case m != nil:
		first, last := m.Span()
		out.Now = fmt.Sprintf("%s, frames %d to %d.", kit.Plural(len(m.Keys), "key", "keys"), first, last)
	case o.Moves && !o.Own:
		out.Now = "It moves as in the scene."
		take := v.Part("view", o.Code).Action("take-over", "Convert to keys",
			"Keys of this view that move it as in the scene, to be changed; the scene stays as it is")
		out.TakeOver = &take
	}
	if !free {
		out.TakeOver = nil
	} else if m == nil || !hasKey(m, o.Frame) {
		add := part.Action("add", fmt.Sprintf("+ key at frame %d", o.Frame), "The camera is here at this frame")
		out.Add = &add
	}
	if m == nil {
		return out
	}
	eases := kit.Options(camera.Eases(), func(e camera.Ease) string { return easeNames[e] })
	for i := range eases {
		if eases[i].Value == "" {
			eases[i].Value = edit.SmoothEase
		}
	}
	for _, key := range m.Keys {
		out.Keys = append(out.Keys, o.shownKey(v, key, eases, free))
	}
	out.Ruler = o.ruler(m)
	if len(m.Keys) > 1 && free {
		first, last := m.Span()
		s := &stretching{First: first, Last: last}
		s.Do = part.Action("stretch", "Stretch", "Keys between keep their part")
		for _, shot := range v.Production.Shots {
			from, to := shot.Frames.First(), shot.Frames.Last()
			if shot.Shows(o.Code) && (from != first || to != last) {
				do := part.Action("stretch", "over shot "+shot.Code, "").
					Setting("first", strconv.Itoa(from), "last", strconv.Itoa(to))
				do.ID += "-" + shot.Code
				s.Shots = append(s.Shots, do)
			}
		}
		out.Stretch = s
	}
	return out
}

func hasKey(m *camera.Motion, frame int) bool {
	_, ok := m.Find(frame)
	return ok
}

// shownKey returns a key with what is edited of it.
func (o *openView) shownKey(v *kit.View, key camera.Key, eases []kit.Option, free bool) shownKey {
	n := strconv.Itoa(key.Frame)
	part := v.Part("view-key", o.Code).At(edit.SetKey{View: o.Code, Key: key.Frame}.Part())
	field := func(name, label string, value any) kit.Field {
		f := part.Field(name, label+" of the key at frame "+n, value)
		f.ID, f.Edit, f.Locked = "key-"+n+"-"+name, f.Edit.Setting("key", n), !free
		return f
	}
	ease, aim := string(key.Ease), ""
	if ease == "" {
		ease = edit.SmoothEase
	}
	if key.Aim != nil {
		aim = fmt.Sprintf("%s %s %s", kit.Number(key.Aim.X), kit.Number(key.Aim.Y), kit.Number(key.Aim.Z))
	}
	remove := part.Action("remove", "Remove", "Remove this key").Setting("key", n)
	remove.ID = "key-" + n + "-remove"
	return shownKey{
		Frame: key.Frame, Here: key.Frame == o.Frame, Link: o.Address(key.Frame),
		At:     field("to", "Frame", n).Mono(5),
		Ease:   field("ease", "Ease", ease).Among(eases),
		Aim:    field("aim", "Aim", aim).Mono(14).Or("as it is turned").Suggest("subjects"),
		Focal:  field("focalLength", "Focal length, mm,", kit.Some(key.Focal)).Number(5).Or("lens"),
		Focus:  field("focusDistance", "Focus distance, m,", kit.Some(key.Focus)).Number(5).Or("lens"),
		Remove: remove, Wrong: part.Wrong(""),
	}
}

// ruler returns where keys and the shown frame lie on a line from the first key to the last.
func (o *openView) ruler(m *camera.Motion) ruler {
	first, last := m.Span()
	place := func(n int) float64 { return 2 + 96*float64(n-first)/float64(max(1, last-first)) }
	r := ruler{Now: min(99, max(1, place(o.Frame)))}
	for _, k := range m.Keys {
		r.Marks = append(r.Marks, rulerMark{place(k.Frame), k.Frame, o.Address(k.Frame)})
	}
	return r
}

// Address returns the address of the open view, as it is shown, at another frame.
func (o *openView) Address(n int) string {
	q := url.Values{"open": {o.Code}, "frame": {strconv.Itoa(n)}, "side": {string(o.Plan.Side)}, "size": {o.Size.Code}}
	if o.Whole != "" {
		q.Set("all", o.Whole)
	}
	for i, code := range o.ComparedWith {
		if code != "" {
			q.Set(fmt.Sprint("beside", i+1), code)
		}
	}
	return "views?" + q.Encode() + "#set-up"
}
