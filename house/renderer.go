package house

import (
	"strconv"

	"reelhouse/core/fingerprint"
	"reelhouse/core/trace"
)

// BuiltIn is the name of the renderer that this program is itself.
const BuiltIn = "built-in"

// BuiltInRenderer returns the renderer that this program is itself, as fingerprints know it.
func BuiltInRenderer() fingerprint.Renderer {
	return fingerprint.Renderer{Name: BuiltIn, Version: strconv.Itoa(trace.Version)}
}

// Rendering returns what this house renders with: what its server last said, or the built-in renderer.
func (h *House) Rendering() (fingerprint.Renderer, error) {
	r, known, err := h.Record.Renderer()
	if err != nil || known {
		return r, err
	}
	return BuiltInRenderer(), nil
}
