package cut

import (
	"fmt"
	"slices"
	"strings"
)

// A Place is where a new clip is put.
type Place string

// The places.
const (
	AtEnd    Place = "end"    // after everything
	AtBegin  Place = "begin"  // before everything, which moves on
	AtHead   Place = "head"   // at the play head, over what is there
	AfterIt  Place = "after"  // after the chosen clip; what follows on its track moves on
	BeforeIt Place = "before" // before the chosen clip, likewise
)

// Places returns all places.
func Places() []Place { return []Place{AtEnd, AtHead, AfterIt, BeforeIt, AtBegin} }

// clip returns a clip by its track and index.
func (c *Cut) clip(track, index int) (*Clip, error) {
	if track < 0 || track >= len(c.Tracks) || index < 0 || index >= len(c.Tracks[track].Clips) {
		return nil, fmt.Errorf("there is no such clip any more")
	}
	return &c.Tracks[track].Clips[index], nil
}

// Put puts a new clip into the cut. head is the record frame of the play head; track and index are of the chosen clip.
func (c *Cut) Put(clip Clip, where Place, head, track, index int) error {
	switch where {
	case AtEnd:
		clip.Record = c.Length()
		return c.lay(clip, 0)
	case AtBegin:
		c.shift(0, 0, clip.Length, true)
		clip.Record = 0
		return c.lay(clip, 0)
	case AtHead:
		clip.Record = max(0, head)
		return c.lay(clip, 0)
	case AfterIt, BeforeIt:
		chosen, err := c.clip(track, index)
		if err != nil {
			return fmt.Errorf("choose the clip that it goes next to first")
		}
		clip.Record = chosen.Record
		if where == AfterIt {
			clip.Record = chosen.End()
		}
		c.shift(track, clip.Record, clip.Length, false)
		return c.lay(clip, track)
	}
	return fmt.Errorf("there is no place %q in a cut", where)
}

// shift moves all clips of a track, or of every track, that begin at or after a record frame.
func (c *Cut) shift(track, from, by int, all bool) {
	for k := range c.Tracks {
		for i := range c.Tracks[k].Clips {
			if clip := &c.Tracks[k].Clips[i]; (all || k == track) && clip.Record >= from {
				clip.Record += by
			}
		}
		if t := &c.Tracks[k]; (all || k == track) && t.Until > from {
			t.Until += by
		}
	}
}

// lay puts a clip on a track, or on the first one above it that is free there.
func (c *Cut) lay(clip Clip, track int) error {
	for k := max(0, track); k < MaxTracks; k++ {
		if k == len(c.Tracks) {
			c.Tracks = append(c.Tracks, Track{})
		}
		if !slices.ContainsFunc(
			c.Tracks[k].Clips,
			func(o Clip) bool { return o.Record < clip.End() && clip.Record < o.End() },
		) {
			t := &c.Tracks[k]
			t.Clips = append(t.Clips, clip)
			slices.SortFunc(t.Clips, func(a, b Clip) int { return a.Record - b.Record })
			return c.Check()
		}
	}
	return fmt.Errorf("there are %d tracks already", MaxTracks)
}

// Move moves a clip to a record frame on a track; where another clip lies there, it goes to the first track above that
// is free, and covers it.
func (c *Cut) Move(track, index, record, to int) error {
	clip, err := c.clip(track, index)
	if err != nil {
		return err
	}
	if record < 0 || to < 0 || to >= MaxTracks {
		return fmt.Errorf("a clip cannot begin before the cut does")
	}
	moved := *clip
	moved.Record = record
	c.Tracks[track].Clips = slices.Delete(c.Tracks[track].Clips, index, index+1)
	for len(c.Tracks) < to {
		c.Tracks = append(c.Tracks, Track{})
	}
	err = c.lay(moved, to)
	c.tidy()
	return err
}

// tidy takes empty tracks away from the top.
func (c *Cut) tidy() {
	for n := len(c.Tracks); n > 0 && len(c.Tracks[n-1].Clips) == 0 && c.Tracks[n-1].Until == 0; n-- {
		c.Tracks = c.Tracks[:n-1]
	}
}

// Trim moves one end of a clip: its first record frame, or the one after its last. The frames that stay are those they
// were.
func (c *Cut) Trim(track, index, from, to int) error {
	clip, err := c.clip(track, index)
	if err != nil {
		return err
	}
	if from >= to {
		return fmt.Errorf("nothing would be left of %s", clip.Title())
	}
	*clip = clip.Part(from, to)
	return c.Check()
}

// Ripple moves one end of a clip as Trim does, and everything that follows on its track by as much, so that it neither
// leaves a gap nor meets what follows. The clip begins where it began.
func (c *Cut) Ripple(track, index, from, to int) error {
	clip, err := c.clip(track, index)
	if err != nil {
		return err
	}
	if from >= to {
		return fmt.Errorf("nothing would be left of %s", clip.Title())
	}
	begin, longer := clip.Record, to-from-clip.Length
	*clip = clip.Part(from, to)
	clip.Record = begin
	for i := index + 1; i < len(c.Tracks[track].Clips); i++ {
		c.Tracks[track].Clips[i].Record += longer
	}
	if t := &c.Tracks[track]; t.Until > 0 {
		t.Until = max(0, t.Until+longer)
	}
	return c.Check()
}

// Close ends every track with its last clip.
func (c *Cut) Close() {
	for k := range c.Tracks {
		c.Tracks[k].Until = 0
	}
	c.tidy()
}

// Slip shows other source frames in the same record frames.
func (c *Cut) Slip(track, index, by int) error {
	clip, err := c.clip(track, index)
	if err != nil {
		return err
	}
	clip.Source += by
	return c.Check()
}

// Remove takes a clip away; what follows stays where it is.
func (c *Cut) Remove(track, index int) error {
	if _, err := c.clip(track, index); err != nil {
		return err
	}
	c.Tracks[track].Clips = slices.Delete(c.Tracks[track].Clips, index, index+1)
	c.tidy()
	return nil
}

// Rename puts another code in the place of a shot's.
func (c *Cut) Rename(codes map[string]string) {
	for k := range c.Tracks {
		for i := range c.Tracks[k].Clips {
			if to, ok := codes[c.Tracks[k].Clips[i].Shot]; ok {
				c.Tracks[k].Clips[i].Shot = to
			}
		}
	}
}

// Match finds the shots of clips that have none, by the names that they came with: a code by itself, or before a mark.
// It returns how many clips stay without one.
func (c *Cut) Match(codes []string) int {
	left, codeOf := 0, known(codes)
	for k := range c.Tracks {
		for i := range c.Tracks[k].Clips {
			clip := &c.Tracks[k].Clips[i]
			if clip.Shot != "" && codeOf[strings.ToLower(clip.Shot)] == clip.Shot {
				continue
			}
			clip.Shot = match(codeOf, clip.Shot, clip.Name, clip.Reel)
			if clip.Shot == "" {
				left++
			}
		}
	}
	return left
}
