package web

import (
	"fmt"
	"strconv"
	"strings"

	"reelhouse/core/cut"
	"reelhouse/core/production"
)

// cut applies an edit of the cut. Clips are named by their track and their place on it, as the edit's option.
func (e edit) cut(p *production.Production) error {
	c := &p.Cut
	switch e.field {
	case "first":
		*c = p.FirstCut()
		if len(c.Tracks) == 0 {
			return fmt.Errorf("no shot is in the batch; put some in first")
		}
		return nil
	case "follow":
		changed, err := p.FollowCut(e.chosen)
		if err == nil && len(changed) == 0 {
			err = fmt.Errorf("the shots have just the frames that the cut shows")
		}
		return err
	case "noSound":
		c.Sound = cut.Sound{}
		return nil
	case "shots":
		_, err := p.ShotsOfCut(e.value)
		return err
	case "start":
		count := p.Clock().Count
		t, err := count.ParseTimecode(e.value)
		c.Start = count.Number(t)
		return err
	case "put":
		return e.putClip(p)
	}
	numbers, err := wholeNumbers(e.option)
	if err != nil || len(numbers) == 0 || numbers[0] < 0 || numbers[0] >= len(c.Tracks) {
		return fmt.Errorf("that track is not there any more")
	}
	track := numbers[0]
	if e.field == "muteTrack" {
		c.Tracks[track].Muted = !c.Tracks[track].Muted
		return nil
	}
	if len(numbers) != 2 || numbers[1] < 0 || numbers[1] >= len(c.Tracks[track].Clips) {
		return fmt.Errorf("that clip is not there any more")
	}
	return e.clip(p, track, numbers[1])
}

// wholeNumbers reads whole numbers with spaces between.
func wholeNumbers(text string) ([]int, error) {
	var numbers []int
	for _, word := range strings.Fields(text) {
		n, err := strconv.Atoi(word)
		if err != nil {
			return nil, fmt.Errorf("%q is not a whole number", word)
		}
		numbers = append(numbers, n)
	}
	return numbers, nil
}

// putClip puts a shot into the cut: its code, the place, the play head and the chosen clip.
func (e edit) putClip(p *production.Production) error {
	s, ok := p.FindShot(e.value)
	if !ok || s.Frames.Empty() {
		return fmt.Errorf("choose a shot that has frames")
	}
	clip := cut.Clip{Shot: s.Code, Source: s.Frames.First(), Length: s.Frames.Last() - s.Frames.First() + 1}
	track, index := 0, -1
	if numbers, err := wholeNumbers(e.option); err == nil && len(numbers) == 2 {
		track, index = numbers[0], numbers[1]
	}
	where := cut.AtEnd
	if len(e.values) > 0 {
		where = cut.Place(e.values[0])
	}
	return p.Cut.Put(clip, where, e.head, track, index)
}

// clip applies an edit of one clip.
func (e edit) clip(p *production.Production, track, index int) error {
	c := &p.Cut
	clip := &c.Tracks[track].Clips[index]
	numbers, wrong := wholeNumbers(e.value)
	one := func() (int, error) {
		if wrong != nil || len(numbers) != 1 {
			return 0, fmt.Errorf("%q is not a whole number of frames", e.value)
		}
		return numbers[0], nil
	}
	switch e.field {
	case "move": // a record frame and a track
		if wrong != nil || len(numbers) != 2 {
			return errChoice
		}
		return c.Move(track, index, numbers[0], numbers[1])
	case "trim": // record frames from and before
		if wrong != nil || len(numbers) != 2 {
			return errChoice
		}
		return c.Trim(track, index, numbers[0], numbers[1])
	case "slip":
		by, err := one()
		if err != nil {
			return err
		}
		return c.Slip(track, index, by)
	case "record":
		n, err := one()
		if err != nil {
			return err
		}
		return c.Move(track, index, n, track)
	case "length":
		n, err := one()
		if err != nil {
			return err
		}
		return c.Trim(track, index, clip.Record, clip.Record+n)
	case "source":
		n, err := one()
		clip.Source = n
		return err
	case "speed":
		v, err := e.decimal("%")
		if err != nil {
			return err
		}
		clip.Speed, err = cut.ParseSpeed(v)
		return err
	case "shot":
		if _, ok := p.FindShot(e.value); !ok {
			return errChoice
		}
		clip.Shot, clip.View = e.value, ""
	case "view":
		clip.View = e.value
	case "mute":
		clip.Muted = e.ticked()
	case "remove":
		return c.Remove(track, index)
	default:
		return errChoice
	}
	return c.Check()
}
