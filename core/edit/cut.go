package edit

import (
	"fmt"

	"reelhouse/core/cut"
	"reelhouse/core/production"
)

// RebuildCut makes the cut anew of the shots that are in the batch, in their order.
type RebuildCut struct{}

func (RebuildCut) Name() string  { return "cut.rebuild" }
func (RebuildCut) Part() string  { return "cut" }
func (RebuildCut) words() string { return "rebuild the cut from shots" }

func (RebuildCut) apply(p *production.Production, _ Known) error {
	p.Cut = p.FirstCut()
	if len(p.Cut.Tracks) == 0 {
		return fmt.Errorf("no shot is in the batch; put some in first")
	}
	return nil
}

// ConformShots gives shots the frames that the cut shows of them; all of them if none is named.
type ConformShots struct {
	Shots []string `json:"shots,omitempty" role:"of"`
}

func (ConformShots) Name() string  { return "cut.conform" }
func (ConformShots) Part() string  { return "cut" }
func (ConformShots) words() string { return "conform shots to the cut" }

func (c ConformShots) apply(p *production.Production, _ Known) error {
	changed, err := p.FollowCut(c.Shots)
	if err == nil && len(changed) == 0 {
		err = fmt.Errorf("the shots have just the frames that the cut shows")
	}
	return err
}

// ShotsOfCut makes a shot for every clip of the cut that is none, shown by a view.
type ShotsOfCut struct {
	View string `json:"view" role:"value"`
}

func (ShotsOfCut) Name() string  { return "cut.make-shots" }
func (ShotsOfCut) Part() string  { return "cut" }
func (ShotsOfCut) words() string { return "make shots of clips" }

func (c ShotsOfCut) apply(p *production.Production, _ Known) error {
	_, err := p.ShotsOfCut(c.View)
	return err
}

// CloseCut ends every track with its last clip.
type CloseCut struct{}

func (CloseCut) Name() string  { return "cut.close" }
func (CloseCut) Part() string  { return "cut" }
func (CloseCut) words() string { return "end the cut with its last clip" }

func (CloseCut) apply(p *production.Production, _ Known) error {
	before := p.Cut.Length()
	if p.Cut.Close(); p.Cut.Length() == before {
		return fmt.Errorf("nothing follows the last clip")
	}
	return nil
}

// SetCut changes the cut as a whole.
type SetCut struct {
	Start *string `json:"start,omitempty" label:"start timecode"`
}

func (SetCut) Name() string { return "cut.set" }
func (SetCut) Part() string { return "cut" }

func (c SetCut) apply(p *production.Production, _ Known) error {
	return with("start", c.Start, func(text string) error {
		count := p.Clock().Count
		t, err := count.ParseTimecode(text)
		if err == nil {
			p.Cut.Start = count.Number(t)
		}
		return err
	})
}

// ImportCut puts a cut that was read from a file in the place of the one that is there.
type ImportCut struct {
	File string  `json:"file,omitempty"` // its name
	Note string  `json:"note,omitempty"` // what was changed of it
	Cut  cut.Cut `json:"cut"`
}

func (ImportCut) Name() string    { return "cut.import" }
func (ImportCut) Part() string    { return "cut" }
func (c ImportCut) words() string { return "import cut from " + c.File + c.Note }

func (c ImportCut) apply(p *production.Production, _ Known) error {
	p.Cut = c.Cut
	return p.Cut.Check()
}

// SetSound lets a sound that was imported play along with the cut, or none.
type SetSound struct {
	Sound cut.Sound `json:"sound"`
}

func (SetSound) Name() string { return "cut.sound" }
func (SetSound) Part() string { return "cut" }

func (c SetSound) words() string {
	if c.Sound == (cut.Sound{}) {
		return "remove the sound"
	}
	return "import sound " + c.Sound.Name
}

func (c SetSound) apply(p *production.Production, _ Known) error {
	p.Cut.Sound = c.Sound
	return nil
}

// RemoveSound lets the cut play without sound.
type RemoveSound struct{}

func (RemoveSound) Name() string  { return "cut.remove-sound" }
func (RemoveSound) Part() string  { return "cut" }
func (RemoveSound) words() string { return "remove the sound" }

func (RemoveSound) apply(p *production.Production, _ Known) error {
	p.Cut.Sound = cut.Sound{}
	return nil
}

// AddClip puts a shot into the cut, with all of its frames.
type AddClip struct {
	Shot  string `json:"shot"`
	Place string `json:"place,omitempty"` // as cut.Place; at the end if there is none
	Head  int    `json:"head,omitempty"`  // record frame of the play head
	Track int    `json:"track,omitempty"` // of the clip that is chosen
	Clip  *int   `json:"clip,omitempty"`  // its place on the track; nil for none
}

func (AddClip) Name() string    { return "clip.add" }
func (AddClip) Part() string    { return "cut" }
func (c AddClip) words() string { return "add clip of shot " + c.Shot }

func (c AddClip) apply(p *production.Production, _ Known) error {
	s, ok := p.FindShot(c.Shot)
	if !ok || s.Frames.Empty() {
		return &Mistake{Field: "shot", Message: "choose a shot that has frames"}
	}
	length := s.Frames.Last() - s.Frames.First() + 1
	clip := cut.Clip{Shot: s.Code, Source: s.Frames.First(), Length: length}
	place, index := cut.AtEnd, -1
	if c.Place != "" {
		place = cut.Place(c.Place)
	}
	if c.Clip != nil {
		index = *c.Clip
	}
	return p.Cut.Put(clip, place, c.Head, c.Track, index)
}

