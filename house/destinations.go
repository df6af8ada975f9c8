package house

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"reelhouse/core/naming"
)

// A Destination is a folder on any disk that deliveries may go to, which the server's configuration names: nobody names
// a path of the server on a page.
type Destination struct {
	Code   string `json:"code"`
	Name   string `json:"name"`
	Folder string `json:"folder"`
}

// Destinations returns all destinations, the data folder's own first.
func (h *House) Destinations() []Destination {
	return append([]Destination{{"", "Data folder", h.Deliveries()}}, h.destinations...)
}

// SetDestinations takes over those of the configuration.
func (h *House) SetDestinations(all []Destination) error {
	seen := map[string]bool{}
	for _, d := range all {
		if d.Code == "" || d.Code != (naming.Rules{}).Clean(d.Code) || seen[d.Code] {
			return fmt.Errorf("destination %q: it needs a code of its own, of letters and digits", d.Code)
		}
		if !filepath.IsAbs(d.Folder) {
			return fmt.Errorf("destination %s: its folder %q is no absolute path", d.Code, d.Folder)
		}
		if err := h.outside(d.Folder); err != nil {
			return fmt.Errorf("destination %s: %w", d.Code, err)
		}
		seen[d.Code] = true
	}
	h.destinations = all
	return nil
}

// Destination returns a destination by its code. Its folder has to be there, since it is not where a disk is not
// mounted; only that in the data folder is made.
func (h *House) Destination(code string) (Destination, error) {
	all := h.Destinations()
	i := slices.IndexFunc(all, func(d Destination) bool { return d.Code == code })
	if i < 0 {
		return Destination{}, fmt.Errorf("the server's configuration has no destination %q; choose another one", code)
	}
	if d := all[i]; code != "" {
		if info, err := os.Stat(d.Folder); err != nil || !info.IsDir() {
			return d, fmt.Errorf("the folder of destination %s is not there; is its disk mounted?", code)
		}
	}
	return all[i], nil
}
