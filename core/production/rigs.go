package production

import (
	"fmt"
	"math"
	"slices"

	"reelhouse/core/camera"
)

// A Lens tells the focal length in millimetres that a view comes to, which the eyes of a stereo pair need.
type Lens func(v View) (float64, error)

// FindRig returns the rig of a code.
func (p Production) FindRig(code string) (camera.Rig, bool) {
	return find(p.Rigs, code, func(r camera.Rig) string { return r.Code })
}

// An Eye is one of the two views of a stereo pair.
type Eye struct {
	View, Other string // codes of it, and of the other eye
	Left        bool
}

// EyeOf returns which eye of a stereo pair a view is; false if it is none.
func (p Production) EyeOf(view string) (Eye, bool) {
	v, ok := p.FindView(view)
	if !ok {
		return Eye{}, false
	}
	r, ok := p.FindRig(v.Rig)
	if !ok || r.Kind != camera.Pair {
		return Eye{}, false
	}
	left, right := r.View+"_"+r.Left, r.View+"_"+r.Right
	switch view {
	case left:
		return Eye{view, right, true}, true
	case right:
		return Eye{view, left, false}, true
	}
	return Eye{}, false
}

// SetRig keeps a rig, the one of its code or a new one, and makes its views what it says: those that are there are
// moved, missing ones are made, and surplus ones are taken away. A view that is locked, or that a shot needs, refuses
// that.
func (p *Production) SetRig(r camera.Rig, lens Lens) error {
	if err := r.Check(); err != nil {
		return err
	}
	members, prefix, err := p.members(&r, lens)
	if err != nil {
		return err
	}
	if i := slices.IndexFunc(p.Rigs, func(o camera.Rig) bool { return o.Code == r.Code }); i >= 0 {
		p.Rigs[i] = r
	} else {
		p.Rigs = append(p.Rigs, r)
	}
	last := len(p.Views) // where new ones go: behind the rig's last
	if i := slices.IndexFunc(p.Views, func(v View) bool { return v.Code == r.View }); i >= 0 {
		last = i + 1
	}
	n := 0
	for i := 0; i < len(p.Views); i++ {
		v := &p.Views[i]
		if v.Rig != r.Code {
			continue
		}
		if n >= len(members) {
			if err := p.removable(*v); err != nil {
				return err
			}
			p.Views = slices.Delete(p.Views, i, i+1)
			i--
			continue
		}
		then := members[n].Over(v.Setup)
		if v.Setup.Locked && (!then.Same(v.Setup) || v.Camera != r.Camera) {
			return fmt.Errorf("view %s of the rig is locked; unlock it to move the rig", v.Code)
		}
		v.Camera, v.Look, v.Setup = r.Camera, r.Look, then
		if code := prefix + "_" + members[n].Suffix; r.Kind == camera.Pair && v.Code != code {
			p.renameView(v.Code, code)
		}
		n++
		last = i + 1
	}
	for ; n < len(members); n++ {
		code := prefix + "_" + members[n].Suffix
		if _, taken := p.FindView(code); taken {
			return fmt.Errorf("there is a view %s already; give the rig another code", code)
		}
		v := View{
			Code:   code,
			Name:   r.Name + " " + members[n].Name,
			Camera: r.Camera,
			Look:   r.Look,
			Rig:    r.Code,
			Setup:  members[n].Over(camera.Setup{}),
		}
		p.Views = slices.Insert(p.Views, min(last, len(p.Views)), v)
		last++
	}
	return nil
}

// members returns the cameras of a rig, and what the codes of their views begin with. A Pair takes camera and look from
// its view.
func (p *Production) members(r *camera.Rig, lens Lens) ([]camera.Member, string, error) {
	if r.Kind != camera.Pair {
		return r.Members(camera.Setup{}, 0), r.Code, nil
	}
	v, ok := p.FindView(r.View)
	switch {
	case !ok:
		return nil, "", fmt.Errorf("there is no view %q whose eyes they could be", r.View)
	case v.Rig == r.Code:
		return nil, "", fmt.Errorf("view %s is one of the eyes itself", v.Code)
	}
	focal, err := lens(v)
	if err != nil {
		return nil, "", err
	}
	if focal == 0 && r.Convergence > 0 {
		return nil, "", fmt.Errorf("the eyes of an orthographic camera look straight ahead; set the convergence to 0")
	}
	r.Camera, r.Look = v.Camera, v.Look
	return r.Members(v.Setup, focal), v.Code, nil
}

// FollowPairs makes stereo pairs what their views are now. A pair whose view is gone keeps what it has.
func (p *Production) FollowPairs(lens Lens) error {
	for _, r := range slices.Clone(p.Rigs) {
		if _, ok := p.FindView(r.View); r.Kind != camera.Pair || !ok {
			continue
		}
		if err := p.SetRig(r, lens); err != nil {
			return fmt.Errorf("its stereo pair %s: %w", r.Code, err)
		}
	}
	return nil
}

// RenameView gives a view another code, wherever that is named.
func (p *Production) RenameView(from, to string) {
	p.renameView(from, to)
	for i := range p.Rigs {
		if p.Rigs[i].View == from {
			p.Rigs[i].View = to
		}
	}
}

func (p *Production) renameView(from, to string) {
	for i := range p.Views {
		if p.Views[i].Code == from {
			p.Views[i].Code = to
		}
	}
	for i := range p.Shots {
		s := &p.Shots[i]
		if s.View == from {
			s.View = to
		}
		for k := range s.Also {
			if s.Also[k] == from {
				s.Also[k] = to
			}
		}
		for k := range s.Without {
			if s.Without[k].View == from {
				s.Without[k].View = to
			}
		}
		for k := range s.Tiles {
			if s.Tiles[k].View == from {
				s.Tiles[k].View = to
			}
		}
	}
}

// removable says why a view cannot be taken away, or nil.
func (p *Production) removable(v View) error {
	if v.Setup.Locked {
		return fmt.Errorf("view %s is locked; unlock it first", v.Code)
	}
	for _, s := range p.Shots {
		if s.Shows(v.Code) {
			return fmt.Errorf("shot %s uses view %s; choose another there first", s.Code, v.Code)
		}
	}
	return nil
}

// RemoveRig takes a rig away, with its views.
func (p *Production) RemoveRig(code string) error {
	for _, s := range p.Shots {
		if s.Shows(code) {
			return fmt.Errorf("shot %s shows the rig %s; choose another view there first", s.Code, code)
		}
	}
	for _, v := range p.Views {
		if v.Rig == code {
			if err := p.removable(v); err != nil {
				return err
			}
		}
	}
	p.Views = slices.DeleteFunc(p.Views, func(v View) bool { return v.Rig == code })
	p.Rigs = slices.DeleteFunc(p.Rigs, func(r camera.Rig) bool { return r.Code == code })
	return nil
}

// angles returns where the views of rings and panoramas stand, in whole degrees from the first, by their codes.
func (p *Production) angles() map[string]int {
	var found map[string]int
	for _, r := range p.Rigs {
		if r.Kind != camera.Ring && r.Kind != camera.Panorama {
			continue
		}
		i := 0
		for _, v := range p.Views {
			if v.Rig != r.Code {
				continue
			}
			if found == nil {
				found = map[string]int{}
			}
			found[v.Code] = int(math.Round(float64(i)*r.Apart())) % 360
			i++
		}
	}
	return found
}
