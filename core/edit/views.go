package edit

import (
	"fmt"
	"slices"

	"reelhouse/core/camera"
	"reelhouse/core/geom"
	"reelhouse/core/production"
	"reelhouse/core/scene"
)

// AddView adds a view of a camera of the scene, or of one of its own, which begins with all of the scene in its
// picture.
type AddView struct {
	Camera string `json:"camera,omitempty" role:"value"`
}

func (AddView) Name() string { return "view.add" }
func (AddView) Part() string { return "view" }

func (c AddView) words() string {
	if c.Camera == "" {
		return "add view with a camera of its own"
	}
	return "add view of " + c.Camera
}

func (c AddView) needs(p production.Production) Needs {
	if c.Camera != "" {
		return Needs{}
	}
	return needScene(p)
}

func (c AddView) apply(p *production.Production, k Known) error {
	if len(p.Looks) == 0 {
		return fmt.Errorf("a view needs a look; add one first")
	}
	taken := func(code string) bool { _, ok := p.FindView(code); return ok }
	code := free("view", len(p.Views)+1, taken)
	v := production.View{Code: code, Name: "New view", Camera: c.Camera, Look: p.Looks[0].Code}
	if c.Camera == "" {
		s, err := k.scene(p)
		if err != nil {
			return err
		}
		stand := camera.Around(s.Bounds(s.At(0)))
		v.Setup.Stand = &stand
	}
	p.Views = append(p.Views, v)
	return nil
}

func viewAt(p *production.Production, code string) (int, error) {
	return at("view", code, p.Views, func(v production.View) string { return v.Code })
}

// followPairs makes stereo pairs what their views are now.
func followPairs(p *production.Production, k Known, frame int) error {
	return p.FollowPairs(func(v production.View) (float64, error) {
		s, err := standingOf(p, k, v, frame)
		return v.Setup.At(float64(frame)).FocalOf(s.optics), err
	})
}

// inRig says that a view's rig decides what is asked for, or nil.
func inRig(v production.View, instead string) error {
	if v.Rig == "" {
		return nil
	}
	return fmt.Errorf("view %s stands in the rig %s; %s, or detach the view", v.Code, v.Rig, instead)
}

func locked(v production.View) error {
	return fmt.Errorf("the camera of view %s is locked; unlock it to change it", v.Code)
}

// RemoveView removes a view that nothing uses.
type RemoveView struct {
	View string `json:"view" role:"of"`
}

func (RemoveView) Name() string   { return "view.remove" }
func (c RemoveView) Part() string { return "view " + c.View }

func (c RemoveView) apply(p *production.Production, _ Known) error {
	i, err := viewAt(p, c.View)
	if err != nil {
		return err
	}
	if err := inRig(p.Views[i], "give the rig fewer cameras"); err != nil {
		return err
	}
	if err := unused(p, "view", func(s production.Shot) bool { return s.Shows(c.View) }); err != nil {
		return err
	}
	if i := slices.IndexFunc(p.Rigs, func(r camera.Rig) bool { return r.View == c.View }); i >= 0 {
		return fmt.Errorf("the stereo pair %s is made from this view; remove the pair first", p.Rigs[i].Code)
	}
	p.Views = slices.Delete(p.Views, i, i+1)
	return nil
}

// CopyView adds a copy of a view after it.
type CopyView struct {
	View string `json:"view" role:"of"`
}

func (CopyView) Name() string   { return "view.copy" }
func (c CopyView) Part() string { return "view " + c.View }

func (c CopyView) apply(p *production.Production, _ Known) error {
	i, err := viewAt(p, c.View)
	if err == nil {
		insertView(p, i, p.Views[i], p.Views[i].Name+" (copy)")
	}
	return err
}

// FreezeView adds a working view that stands where a view's camera is at a frame.
type FreezeView struct {
	View  string `json:"view" role:"of"`
	Frame int    `json:"frame"`
}

func (FreezeView) Name() string   { return "view.freeze" }
func (c FreezeView) Part() string { return "view " + c.View }
func (c FreezeView) words() string {
	return fmt.Sprintf("working view of %s at frame %d", c.View, c.Frame)
}
func (c FreezeView) needs(p production.Production) Needs { return needScene(p) }

func (c FreezeView) apply(p *production.Production, k Known) error {
	i, err := viewAt(p, c.View)
	if err != nil {
		return err
	}
	v := p.Views[i]
	s, err := standingOf(p, k, v, c.Frame)
	if err != nil {
		return err
	}
	v.Setup = v.Setup.At(float64(c.Frame))
	v.Working, v.Setup.Stand = true, &s.stand
	insertView(p, i, v, fmt.Sprintf("%s at frame %d", v.Name, c.Frame))
	return nil
}

// insertView puts a view that was made of another one behind it, unlocked and in no rig.
func insertView(p *production.Production, after int, v production.View, name string) {
	v.Name = name
	v.Code = free(v.Code+"_", 2, func(code string) bool { _, ok := p.FindView(code); return ok })
	v.Setup.Locked, v.Rig = false, ""
	if v.Setup.Stand != nil {
		stand := *v.Setup.Stand
		v.Setup.Stand = &stand
	}
	p.Views = slices.Insert(p.Views, after+1, v)
}

// DetachView takes a view out of its rig.
type DetachView struct {
	View string `json:"view" role:"of"`
}

func (DetachView) Name() string   { return "view.detach" }
func (c DetachView) Part() string { return "view " + c.View }

func (c DetachView) apply(p *production.Production, _ Known) error {
	i, err := viewAt(p, c.View)
	if err == nil {
		p.Views[i].Rig = ""
	}
	return err
}

// A standing is a view's camera at a frame.
type standing struct {
	source camera.Source
	pose   geom.Affine // as the scene has it
	optics scene.Camera
	stand  camera.Stand // as the view has it
	moves  bool         // in the scene
}

// standingOf returns how a view's camera stands at a frame.
func standingOf(p *production.Production, k Known, v production.View, frame int) (standing, error) {
	s, err := k.scene(p)
	if err != nil {
		return standing{}, err
	}
	source, err := camera.SourceOf(s, v.Camera)
	if err != nil {
		return standing{}, err
	}
	pose := source.Pose(s.At(p.Rate.Seconds(frame, p.FirstFrame)))
	t := standing{source: source, pose: pose, optics: source.Optics, moves: source.Moves(s.Moving())}
	t.stand = camera.StandOf(t.pose)
	if now := v.Setup.At(float64(frame)); now.Stand != nil {
		t.stand = *now.Stand
	}
	return t, nil
}
