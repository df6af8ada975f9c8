package screening

import (
	"fmt"
	"slices"

	"reelhouse/core/pass"
	"reelhouse/core/production"
	"reelhouse/store"
)

// missingPasses says which passes a sequence would need for something, and which pass list has them.
func missingPasses(p production.Production, s store.Sequence, wanted []pass.Code) string {
	names := ""
	for i, code := range wanted {
		described, err := pass.Find(code)
		if err != nil {
			continue
		}
		if i > 0 {
			names += "; "
		}
		names += described.Name
	}
	for _, l := range p.PassLists {
		has := !slices.ContainsFunc(wanted, func(code pass.Code) bool { return !slices.Contains(l.Passes, code) })
		if has {
			return fmt.Sprintf("Not kept of this sequence: %s. The pass list %s has that: choose it for shot %s, and "+
				"render it again.", names, l.Name, s.Spec.Shot)
		}
	}
	return fmt.Sprintf("Not kept of this sequence, and in no pass list: %s. Add that to the list of shot %s at the "+
		"Passes station, and render it again.", names, s.Spec.Shot)
}
