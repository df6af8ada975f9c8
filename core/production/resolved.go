package production

import (
	"slices"

	"reelhouse/core/frame"
	"reelhouse/core/look"
	"reelhouse/core/naming"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
)

// A production names its parts by codes. Resolved is the same with every code of its shots looked up once: what each
// shot really renders, whether it says so itself or the production does, and what cannot be found. Plans, checks and
// pages read this, and look nothing up again. Parts point into the production.
type Resolved struct {
	Production Production
	Quality    Quality // of the next batch
	Shots      []RenderedShot
	// Problems is everything that is wrong with the production, in the order in which it is set up. Without any, all
	// codes were found.
	Problems []Problem
}

// A RenderedShot is what a shot renders.
type RenderedShot struct {
	Shot    *Shot
	Views   []SeenView // each once, rigs as their views
	Sizes   []*raster.Named
	List    *PassList // nil if there is none of its code
	Outputs []*RenderedOutput
	Quality Quality
	Handles int // frames before and after
}

// A SeenView is a view as a shot shows it.
type SeenView struct {
	*View
	// Look is the shot's, or else the view's, with the shot's values; nil if there is none of its code.
	Look        *look.Look
	Environment EnvironmentFile
	Angle       int // in its rig, whole degrees from the first
}

// A RenderedOutput is an output with how its files are written and called.
type RenderedOutput struct {
	*output.Output
	Encoding output.Encoding
	Pattern  naming.Pattern
}

// Own returns the shot's frames in its step, without handles.
func (s RenderedShot) Own() frame.Set { return s.Shot.Frames.Thin(s.Shot.Step) }

// Rendered returns the frames that are rendered: in the shot's step, and with handles if it is more than a still.
func (s RenderedShot) Rendered() frame.Set { return s.Own().WithHandles(s.Handles) }

// Passes returns the passes that are rendered, in the order of the catalogue.
func (s RenderedShot) Passes() []pass.Code {
	if s.List == nil {
		return nil
	}
	return pass.Sorted(s.List.Passes)
}

// Depth returns what the passes of depth and occlusion hold: as the shot says, or else its pass list.
func (s RenderedShot) Depth() pass.DepthSettings {
	if s.Shot.Depth != nil {
		return *s.Shot.Depth
	}
	if s.List != nil {
		return s.List.Depth
	}
	return pass.UsualDepth()
}

// SizeCodes returns the codes of the sizes.
func (s RenderedShot) SizeCodes() []string {
	return codesOf(s.Sizes, func(n *raster.Named) string { return n.Code })
}

// OutputCodes returns the codes of the outputs.
func (s RenderedShot) OutputCodes() []string {
	return codesOf(s.Outputs, func(o *RenderedOutput) string { return o.Code })
}

// LookCodes returns the codes of the looks that its views have, each once.
func (s RenderedShot) LookCodes() []string {
	var codes []string
	for _, v := range s.Views {
		if v.Look != nil && !slices.Contains(codes, v.Look.Code) {
			codes = append(codes, v.Look.Code)
		}
	}
	return codes
}

// Seen returns the view of a code as the shot shows it, or else the first that it shows; false if it shows none.
func (s RenderedShot) Seen(code string) (SeenView, bool) {
	if len(s.Views) == 0 {
		return SeenView{View: &View{}}, false
	}
	i := slices.IndexFunc(s.Views, func(v SeenView) bool { return v.Code == code })
	return s.Views[max(0, i)], true
}

// HasOutput reports whether the shot goes to the output of a code.
func (s RenderedShot) HasOutput(code string) bool {
	return slices.ContainsFunc(s.Outputs, func(o *RenderedOutput) bool { return o.Code == code })
}

// parts are those of a production by their codes.
type parts struct {
	p         *Production
	views     map[string]*View
	rigs      map[string][]*View
	looks     map[string]*look.Look
	sizes     map[string]*raster.Named
	lists     map[string]*PassList
	outputs   map[string]*RenderedOutput
	qualities map[string]*Quality
	around    map[string]EnvironmentFile
	angles    map[string]int  // of views, by their codes
	asking    map[string]bool // codes of looks that ask for values of shots
	// What is found for shots lies in a few long slices.
	seenRoom   room[SeenView]
	sizeRoom   room[*raster.Named]
	outputRoom room[*RenderedOutput]
}

// A room has place for many short slices.
type room[T any] struct{ rest []T }

// take returns an empty slice with place for n.
func (r *room[T]) take(n int) []T {
	const atOnce = 1024
	if len(r.rest) < n {
		r.rest = make([]T, max(n, atOnce))
	}
	place := r.rest[:0:n]
	r.rest = r.rest[n:]
	return place
}

func byCode[T any](list []T, code func(*T) string) map[string]*T {
	m := make(map[string]*T, len(list))
	for i := len(list) - 1; i >= 0; i-- { // the first of a code counts
		m[code(&list[i])] = &list[i]
	}
	return m
}

