package main

import (
	"slices"
	"strings"

	"github.com/spf13/pflag"

	"reelhouse/core/edit"
	"reelhouse/core/preflight"
	"reelhouse/core/production"
)

// A narrowing is what a command does with the set-up before it plans, checks or sends; the production itself stays.
type narrowing struct {
	quality, region string
	shots           []string
	waive           []string
}

// flags adds the flags of a narrowing.
func (n *narrowing) flags(f *pflag.FlagSet) {
	f.StringVar(&n.quality, "quality", "", "code of the quality, instead of the one that the production has chosen")
	f.StringSliceVar(&n.shots, "shots", nil, "codes of shots, instead of those that are in the batch")
	f.StringVar(
		&n.region, "region", "", "part of every picture in percent: left, top, right, bottom; \"whole\" for all of it",
	)
}

// of returns the production as it is to be planned.
func (n *narrowing) of(p production.Production) (production.Production, error) {
	p = p.Copy()
	do := func(command string, values map[string][]string) error {
		c, err := edit.FromText(command, values)
		if err == nil {
			err = edit.Apply(c, &p, edit.Known{})
		}
		return err
	}
	if n.quality != "" {
		if _, ok := p.FindQuality(n.quality); !ok {
			return p, usagef("there is no quality %q", n.quality)
		}
		p.Quality = n.quality
	}
	if n.region != "" {
		region := n.region
		if region == "whole" {
			region = ""
		}
		if err := do("production.set", map[string][]string{"region": {region}}); err != nil {
			return p, usagef("--region: %w", err)
		}
	}
	for _, code := range n.shots {
		if _, ok := p.FindShot(code); !ok {
			return p, usagef("there is no shot %q", code)
		}
	}
	for i := range p.Shots {
		if len(n.shots) > 0 {
			p.Shots[i].InBatch = slices.Contains(n.shots, p.Shots[i].Code)
		}
	}
	for _, text := range n.waive {
		rule, reason, ok := strings.Cut(text, "=")
		if !ok {
			return p, usagef("--waive %s: write RULE=REASON", text)
		}
		if err := checkWaive(rule); err != nil {
			return p, err
		}
		if err := do("finding.waive", map[string][]string{"rule": {rule}, "reason": {reason}}); err != nil {
			return p, usagef("--waive %s: %w", rule, err)
		}
	}
	return p, nil
}

// checkWaive returns an error about a rule that does not exist, or cannot be waived.
func checkWaive(rule string) error {
	i := slices.IndexFunc(preflight.Rules(), func(r preflight.Rule) bool { return r.Name == rule })
	switch {
	case i < 0:
		return usagef("--waive: there is no rule %q", rule)
	case preflight.Rules()[i].Mandatory:
		return usagef("--waive: the rule %s cannot be waived", rule)
	}
	return nil
}
