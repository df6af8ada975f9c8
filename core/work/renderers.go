package work

import (
	"fmt"
	"path"
	"slices"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
)

// A Renderer is one that a house has beside the one that it usually renders with, as its server has said it.
type Renderer struct {
	fingerprint.Renderer
	// Scenes are the endings of the scene files that it reads; none for any.
	Scenes []string `json:"scenes,omitempty"`
	// Files are what it writes, of one that is used by a declaration; none for one that keeps the renderer contract.
	Files []ForeignFile `json:"files,omitempty"`
	// Needs are what it needs beside what rendering usually does.
	Needs Override `json:"needs,omitempty"`
}

// Declared reports whether it is used by a declaration.
func (r Renderer) Declared() bool { return len(r.Files) > 0 }

// Cannot says why it cannot render what an order asks for, "" if it can or if that is not known.
func (r Renderer) Cannot(scene string, files []job.File, part *job.Region) string {
	p := &Program{Declaration: Declaration{Scenes: r.Scenes, Files: r.Files}}
	if len(r.Scenes) > 0 && !p.Understands(scene) {
		return fmt.Sprintf("it does not read scenes that end in %q", path.Ext(scene))
	}
	if !r.Declared() {
		return ""
	}
	return p.Cannot(files, part)
}

// Choose returns the renderer for a scene: the one that was chosen, or else the first that says that it reads scenes of
// that name; nil for the one that the house usually renders with. It fails if the house does not have what was chosen.
func Choose(all []Renderer, chosen, usual, scene string) (*Renderer, error) {
	if chosen == usual && chosen != "" {
		return nil, nil
	}
	i := slices.IndexFunc(all, func(r Renderer) bool {
		if chosen != "" {
			return r.Name == chosen
		}
		p := &Program{Declaration: Declaration{Scenes: r.Scenes}}
		return p.Understands(scene)
	})
	switch {
	case i >= 0:
		return &all[i], nil
	case chosen != "":
		return nil, fmt.Errorf("there is no renderer %s in this house", chosen)
	}
	return nil, nil
}
