package production

import (
	"fmt"
	"slices"
)

// A SetUp is a part of a production that another one can take over whole.
type SetUp string

// The parts.
const (
	TakeStandards SetUp = "standards" // sizes, time, picture, qualities, outputs and names
	TakeScene     SetUp = "scene"
	TakeViews     SetUp = "views"  // with their looks
	TakePasses    SetUp = "passes" // pass lists and light groups
	TakeShots     SetUp = "shots"
)

// SetUps returns all parts, in the order of work.
func SetUps() []SetUp {
	return []SetUp{TakeStandards, TakeScene, TakeViews, TakePasses, TakeShots}
}

// Take replaces parts of the production by those of another one. What is left out stays; if it refers to
// something that is gone, Problems says so.
func (p *Production) Take(from Production, parts ...SetUp) error {
	other := from.Copy()
	for _, part := range parts {
		if !slices.Contains(SetUps(), part) {
			return fmt.Errorf("there is no part %q of a set-up", part)
		}
	}
	if slices.Contains(parts, TakeStandards) {
		p.Standards, p.Preset = other.Standards, other.Preset
		if _, ok := p.FindQuality(p.Quality); !ok {
			p.Quality = other.Quality
		}
	}
	if slices.Contains(parts, TakeScene) {
		p.Scene = other.Scene
	}
	if slices.Contains(parts, TakeViews) {
		p.Views, p.Rigs, p.Looks, p.Environments = other.Views, other.Rigs, other.Looks, other.Environments
	}
	if slices.Contains(parts, TakePasses) {
		p.PassLists, p.LightGroups = other.PassLists, other.LightGroups
		p.Mattes, p.Grades = other.Mattes, other.Grades
	}
	if slices.Contains(parts, TakeShots) {
		p.Shots, p.ShotDefaults, p.Cut = other.Shots, other.ShotDefaults, other.Cut
	}
	return nil
}
