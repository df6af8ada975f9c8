package edit

import (
	"fmt"
	"slices"
	"strings"

	"reelhouse/core/mhl"
	"reelhouse/core/production"
)

// AddDelivery adds a recipe of what is handed on: everything that is good, with the names that it has.
type AddDelivery struct {
	Title string `json:"name,omitempty"`
}

func (AddDelivery) Name() string { return "delivery.add" }
func (AddDelivery) Part() string { return "delivery" }

func (c AddDelivery) apply(p *production.Production, _ Known) error {
	code := free("delivery", len(p.Deliveries)+1, func(code string) bool { _, ok := p.FindDelivery(code); return ok })
	name := strings.TrimSpace(c.Title)
	if name == "" {
		name = "Delivery " + strings.TrimPrefix(code, "delivery")
	}
	p.Deliveries = append(p.Deliveries, production.Delivery{Code: code, Name: name, Hash: mhl.XXH64})
	return nil
}

// SetDelivery changes a recipe of what is handed on. Shots, sizes and outputs are all of them if none are named.
type SetDelivery struct {
	Delivery  string    `json:"delivery" role:"of"`
	Code      *string   `json:"code,omitempty"`
	Title     *string   `json:"name,omitempty"`
	For       *string   `json:"for,omitempty"`
	Shots     *[]string `json:"shots,omitempty"`
	Sizes     *[]string `json:"sizes,omitempty"`
	Outputs   *[]string `json:"outputs,omitempty"`
	Approved  *bool     `json:"approved,omitempty" label:"approved only"`
	OwnFrames *bool     `json:"ownFrames,omitempty" label:"without handles"`
	Pattern   *string   `json:"pattern,omitempty"`
	First     *int      `json:"first,omitempty" label:"first frame"`
	KeepOn    *bool     `json:"numbers,omitempty" label:"numbers as they are"`
	Hash      *string   `json:"hash,omitempty"`
}

func (SetDelivery) Name() string   { return "delivery.set" }
func (c SetDelivery) Part() string { return "delivery " + c.Delivery }

func (c SetDelivery) apply(p *production.Production, _ Known) error {
	i, err := deliveryAt(p, c.Delivery)
	if err != nil {
		return err
	}
	d := &p.Deliveries[i]
	if c.First != nil {
		d.First = new(*c.First)
	}
	if c.KeepOn != nil && *c.KeepOn {
		d.First = nil
	}
	return first(
		to(&d.Code, c.Code), to(&d.Name, c.Title), to(&d.For, c.For), to(&d.Approved, c.Approved),
		to(&d.OwnFrames, c.OwnFrames), to(&d.Pattern, c.Pattern),
		with("shots", c.Shots, func(all []string) error {
			d.Shots = all
			return missing("shot", all, func(code string) bool {
				return slices.ContainsFunc(p.Shots, func(s production.Shot) bool { return s.Code == code })
			})
		}),
		with("sizes", c.Sizes, func(all []string) error {
			d.Sizes = all
			return missing("size", all, func(code string) bool { _, ok := p.FindSize(code); return ok })
		}),
		with("outputs", c.Outputs, func(all []string) error {
			d.Outputs = all
			return missing("output", all, func(code string) bool { _, ok := p.FindOutput(code); return ok })
		}),
		with("hash", c.Hash, func(v string) error { d.Hash = mhl.Format(v); return nil }),
	)
}

// missing returns an error that names the first code of which there is nothing.
func missing(what string, codes []string, there func(code string) bool) error {
	for _, code := range codes {
		if !there(code) {
			return fmt.Errorf("there is no %s %q", what, code)
		}
	}
	return nil
}

func deliveryAt(p *production.Production, code string) (int, error) {
	return at("delivery", code, p.Deliveries, func(d production.Delivery) string { return d.Code })
}

// RemoveDelivery removes a recipe. What was handed on by it stays on record.
type RemoveDelivery struct {
	Delivery string `json:"delivery" role:"of"`
}

func (RemoveDelivery) Name() string   { return "delivery.remove" }
func (c RemoveDelivery) Part() string { return "delivery " + c.Delivery }

func (c RemoveDelivery) apply(p *production.Production, _ Known) error {
	i, err := deliveryAt(p, c.Delivery)
	if err != nil {
		return err
	}
	p.Deliveries = slices.Delete(p.Deliveries, i, i+1)
	return nil
}
