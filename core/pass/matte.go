package pass

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// A Matte is what is taken out of a Cryptomatte by name, so that it holds in every frame, and in later versions.
type Matte struct {
	Code string `json:"code"`
	Name string `json:"name"`
	// Layer is the Cryptomatte that it is taken from.
	Layer Code `json:"layer"`
	// Names are those of what it holds; "*" stands for any run of characters.
	Names []string `json:"names"`
}

// Bounds of mattes.
const (
	MostMattes     = 200  // of a production
	MostMatteNames = 1000 // of a matte
	longestName    = 500  // bytes
)

const mattePrefix = "matte-"

var matteCode = regexp.MustCompile(`^[a-z0-9]{1,24}$`)

// MattePass returns the code of the pass of a matte that was written.
func MattePass(matte string) Code { return Code(mattePrefix + matte) }

// Matte returns the matte that a pass holds; false if it is another kind of pass.
func (c Code) Matte() (string, bool) {
	matte, ok := strings.CutPrefix(string(c), mattePrefix)
	return matte, ok && matteCode.MatchString(matte)
}

func mattePass(matte string) Pass {
	return Pass{
		Code: MattePass(matte), Name: "Matte: " + matte, Channels: []string{"R", "G", "B"},
		Group: GroupMattes, Purpose: "A matte as a picture, for programs that know no Cryptomatte.",
		Meaning: "How much of the pixel is covered by what the matte names, from 0 to 1, the same in each channel.",
		Data:    true, Share: true, Filtered: true, Shown: AsValues,
		Left: Shares{ZIP: 0.05, ZIPS: 0.08, PIZ: 0.15, RLE: 0.3, PXR24: 0.045, DWAA: 0.058, DWAB: 0.052},
	}
}

// Cryptomattes returns the passes that mattes are taken from.
func Cryptomattes() []Code { return []Code{CryptoObject, CryptoMaterial, CryptoAsset} }

// Holds reports whether the matte holds what has a name.
func (m Matte) Holds(name string) bool {
	return slices.ContainsFunc(m.Names, func(pattern string) bool { return Like(pattern, name) })
}

// Like reports whether a name is like a pattern, in which "*" stands for any run of characters, and every other
// character for itself.
func Like(pattern, name string) bool {
	parts := strings.Split(pattern, "*")
	if len(parts) == 1 {
		return pattern == name
	}
	name, ok := strings.CutPrefix(name, parts[0])
	if !ok {
		return false
	}
	for _, part := range parts[1 : len(parts)-1] {
		at := strings.Index(name, part)
		if at < 0 {
			return false
		}
		name = name[at+len(part):]
	}
	return strings.HasSuffix(name, parts[len(parts)-1])
}

// CheckMattes says what is wrong with mattes, or nil.
func CheckMattes(all []Matte) error {
	if len(all) > MostMattes {
		return fmt.Errorf("%d mattes are more than %d", len(all), MostMattes)
	}
	seen := map[string]bool{}
	for _, m := range all {
		if err := m.Check(); err != nil {
			return fmt.Errorf("matte %s: %w", m.Code, err)
		}
		if seen[m.Code] {
			return fmt.Errorf("two mattes have the code %q", m.Code)
		}
		seen[m.Code] = true
	}
	return nil
}

// Check says what is wrong with the matte, or nil.
func (m Matte) Check() error {
	switch {
	case !matteCode.MatchString(m.Code):
		return fmt.Errorf("its code %q is to be 1 to 24 small letters and digits", m.Code)
	case !slices.Contains(Cryptomattes(), m.Layer):
		return fmt.Errorf("%q is no pass of mattes; there are %v", m.Layer, Cryptomattes())
	case len(m.Names) == 0:
		return fmt.Errorf("it names nothing")
	case len(m.Names) > MostMatteNames:
		return fmt.Errorf("%d names are more than %d; use * for those that are alike", len(m.Names), MostMatteNames)
	}
	for _, name := range m.Names {
		if name == "" || len(name) > longestName {
			return fmt.Errorf("names have 1 to %d bytes, and %.40q has not", longestName, name)
		}
	}
	return nil
}
