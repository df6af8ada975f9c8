package house

import (
	"fmt"
	"strconv"
	"strings"

	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
	"reelhouse/core/plan"
	"reelhouse/core/preflight"
	"reelhouse/core/stamp"
	"reelhouse/core/trace"
	"reelhouse/core/work"
)

// BuiltIn is the name of the renderer that this program is itself.
const BuiltIn = "built-in"

// BuiltInRenderer returns the renderer that this program is itself, as fingerprints know it.
func BuiltInRenderer() fingerprint.Renderer {
	return fingerprint.Renderer{Name: BuiltIn, Version: strconv.Itoa(trace.Version)}
}

// Rendering returns what this house usually renders with: what its server last said, or the built-in renderer.
func (h *House) Rendering() (fingerprint.Renderer, error) {
	r, known, err := h.Record.Renderer()
	if err != nil || known {
		return r, err
	}
	return BuiltInRenderer(), nil
}

// RendererNames returns the renderers that people may choose among: the usual one, and those of the configuration.
func (h *House) RendererNames() ([]string, error) {
	usual, err := h.Rendering()
	if err != nil {
		return nil, err
	}
	others, err := h.Record.Offered()
	names := []string{usual.Name}
	for _, r := range others {
		names = append(names, r.Name)
	}
	return names, err
}

// renderers are who renders the sequences of a batch.
type renderers struct {
	usual fingerprint.Renderer
	by    map[int]fingerprint.Renderer // others, by the places of sequences
	// unrendered are those that cannot be rendered, and opaque says that the built-in renderer would be asked for a
	// scene that it does not read.
	unrendered []preflight.Unrendered
	opaque     bool
}

// of returns who renders the sequence of a place.
func (r renderers) of(place int) fingerprint.Renderer {
	if other, known := r.by[place]; known {
		return other
	}
	return r.usual
}

// renderersOf finds out who renders the sequences of a batch. A shot or view may have chosen one; otherwise it is one
// that says that it reads such scenes, or the usual one.
func (h *House) renderersOf(b plan.Batch) (r renderers, err error) {
	if r.usual, err = h.Rendering(); err != nil {
		return r, err
	}
	others, err := h.Record.Offered()
	if err != nil {
		return r, err
	}
	r.by = map[int]fingerprint.Renderer{}
	for i, s := range b.Sequences {
		chosen, err := work.Choose(others, s.Renderer, r.usual.Name, b.Scene.Name)
		switch {
		case err != nil:
			r.unrendered = append(r.unrendered, preflight.Unrendered{Where: s.Title(), Why: sentence(err.Error())})
		case chosen == nil:
			r.opaque = r.opaque || h.OnlyBuiltIn
		default:
			r.by[i] = chosen.Renderer
			if why := lacks(b, s, *chosen); why != "" {
				r.unrendered = append(r.unrendered, preflight.Unrendered{
					Where: s.Title(), Why: fmt.Sprintf("The renderer %s cannot: %s", chosen.Name, why),
				})
			}
		}
	}
	return r, nil
}

func sentence(text string) string { return strings.ToUpper(text[:1]) + text[1:] }

// lacks says why a renderer cannot render a sequence, "" if it can.
func lacks(b plan.Batch, s plan.Sequence, r work.Renderer) string {
	order, err := b.Order(s, s.Frames.First(), stamp.Facts{})
	if err != nil {
		return "" // which another rule finds
	}
	part := order.Region
	if b.TileCount(s) > 0 {
		part = &job.Region{}
	}
	return r.Cannot(b.Scene.Name, order.Frames[0].Files, part)
}
