package house

import (
	"errors"
	"fmt"
	"io/fs"
	"math"

	"reelhouse/core/edit"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
	"reelhouse/store"
)

// An Editing is somebody who edits a production.
type Editing struct {
	By   store.Author
	Seen int // the revision that they had before them, or store.Any
}

// Do makes an edit and keeps it. A mistake of the person's is an *edit.Mistake; what others have changed of the same
// since it was seen is a *store.Conflict; anything else has failed inside.
func (h *House) Do(code string, e Editing, c edit.Command) (before, after store.Revision, err error) {
	if err := waivable(c); err != nil {
		return before, after, err
	}
	for {
		p, err := h.Record.Production(code)
		if err != nil {
			return before, after, err
		}
		known, err := h.know(p.Production, edit.NeedsOf(c, p.Production))
		if err != nil {
			return before, after, err
		}
		before = p
		how := store.Making{Summary: edit.Summary(c), Command: c.Name(), By: e.By, Seen: e.Seen}
		after, err := h.Record.Edit(code, how, func(p *production.Production) error {
			return edit.Apply(c, p, known)
		})
		if !errors.Is(err, edit.ErrOutdated) {
			return before, after, err
		}
	}
}

// waivable refuses to waive what must not be waived.
func waivable(c edit.Command) error {
	w, ok := c.(edit.WaiveFinding)
	if !ok {
		return nil
	}
	for _, r := range preflight.Rules() {
		if r.Name == w.Rule && !r.Mandatory {
			return nil
		}
	}
	return &edit.Mistake{Part: w.Part(), Field: "rule", Message: fmt.Sprintf("%q cannot be waived", w.Rule)}
}

// know loads what a command has to know, before the record is written to.
func (h *House) know(p production.Production, n edit.Needs) (k edit.Known, err error) {
	if n.Scene != nil {
		k.SceneFile = *n.Scene
		k.Scene, k.SceneFault = h.Assets.Scene(*n.Scene)
		if inside := (*fs.PathError)(nil); errors.As(k.SceneFault, &inside) {
			return k, k.SceneFault
		}
	}
	if n.Reach {
		r, err := h.Assets.Report(p.Scene)
		if err != nil {
			return k, err
		}
		k.Reach = 10 * math.Ceil(r.Size.Length()/10) // whole tens of metres
	}
	if n.NextVersion {
		if k.NextVersion, err = h.NextVersion(p); err != nil {
			return k, err
		}
	}
	if n.Production != "" {
		other, err := h.Record.Production(n.Production)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return k, err
		}
		if err == nil {
			k.Production = &other.Production
		}
	}
	if n.Preset.Name != "" {
		saved, err := h.Record.Preset(n.Preset.Kind, n.Preset.Name)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return k, err
		}
		if err == nil {
			k.Preset = &saved
		}
	}
	return k, nil
}

// Try returns a production as it would be after an edit, which is not kept.
func (h *House) Try(p production.Production, c edit.Command) (production.Production, error) {
	known, err := h.know(p, edit.NeedsOf(c, p))
	if err != nil {
		return p, err
	}
	p = p.Copy()
	return p, edit.Apply(c, &p, known)
}
