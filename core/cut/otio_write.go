package cut

import (
	"encoding/json"
	"fmt"
	"io"
	"math/big"
	"slices"
	"strings"

	"reelhouse/core/frame"
)

// object is an object of OpenTimelineIO.
type object map[string]any

// WriteOTIO writes a cut as a timeline of OpenTimelineIO. It returns what the file cannot hold. What the format has no
// place for goes into its metadata; what was kept as it came is written where it hung.
func WriteOTIO(w io.Writer, title string, c Cut, clock frame.Clock) (dropped []string, err error) {
	o := otioWriter{rate: clock.Rate.PerSecond(), clock: clock}
	tracks := []any{}
	for i := 0; i <= len(c.Tracks); i++ {
		for _, other := range c.Others {
			if min(other.Below, len(c.Tracks)) != i || other.Sound && soundIn(other.Kept) != c.Sound.Name {
				continue
			}
			tracks = append(tracks, other.Kept)
			o.sounded = o.sounded || other.Sound
		}
		if i < len(c.Tracks) {
			name := ""
			if c.From == "" { // what came from a file keeps that it has no name
				name = fmt.Sprintf("V%d", i+1)
			}
			tracks = append(tracks, o.track(c.Tracks[i], i, name))
		}
	}
	if c.Sound.Name != "" && !o.sounded {
		tracks = append(tracks, o.sound(c))
	}
	stack := o.item("Stack.1", "tracks", nil)
	stack["children"] = tracks
	timeline := object{
		"OTIO_SCHEMA": "Timeline.1", "name": c.Name, "global_start_time": o.at(c.Start),
		"metadata": object{"reelhouse": object{"sound": c.Sound.Name}}, "tracks": kept(stack, c.Stack),
	}
	if c.Name == "" {
		timeline["name"] = title
	}
	timeline = kept(timeline, c.Kept)
	if c.Start != 0 {
		timeline["global_start_time"] = o.at(c.Start)
	}
	encoder := json.NewEncoder(w)
	encoder.SetEscapeHTML(false)
	encoder.SetIndent("", "  ")
	return o.dropped, encoder.Encode(timeline)
}

type otioWriter struct {
	clock   frame.Clock
	rate    float64
	sounded bool // whether the sound's own track was among those that were kept
	dropped []string
}

func (o *otioWriter) at(n int) object {
	return object{"OTIO_SCHEMA": "RationalTime.1", "value": n, "rate": o.rate}
}

func (o *otioWriter) span(start, length int) object {
	return object{"OTIO_SCHEMA": "TimeRange.1", "start_time": o.at(start), "duration": o.at(length)}
}

// item returns what all things on a timeline have.
func (o *otioWriter) item(schema, name string, span any) object {
	return object{
		"OTIO_SCHEMA": schema, "name": name, "source_range": span, "effects": []any{}, "markers": []any{},
		"enabled": true, "metadata": object{},
	}
}

func (o *otioWriter) gap(length int) object { return o.item("Gap.1", "", o.span(0, length)) }

// kept lays what was kept as it came over an object; metadata stand beside ours.
func kept(o object, came Kept) object {
	fields := map[string]json.RawMessage{}
	if len(came) == 0 || json.Unmarshal(came, &fields) != nil {
		return o
	}
	for key, value := range fields {
		theirs := map[string]json.RawMessage{}
		if ours, ok := o[key].(object); key == "metadata" && ok && json.Unmarshal(value, &theirs) == nil {
			for name, data := range theirs {
				ours[name] = data
			}
			continue
		}
		o[key] = value
	}
	return o
}

// soundIn returns the name of the sound on a track that was kept.
func soundIn(came Kept) string {
	track, err := parseJSON(came)
	if err != nil {
		return ""
	}
	return soundOf(track)
}

func (o *otioWriter) track(t Track, index int, name string) object {
	children, end := []any{}, 0
	fill := func(to int) {
		if to > end {
			children = append(children, o.gap(to-end))
			end = to
		}
	}
	others := func(all []Other, place func(Other) int, until int) {
		for _, other := range all {
			if at := place(other); at <= until && at > end {
				fill(at)
			}
			if other.Length > until-end {
				o.dropped = append(o.dropped, fmt.Sprintf(
					"track %d: at record frame %d there is no room any more for %s", index+1, end, describe(other),
				))
				continue
			}
			children = append(children, other.Kept)
			end += other.Length
		}
	}
	for _, clip := range t.Clips {
		others(clip.Before, func(other Other) int { return clip.Record - other.Off }, clip.Record)
		fill(clip.Record)
		children = append(children, o.clip(clip))
		end = clip.End()
	}
	last := end
	others(t.After, func(other Other) int { return last + other.Off }, MaxFrames)
	fill(t.Until)
	if t.Name != "" {
		name = t.Name
	}
	track := o.item("Track.1", name, nil)
	track["kind"], track["children"], track["enabled"] = "Video", children, !t.Muted
	return kept(track, t.Kept)
}

