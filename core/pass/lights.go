package pass

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"
)

// A LightGroup is lights whose share of the picture is wanted by itself. A light belongs to the first group that names
// it.
type LightGroup struct {
	Code string `json:"code"`
	Name string `json:"name"`
	Sky  bool   `json:"sky,omitempty"` // the look's sky or environment, with its haze and background
	Sun  bool   `json:"sun,omitempty"` // the look's sun
	// Lights holds names of lights and of glowing objects of the scene; "*" stands for any run of characters. A name
	// stands for all that hangs below it, too.
	Lights []string `json:"lights,omitempty"`
}

// OtherLight is the group of all light that belongs to no other.
const OtherLight = "other"

// MostLightGroups bounds the groups of a production.
const MostLightGroups = 16

const lightPrefix = "light-"

// LightCode returns the code of the pass of a light group.
func LightCode(group string) Code { return Code(lightPrefix + group) }

// LightGroup returns the group that a pass holds the light of; false if it is another kind of pass.
func (c Code) LightGroup() (string, bool) {
	group, ok := strings.CutPrefix(string(c), lightPrefix)
	return group, ok && groupCode.MatchString(group)
}

var groupCode = regexp.MustCompile(`^[a-z0-9]{1,24}$`)

func lightPass(group string) Pass {
	p, _ := Find(DiffuseIndirect) // which is as noisy and as dark
	p.Code, p.Name = LightCode(group), "Light: "+group
	p.Meaning = "What the lights of the group " + group + " add to the picture. All groups and " +
		string(LightCode(OtherLight)) + " together are the picture."
	p.Purpose = "Relighting: dim, brighten or tint this group alone."
	return p
}

// LightPasses returns the passes of groups, with that of all other light.
func LightPasses(groups []LightGroup) []Pass {
	var all []Pass
	for _, g := range groups {
		p := lightPass(g.Code)
		p.Name = "Light: " + g.Name
		all = append(all, p)
	}
	other := lightPass(OtherLight)
	other.Name, other.Meaning = "Light: all other", "What lights that belong to no group add to the picture."
	if len(groups) == 0 {
		other.Meaning = "The light of everything; define groups to take it apart."
	}
	return append(all, other)
}

// Known returns every pass of a production with light groups, in the order in which they are shown and stored.
func Known(groups []LightGroup) []Pass {
	all := Catalogue()
	after := slices.IndexFunc(all, func(p Pass) bool { return p.Code == Transmission }) + 1
	return slices.Insert(all, after, LightPasses(groups)...)
}

// In returns the passes that channels are of, by their names.
func In(channels []string) []Code {
	var found []Code
	for _, name := range channels {
		layer, _, _ := strings.Cut(name, ".")
		code := Code(layer)
		if p, err := Find(code); err == nil && slices.Contains(channels, p.ChannelNames()[0]) {
			found = append(found, code)
		}
	}
	for _, p := range Catalogue() {
		if slices.Contains(channels, p.ChannelNames()[0]) {
			found = append(found, p.Code)
		}
	}
	return Sorted(found)
}

// Holds reports whether the group names a light.
func (g LightGroup) Holds(name string) bool {
	return slices.ContainsFunc(g.Lights, func(pattern string) bool {
		found, err := path.Match(pattern, name)
		return err == nil && found
	})
}

// CheckLightGroups says what is wrong with groups, or nil.
func CheckLightGroups(groups []LightGroup) error {
	if len(groups) > MostLightGroups {
		return fmt.Errorf("%d light groups are more than %d", len(groups), MostLightGroups)
	}
	seen := map[string]bool{OtherLight: true}
	for _, g := range groups {
		switch {
		case !groupCode.MatchString(g.Code):
			return fmt.Errorf("the light group %q needs a code of 1 to 24 small letters and digits", g.Code)
		case seen[g.Code]:
			return fmt.Errorf("two light groups have the code %q, or it is that of all other light", g.Code)
		}
		seen[g.Code] = true
		for _, pattern := range g.Lights {
			if _, err := path.Match(pattern, ""); err != nil || pattern == "" {
				return fmt.Errorf("light group %s: %q is no name of lights", g.Code, pattern)
			}
		}
	}
	return nil
}
