package production

import "reelhouse/core/look"

// An EnvironmentFile is an equirectangular picture that looks may put round the scene. It is kept under its hash, as
// scenes are.
type EnvironmentFile struct {
	Code   string `json:"code"`
	Name   string `json:"name"` // of the file, as it was imported
	SHA256 string `json:"sha256"`
	Bytes  int64  `json:"bytes"`
	Width  int    `json:"width"` // pixels
	Height int    `json:"height"`
}

// FindEnvironment returns the environment of a code.
func (p Production) FindEnvironment(code string) (EnvironmentFile, bool) {
	return find(p.Environments, code, func(e EnvironmentFile) string { return e.Code })
}

// EnvironmentOf returns the environment that a look names; the zero value if it names none.
func (p Production) EnvironmentOf(l look.Look) EnvironmentFile {
	e, _ := p.FindEnvironment(l.Environment.Map)
	return e
}
