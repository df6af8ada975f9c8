package production

import (
	"reelhouse/core/lut"
	"reelhouse/core/pixel"
)

// A LUTFile is a look-up table through which light may be shown. It is kept under its hash, as scenes are.
type LUTFile struct {
	Code   string    `json:"code"`
	Name   string    `json:"name"` // of the file, as it was imported
	SHA256 string    `json:"sha256"`
	Bytes  int64     `json:"bytes"`
	Input  lut.Input `json:"input"` // what it is made for
}

// FindLUT returns the look-up table of a code.
func (s Standards) FindLUT(code string) (LUTFile, bool) {
	return find(s.LUTs, code, func(f LUTFile) string { return f.Code })
}

// LUTOf returns the look-up table that a viewing transform names; false if it names none, or one that is not there.
func (s Standards) LUTOf(v pixel.Viewing) (LUTFile, bool) {
	code, named := v.LUT()
	if !named {
		return LUTFile{}, false
	}
	return s.FindLUT(code)
}

// Viewings returns the viewing transforms that can be chosen, in the order in which they are offered.
func (s Standards) Viewings() []pixel.Viewing {
	all := pixel.Viewings()
	for _, f := range s.LUTs {
		all = append(all, pixel.ViewLUT(f.Code))
	}
	return all
}

func (s Standards) lutProblems(ps *problems) {
	ps.codes("lut", codesOf(s.LUTs, func(f LUTFile) string { return f.Code }))
	for _, f := range s.LUTs {
		if err := f.Input.Check(); err != nil {
			ps.add("lut "+f.Code, "curve", "%s", err)
		}
	}
	if code, named := s.Picture.Viewing.LUT(); named {
		if _, ok := s.FindLUT(code); !ok {
			ps.add("picture", "viewing", "the look-up table %q does not exist; choose another viewing transform", code)
		}
	}
}