func (p *Production) parts() parts {
	r := parts{
		p:         p,
		views:     byCode(p.Views, func(v *View) string { return v.Code }),
		rigs:      map[string][]*View{},
		looks:     byCode(p.Looks, func(l *look.Look) string { return l.Code }),
		sizes:     byCode(p.Sizes, func(n *raster.Named) string { return n.Code }),
		lists:     byCode(p.PassLists, func(l *PassList) string { return l.Code }),
		outputs:   map[string]*RenderedOutput{},
		qualities: byCode(p.Qualities, func(q *Quality) string { return q.Code }),
		around:    map[string]EnvironmentFile{},
		angles:    p.angles(),
	}
	for i := range p.Views {
		if v := &p.Views[i]; v.Rig != "" {
			r.rigs[v.Rig] = append(r.rigs[v.Rig], v)
		}
	}
	for i := range p.Looks {
		if p.Looks[i].Asks() {
			if r.asking == nil {
				r.asking = map[string]bool{}
			}
			r.asking[p.Looks[i].Code] = true
		}
	}
	for i := range p.Outputs {
		o := &p.Outputs[i]
		if r.outputs[o.Code] == nil {
			pattern, _ := naming.Parse(p.PatternOf(*o)) // a fault is one of the standards' problems
			r.outputs[o.Code] = &RenderedOutput{o, p.EncodingOf(*o), pattern}
		}
	}
	for _, e := range p.Environments {
		r.around[e.Code] = e
	}
	return r
}

// Resolve looks every code of the production up, once.
func (p Production) Resolve() *Resolved {
	r := &Resolved{Production: p}
	known := r.Production.parts()
	r.Quality, _ = p.FindQuality(p.Quality)
	r.Shots = make([]RenderedShot, len(p.Shots))
	r.Problems = r.Production.problems(func(ps *problems) {
		for i := range r.Production.Shots {
			s := &r.Production.Shots[i]
			at := "shot " + s.Code
			r.Shots[i] = known.shot(s, func(field, format string, args ...any) { ps.add(at, field, format, args...) })
		}
	})
	return r
}

// ResolvedShot returns what one shot of the production renders.
func (p Production) ResolvedShot(s Shot) RenderedShot {
	known := p.parts()
	return known.shot(&s, func(string, string, ...any) {})
}

// shot looks up what a shot renders; fault is told what cannot be found.
func (known *parts) shot(s *Shot, fault func(field, format string, args ...any)) RenderedShot {
	p := known.p
	r := RenderedShot{Shot: s, Handles: p.HandlesOf(*s)}
	known.seen(s, &r, fault)
	sizes, outputs, list := p.SizesOf(*s), p.OutputsOf(*s), p.PassListOf(*s)
	if len(sizes) == 0 {
		fault("sizes", "no size is chosen, here or for all shots; choose at least one")
	}
	r.Sizes = known.sizeRoom.take(len(sizes))
	for _, code := range sizes {
		if n := known.sizes[code]; n != nil {
			r.Sizes = append(r.Sizes, n)
		} else {
			fault("sizes", "the size %q does not exist", code)
		}
	}
	if r.List = known.lists[list]; r.List == nil {
		fault("passList", "the pass list %q does not exist; choose another", list)
	}
	if len(outputs) == 0 {
		fault("outputs", "no output is chosen, here or for all shots; choose at least one")
	}
	r.Outputs = known.outputRoom.take(len(outputs))
	asked := func(o *RenderedOutput) {
		for _, key := range o.Pattern.Keys() {
			if !slices.ContainsFunc(s.Values, func(v Value) bool { return v.Key == key }) {
				fault("values", "names of output %s ask for the value %s; give the shot one", o.Code, key)
			}
		}
	}
	for _, code := range outputs {
		if o := known.outputs[code]; o != nil {
			asked(o)
			r.Outputs = append(r.Outputs, o)
		} else {
			fault("outputs", "the output %q does not exist", code)
		}
	}
	if q := known.qualities[p.QualityOf(*s)]; q != nil {
		r.Quality = *q
	} else if s.Quality != "" {
		fault("quality", "the quality %q does not exist; choose another", s.Quality)
	}
	return r
}

// seen looks up the views that a shot shows, under their looks.
func (known *parts) seen(s *Shot, r *RenderedShot, fault func(field, format string, args ...any)) {
	if s.Look != "" && known.looks[s.Look] == nil {
		fault("look", "the look %q does not exist; choose another", s.Look)
	}
	if s.View == "" && len(s.Also) == 0 {
		fault("view", "no view is chosen; choose at least one")
	}
	count := 0
	for _, code := range s.Also {
		count += max(1, len(known.rigs[code]))
	}
	if s.View != "" {
		count += max(1, len(known.rigs[s.View]))
	}
	r.Views = known.seenRoom.take(count)
	values := s.ValueMap()
	add := func(v *View) {
		if slices.ContainsFunc(r.Views, func(w SeenView) bool { return w.View.Code == v.Code }) {
			return
		}
		l := known.looks[known.p.LookOf(*s, *v)]
		if l != nil && known.asking[l.Code] {
			filled, err := l.With(values)
			if err != nil {
				fault("values", "the look %s asks for %s; give the shot that value", l.Code, err)
			}
			l = &filled
		}
		seen := SeenView{View: v, Look: l, Angle: known.angles[v.Code]}
		if l != nil && l.Environment.Map != "" {
			seen.Environment = known.around[l.Environment.Map]
		}
		r.Views = append(r.Views, seen)
	}
	one := func(code string) {
		v, rig := known.views[code], known.rigs[code]
		switch {
		case v != nil && v.Working:
			fault("view", "%s is a working view; make it a shot view first, or choose another", code)
			add(v)
		case v != nil:
			add(v)
		case len(rig) == 0:
			fault("view", "the view %q does not exist; choose another", code)
		}
		if v == nil {
			for _, v := range rig {
				add(v)
			}
		}
	}
	if s.View != "" {
		one(s.View)
	}
	for _, code := range s.Also {
		one(code)
	}
}