// MuteTrack mutes a track, or no longer.
type MuteTrack struct {
	Track int  `json:"track"`
	Muted bool `json:"muted"`
}

func (MuteTrack) Name() string { return "track.mute" }
func (MuteTrack) Part() string { return "cut" }

func (c MuteTrack) words() string {
	return fmt.Sprintf("%s track %d", map[bool]string{true: "mute", false: "unmute"}[c.Muted], c.Track+1)
}

func (c MuteTrack) apply(p *production.Production, _ Known) error {
	if c.Track < 0 || c.Track >= len(p.Cut.Tracks) {
		return fmt.Errorf("that track is not there any more")
	}
	p.Cut.Tracks[c.Track].Muted = c.Muted
	return nil
}

// clipAt returns a clip by its track and its place on it.
func clipAt(p *production.Production, track, clip int) (*cut.Clip, error) {
	if track < 0 || track >= len(p.Cut.Tracks) || clip < 0 || clip >= len(p.Cut.Tracks[track].Clips) {
		return nil, fmt.Errorf("that clip is not there any more")
	}
	return &p.Cut.Tracks[track].Clips[clip], nil
}

// SetClip changes a clip.
type SetClip struct {
	Track  int      `json:"track"`
	Clip   int      `json:"clip"`
	Record *int     `json:"record,omitempty" label:"record in"` // record frame
	Length *int     `json:"length,omitempty"`
	Source *int     `json:"source,omitempty" label:"source in"`
	Speed  *float64 `json:"speed,omitempty" unit:"%"`
	Shot   *string  `json:"shot,omitempty"`
	View   *string  `json:"view,omitempty"`
	Muted  *bool    `json:"muted,omitempty"`
}

func (SetClip) Name() string { return "clip.set" }
func (SetClip) Part() string { return "cut" }

func (c SetClip) apply(p *production.Production, _ Known) error {
	clip, err := clipAt(p, c.Track, c.Clip)
	if err != nil {
		return err
	}
	err = first(
		with("shot", c.Shot, func(code string) error {
			if _, ok := p.FindShot(code); !ok {
				return fmt.Errorf("there is no shot %q", code)
			}
			clip.Shot, clip.View = code, ""
			return nil
		}),
		to(&clip.View, c.View),
		to(&clip.Source, c.Source),
		to(&clip.Muted, c.Muted),
		with(
			"speed",
			c.Speed,
			func(percent float64) (err error) { clip.Speed, err = cut.ParseSpeed(percent); return err },
		),
		with("length", c.Length, func(n int) error { return p.Cut.Trim(c.Track, c.Clip, clip.Record, clip.Record+n) }),
		with("record", c.Record, func(n int) error { return p.Cut.Move(c.Track, c.Clip, n, c.Track) }),
	)
	if err != nil {
		return err
	}
	return p.Cut.Check()
}

// MoveClip moves a clip to a record frame and a track.
type MoveClip struct {
	Track   int `json:"track"`
	Clip    int `json:"clip"`
	Record  int `json:"record"`
	ToTrack int `json:"toTrack"`
}

func (MoveClip) Name() string  { return "clip.move" }
func (MoveClip) Part() string  { return "cut" }
func (MoveClip) words() string { return "move clip" }

func (c MoveClip) apply(p *production.Production, _ Known) error {
	if _, err := clipAt(p, c.Track, c.Clip); err != nil {
		return err
	}
	return p.Cut.Move(c.Track, c.Clip, c.Record, c.ToTrack)
}

// TrimClip gives a clip new ends, as record frames: the first, and the one after the last.
type TrimClip struct {
	Track int `json:"track"`
	Clip  int `json:"clip"`
	From  int `json:"from"`
	Until int `json:"until"`
	// Ripple moves what follows on its track by as much.
	Ripple bool `json:"ripple,omitempty"`
}

func (TrimClip) Name() string { return "clip.trim" }
func (TrimClip) Part() string { return "cut" }
func (c TrimClip) words() string {
	if c.Ripple {
		return "ripple trim clip"
	}
	return "trim clip"
}

func (c TrimClip) apply(p *production.Production, _ Known) error {
	if _, err := clipAt(p, c.Track, c.Clip); err != nil {
		return err
	}
	if c.Ripple {
		return p.Cut.Ripple(c.Track, c.Clip, c.From, c.Until)
	}
	return p.Cut.Trim(c.Track, c.Clip, c.From, c.Until)
}

// SlipClip shows other frames of the shot, at the same place of the cut.
type SlipClip struct {
	Track int `json:"track"`
	Clip  int `json:"clip"`
	By    int `json:"by"`
}

func (SlipClip) Name() string  { return "clip.slip" }
func (SlipClip) Part() string  { return "cut" }
func (SlipClip) words() string { return "slip clip" }

func (c SlipClip) apply(p *production.Production, _ Known) error {
	if _, err := clipAt(p, c.Track, c.Clip); err != nil {
		return err
	}
	return p.Cut.Slip(c.Track, c.Clip, c.By)
}

// RemoveClip removes a clip.
type RemoveClip struct {
	Track int `json:"track"`
	Clip  int `json:"clip"`
}

func (RemoveClip) Name() string  { return "clip.remove" }
func (RemoveClip) Part() string  { return "cut" }
func (RemoveClip) words() string { return "remove clip" }

func (c RemoveClip) apply(p *production.Production, _ Known) error {
	if _, err := clipAt(p, c.Track, c.Clip); err != nil {
		return err
	}
	return p.Cut.Remove(c.Track, c.Clip)
}
