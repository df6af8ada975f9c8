package production

import (
	"fmt"
	"slices"

	"reelhouse/core/camera"
)

// FindRing returns the ring of a code.
func (p Production) FindRing(code string) (camera.Ring, bool) {
	return find(p.Rings, code, func(r camera.Ring) string { return r.Code })
}

// SetRing keeps a ring, the one of its code or a new one, and makes its views what it says: those that are there are moved, missing
// ones are made, and surplus ones are taken away. A view that is locked, or that a shot needs, refuses that.
func (p *Production) SetRing(r camera.Ring) error {
	if err := r.Check(); err != nil {
		return err
	}
	if i := slices.IndexFunc(p.Rings, func(o camera.Ring) bool { return o.Code == r.Code }); i >= 0 {
		p.Rings[i] = r
	} else {
		p.Rings = append(p.Rings, r)
	}
	stands := r.Stands()
	last := len(p.Views) // where new ones go: behind the ring's last
	n := 0
	for i := 0; i < len(p.Views); i++ {
		v := &p.Views[i]
		if v.Ring != r.Code {
			continue
		}
		if n >= len(stands) {
			if err := p.removable(*v); err != nil {
				return err
			}
			p.Views = slices.Delete(p.Views, i, i+1)
			i--
			continue
		}
		if v.Setup.Locked && (v.Setup.Stand == nil || *v.Setup.Stand != stands[n] || v.Camera != r.Camera) {
			return fmt.Errorf("view %s of the ring is locked; unlock it to move the ring", v.Code)
		}
		v.Camera, v.Look, v.Setup.Stand = r.Camera, r.Look, &stands[n]
		n++
		last = i + 1
	}
	for ; n < len(stands); n++ {
		code := fmt.Sprintf("%s_%0*d", r.Code, len(fmt.Sprint(len(stands))), n+1)
		if _, taken := p.FindView(code); taken {
			return fmt.Errorf("there is a view %s already; give the ring another code", code)
		}
		v := View{Code: code, Name: fmt.Sprintf("%s %d", r.Name, n+1), Camera: r.Camera, Look: r.Look, Ring: r.Code, Setup: camera.Setup{Stand: &stands[n]}}
		p.Views = slices.Insert(p.Views, min(last, len(p.Views)), v)
		last++
	}
	return nil
}

// removable says why a view cannot be taken away, or nil.
func (p *Production) removable(v View) error {
	if v.Setup.Locked {
		return fmt.Errorf("view %s is locked; unlock it first", v.Code)
	}
	for _, s := range p.Shots {
		if s.View == v.Code {
			return fmt.Errorf("shot %s uses view %s; choose another there first", s.Code, v.Code)
		}
	}
	return nil
}

// RemoveRing takes a ring away, with its views.
func (p *Production) RemoveRing(code string) error {
	for _, v := range p.Views {
		if v.Ring == code {
			if err := p.removable(v); err != nil {
				return err
			}
		}
	}
	p.Views = slices.DeleteFunc(p.Views, func(v View) bool { return v.Ring == code })
	p.Rings = slices.DeleteFunc(p.Rings, func(r camera.Ring) bool { return r.Code == code })
	return nil
}