// describe returns what a thing that was kept is.
func describe(other Other) string {
	n, err := parseJSON(other.Kept)
	if err != nil {
		return "what was kept there"
	}
	return strings.TrimSpace(orNothing(n.text("OTIO_SCHEMA")) + " " + n.text("name"))
}

// clip returns a clip with its media and its speed, and what was kept of it as far as it still holds.
func (o *otioWriter) clip(c Clip) object {
	ours := object{"reel": c.Reel}
	name := c.Name
	if name == "" {
		name, ours["name"] = c.Title(), ""
	}
	if c.Shot != "" {
		ours["shot"] = c.Shot
	}
	if c.View != "" {
		ours["view"] = c.View
	}
	if len(c.Notes) > 0 {
		ours["notes"] = c.Notes
	}
	clip := o.item("Clip.2", name, o.span(sourceNumber(o.clock, c.Source), c.Length))
	clip["enabled"], clip["metadata"] = !c.Muted, object{"reelhouse": ours}
	clip["effects"] = effectsOf(c.Speed)
	clip["media_references"] = object{"DEFAULT_MEDIA": mediaFor(c.Reel)}
	clip["active_media_reference_key"] = "DEFAULT_MEDIA"
	effects, span := clip["effects"], clip["source_range"]
	clip = kept(clip, c.Kept)
	if _, unsaid := clip["source_range"].(json.RawMessage); unsaid && !o.showsAll(clip, c) {
		clip["source_range"] = span
	}
	clip["effects"] = stillFitting(clip["effects"], effects, c.Speed)
	return clip
}

// showsAll reports whether a clip that does not say which frames it shows shows those of the cut's clip: all that its
// media have.
func (o *otioWriter) showsAll(clip object, c Clip) bool {
	n, err := parseJSON(mustJSON(clip))
	if err != nil {
		return false
	}
	reader := &otioReader{otioTimes: otioTimes{clock: o.clock, reading: &Reading{}}}
	at := big.NewRat(int64(c.Record)*int64(o.clock.Rate.Denominator), int64(o.clock.Rate.Numerator))
	l, err := reader.clip(n, at)
	return err == nil && len(l.clips) == 1 && l.clips[0].Source == c.Source && l.clips[0].Length == c.Length
}

// mediaFor returns the media reference of a reel.
func mediaFor(reel string) object {
	if reel == "" {
		return object{"OTIO_SCHEMA": "MissingReference.1", "name": "", "available_range": nil, "metadata": object{}}
	}
	return object{
		"OTIO_SCHEMA": "ExternalReference.1", "name": "", "target_url": reel, "available_range": nil,
		"metadata": object{},
	}
}

// effectsOf returns the effects of a speed.
func effectsOf(v Speed) []any {
	over, under := v.Fraction()
	switch {
	case over == 0:
		return []any{object{
			"OTIO_SCHEMA": "FreezeFrame.1", "name": "", "effect_name": "FreezeFrame", "time_scalar": 0,
			"metadata": object{},
		}}
	case v.Usual():
		return []any{}
	}
	return []any{object{
		"OTIO_SCHEMA": "LinearTimeWarp.1", "name": "", "effect_name": "LinearTimeWarp",
		"time_scalar": float64(over) / float64(under), "metadata": object{},
	}}
}

// stillFitting returns effects that were kept, if they give the clip the speed that it has; otherwise those of them
// that are none of time, behind those of its speed.
func stillFitting(came, ours any, v Speed) any {
	raw, ok := came.(json.RawMessage)
	if !ok {
		return came
	}
	n, err := parseJSON(raw)
	if err != nil {
		return ours
	}
	reader := &otioReader{otioTimes: otioTimes{reading: &Reading{}}}
	was, err := reader.warp(node{object: map[string]node{"effects": n}})
	a, b := was.Fraction()
	c, d := v.Fraction()
	if err == nil && a*d == b*c {
		return raw
	}
	all := slices.Clone(ours.([]any))
	for _, effect := range n.list {
		if _, timed, _ := reader.warpOf(effect); !timed {
			all = append(all, json.RawMessage(effect.compact()))
		}
	}
	return all
}

// sound returns a track of the cut's sound.
func (o *otioWriter) sound(c Cut) object {
	clip := o.item("Clip.2", c.Sound.Name, o.span(0, c.Length()))
	clip["media_references"] = object{"DEFAULT_MEDIA": mediaFor(c.Sound.Name)}
	clip["active_media_reference_key"] = "DEFAULT_MEDIA"
	track := o.item("Track.1", "A1", nil)
	track["kind"], track["children"] = "Audio", []any{clip}
	return track
}
