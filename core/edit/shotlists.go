package edit

import (
	"fmt"
	"slices"

	"reelhouse/core/production"
	"reelhouse/core/shotlist"
)

// SplitShot splits a shot at a frame, which is the first of the new one.
type SplitShot struct {
	Shot string `json:"shot" role:"of"`
	At   int    `json:"at" role:"value"`
}

func (SplitShot) Name() string    { return "shot.split" }
func (c SplitShot) Part() string  { return "shot " + c.Shot }
func (c SplitShot) words() string { return fmt.Sprintf("split shot %s at %d", c.Shot, c.At) }

func (c SplitShot) apply(p *production.Production, _ Known) error {
	_, err := p.SplitShot(c.Shot, c.At)
	return err
}

// CopyShots puts a copy after each of the shots.
type CopyShots struct {
	Shots []string `json:"shots" role:"of"`
}

func (CopyShots) Name() string    { return "shot.copy" }
func (c CopyShots) Part() string  { return shotsPart(c.Shots) }
func (c CopyShots) words() string { return "copy " + shotsWords(c.Shots) }

func (c CopyShots) apply(p *production.Production, _ Known) error {
	if err := checkShots(p, c.Shots); err != nil {
		return err
	}
	for _, code := range c.Shots {
		if _, err := p.CopyShot(code); err != nil {
			return err
		}
	}
	return nil
}

// RemoveShots removes shots.
type RemoveShots struct {
	Shots []string `json:"shots" role:"of"`
}

func (RemoveShots) Name() string    { return "shot.remove" }
func (c RemoveShots) Part() string  { return shotsPart(c.Shots) }
func (c RemoveShots) words() string { return "remove " + shotsWords(c.Shots) }

func (c RemoveShots) apply(p *production.Production, _ Known) error {
	if err := checkShots(p, c.Shots); err != nil {
		return err
	}
	p.Shots = slices.DeleteFunc(p.Shots, func(s production.Shot) bool { return slices.Contains(c.Shots, s.Code) })
	return nil
}

// JoinShots makes one shot of several.
type JoinShots struct {
	Shots []string `json:"shots" role:"of"`
}

func (JoinShots) Name() string    { return "shot.join" }
func (c JoinShots) Part() string  { return shotsPart(c.Shots) }
func (c JoinShots) words() string { return "join " + shotsWords(c.Shots) }

func (c JoinShots) apply(p *production.Production, _ Known) error {
	if err := checkShots(p, c.Shots); err != nil {
		return err
	}
	return p.JoinShots(c.Shots)
}

// RenumberShots numbers shots in tens; all of them if none is named.
type RenumberShots struct {
	Shots []string `json:"shots,omitempty" role:"of"`
}

func (RenumberShots) Name() string   { return "shot.renumber" }
func (c RenumberShots) Part() string { return "shots" }

func (c RenumberShots) words() string {
	if len(c.Shots) == 0 {
		return "renumber all shots"
	}
	return "renumber " + shotsWords(c.Shots)
}

func (c RenumberShots) apply(p *production.Production, _ Known) error {
	if len(c.Shots) > 0 {
		if err := checkShots(p, c.Shots); err != nil {
			return err
		}
	}
	p.RenumberShots(c.Shots)
	return nil
}

// MoveShots moves shots by places in the list.
type MoveShots struct {
	Shots []string `json:"shots" role:"of"`
	By    int      `json:"by" role:"value"`
}

func (MoveShots) Name() string    { return "shot.move" }
func (c MoveShots) Part() string  { return shotsPart(c.Shots) }
func (c MoveShots) words() string { return "move " + shotsWords(c.Shots) }

func (c MoveShots) apply(p *production.Production, _ Known) error {
	if err := checkShots(p, c.Shots); err != nil {
		return err
	}
	if by := max(c.By, -c.By); by > len(p.Shots) {
		return fmt.Errorf("there are only %d shots", len(p.Shots))
	}
	p.MoveShots(c.Shots, c.By)
	return nil
}

// ImportShots changes shots as a table says, and adds those that are new.
type ImportShots struct {
	File    string            `json:"file,omitempty"` // its name
	Table   shotlist.Table    `json:"table"`
	Columns []shotlist.Column `json:"columns"`
}

func (ImportShots) Name() string { return "shot.import" }
func (ImportShots) Part() string { return "shots" }

func (c ImportShots) words() string {
	if c.File == "" {
		return "import table of shots"
	}
	return "import shots from " + c.File
}

func (c ImportShots) apply(p *production.Production, _ Known) error {
	if _, mistakes := c.Table.Apply(p, c.Columns); len(mistakes) > 0 {
		return &Mistake{Field: "table", Message: mistakes[0].Error()}
	}
	return nil
}
