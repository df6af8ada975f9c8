package house

import (
	"fmt"

	"reelhouse/core/lut"
	"reelhouse/core/pixel"
	"reelhouse/core/production"
	"reelhouse/core/screening"
)

// View returns how light is looked at through a viewing transform of a production, whose look-up table is read.
func (h *House) View(p production.Standards, v pixel.Viewing) (screening.View, error) {
	view := screening.Plain(1, 1)
	view.Viewing = v
	if err := v.Check(); err != nil {
		return view, err
	}
	code, named := v.LUT()
	if !named {
		return view, nil
	}
	f, ok := p.LUTOf(v)
	if !ok {
		return view, fmt.Errorf("there is no look-up table %q; choose another viewing transform", code)
	}
	table, err := h.Assets.LUT(f)
	if err == nil {
		view.LUT, err = lut.NewShower(table, f.Input)
	}
	return view, err
}
