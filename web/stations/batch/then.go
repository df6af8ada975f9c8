package batch

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"reelhouse/core/production"
	"reelhouse/core/work"
	"reelhouse/house"
)

// A thenKind is a kind of follow-up as it can be chosen.
type thenKind struct{ work.Following }

// Usual are the parameters that it has if nobody says otherwise, as they are written.
func (k thenKind) Usual() string {
	var all []string
	for _, name := range slices.Sorted(maps.Keys(k.Parameters)) {
		all = append(all, name+"="+k.Parameters[name])
	}
	return strings.Join(all, " ")
}

// thenKinds returns the kinds of follow-ups that can be chosen.
func (a *page) thenKinds(p production.Production) ([]thenKind, error) {
	all, err := a.House.FollowUps()
	var kinds []thenKind
	for _, f := range all {
		var codes []string // of what it can make of this production; the first is made if nobody says otherwise
		switch work.Kind(f.Kind) {
		case work.Matte:
			for _, m := range p.Mattes {
				codes = append(codes, m.Code)
			}
		case work.Grade:
			for _, g := range p.Grades {
				codes = append(codes, g.Code)
			}
		default:
			kinds = append(kinds, thenKind{f})
			continue
		}
		if len(codes) > 0 {
			f.Parameters = maps.Clone(f.Parameters)
			f.Parameters[work.Named] = codes[0]
			kinds = append(kinds, thenKind{f})
		}
	}
	return kinds, err
}

// more reads what is said less often of how a batch is sent.
func (a *page) more(c *echo.Context, p production.Production, how *house.Sending) (err error) {
	how.Gate = c.FormValue("gate") != ""
	if how.Needs, err = work.ParseOverride(c.FormValue("needs")); err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return err
	}
	var wanted []string
	kinds, err := a.thenKinds(p)
	if err != nil {
		return err
	}
	for _, kind := range form["then"] {
		with := c.FormValue("with-" + kind)
		for _, k := range kinds { // what the field shows while it is empty
			name := k.Parameters[work.Named]
			if k.Kind == kind && name != "" && !strings.Contains(with, work.Named+"=") {
				with = work.Named + "=" + name + " " + with
			}
		}
		wanted = append(wanted, kind+" "+with)
	}
	how.FollowUps, err = a.House.WantedFollowUps(p, wanted, func(text string) (time.Time, error) {
		at, err := time.Parse(time.RFC3339, text)
		if err != nil {
			err = fmt.Errorf("%q is no time; write 2026-11-25T19:00:00+01:00", text)
		}
		return at, err
	})
	return err
}
