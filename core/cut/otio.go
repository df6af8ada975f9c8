package cut

import (
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"reelhouse/core/frame"
)

// ReadOTIO reads a timeline of OpenTimelineIO. Source and record times are frames after midnight, as timecode counts
// them; times of other rates are brought to that of the clock. Stacks within tracks are brought together into what is
// seen of them. Its errors are *Mistake where they belong to a line.
func ReadOTIO(r io.Reader, clock frame.Clock) (Reading, error) {
	root, err := readJSON(r)
	if err != nil {
		return Reading{}, err
	}
	o := &otioReader{
		clock:   clock,
		rate:    clock.Rate.PerSecond(),
		reading: Reading{Changed: []string{}, Dropped: []string{}},
	}
	if kind, _ := schema(root); kind != "Timeline" {
		return Reading{}, root.wrong("the file holds a %s; a Timeline can be read", orNothing(root.text("OTIO_SCHEMA")))
	}
	o.reading.Name = root.text("name")
	if start, ok := root.object["global_start_time"]; ok && start.object != nil {
		if o.reading.Cut.Start, err = o.frames(start); err != nil {
			return Reading{}, err
		}
	}
	tracks, ok := root.object["tracks"]
	if kind, _ := schema(tracks); !ok || kind != "Stack" {
		return Reading{}, root.wrong("the timeline has no stack of tracks")
	}
	o.reading.Cut.Sound.Name = root.object["metadata"].object["reelhouse"].text("sound")
	if o.reading.Cut.Tracks, err = o.stack(tracks, 0); err != nil {
		return Reading{}, err
	}
	if o.reading.Cut.Length() == 0 {
		return Reading{}, root.wrong("the timeline has no clips of pictures")
	}
	return o.reading, o.reading.Cut.Check()
}

type otioReader struct {
	clock   frame.Clock
	rate    float64
	clips   int
	reading Reading
}

// schema returns the name and the version of a node's schema, "" for none.
func schema(n node) (name, version string) {
	name, version, _ = strings.Cut(n.text("OTIO_SCHEMA"), ".")
	return name, version
}

func orNothing(text string) string {
	if text == "" {
		return "thing without a schema"
	}
	return text
}

// frames returns a RationalTime as frames of the clock's rate.
func (o *otioReader) frames(n node) (int, error) {
	value, err := n.number("value")
	if err != nil {
		return 0, err
	}
	rate, err := n.number("rate")
	if err != nil {
		return 0, err
	}
	if !(rate > 0) {
		return 0, n.wrong("a rate of %g frames a second", rate)
	}
	if math.Abs(rate-o.rate) > 1e-3*o.rate {
		o.reading.changed("times at %g frames a second are brought to %s", rate, o.clock.Rate)
		value *= o.rate / rate
	}
	if f := math.Round(value); math.Abs(f) <= 1e9 {
		if math.Abs(f-value) > 1e-3 {
			o.reading.changed("times between frames are brought to the nearest frame")
		}
		return int(f), nil
	}
	return 0, n.wrong("a time of %g frames", value)
}

// span returns a TimeRange; false if there is none.
func (o *otioReader) span(n node, field string) (start, length int, ok bool, err error) {
	r, there := n.object[field]
	if !there || r.object == nil {
		return 0, 0, false, nil
	}
	if start, err = o.frames(r.object["start_time"]); err != nil {
		return 0, 0, false, err
	}
	if length, err = o.frames(r.object["duration"]); err != nil {
		return 0, 0, false, err
	}
	if length < 0 {
		return 0, 0, false, r.wrong("%s lasts %d frames", field, length)
	}
	return start, length, true, nil
}

// stack reads a stack as tracks from the lowest up.
func (o *otioReader) stack(n node, depth int) ([]Track, error) {
	if depth > MaxTracks {
		return nil, n.wrong("stacks within stacks, more than %d deep", MaxTracks)
	}
	var tracks []Track
	for _, child := range n.object["children"].list {
		name, _ := schema(child)
		if kind := child.text("kind"); name == "Track" && kind == "Audio" && depth == 0 && o.sound(child) {
			continue
		} else if name == "Track" && kind != "Video" && kind != "" {
			o.reading.dropped("line %d: track %q of %s", child.line, child.text("name"), kind)
			continue
		}
		t := Track{Name: child.text("name"), Muted: off(child)}
		clips, _, err := o.item(child, 0, depth)
		if err != nil {
			return nil, err
		}
		if name != "Track" {
			t.Name = ""
		}
		t.Clips = clips
		if tracks = append(tracks, t); len(tracks) > MaxTracks {
			return nil, child.wrong("more than %d tracks", MaxTracks)
		}
	}
	start, length, limited, err := o.span(n, "source_range")
	if err != nil || !limited {
		return tracks, err
	}
	for i := range tracks {
		tracks[i].Clips = window(tracks[i].Clips, start, length)
	}
	return tracks, nil
}

// sound takes the one clip of a track of sound, if it plays from the beginning on and there is no other; a cut knows it
// by its name.
func (o *otioReader) sound(track node) bool {
	children := track.object["children"].list
	if len(children) != 1 {
		return false
	}
	clip := children[0]
	if kind, _ := schema(clip); kind != "Clip" {
		return false
	}
	name := mediaOf(clip).text("target_url")
	if name = name[strings.LastIndexAny(name, `/\`)+1:]; name == "" {
		name = clip.text("name")
	}
	known := o.reading.Cut.Sound.Name
	if name == "" || known != "" && known != name {
		return false
	}
	if o.reading.Cut.Sound.Name = name; known == "" {
		o.reading.changed("line %d: the sound is kept by its name, %s; its file has to be imported", track.line, name)
	}
	return true
}

// window returns what clips show in a part of the record frames, counted anew from its beginning.
func window(clips []Clip, start, length int) []Clip {
	var kept []Clip
	for _, clip := range clips {
		from, to := max(clip.Record, start), min(clip.End(), start+length)
		if from < to {
			part := clip.Part(from, to)
			part.Record -= start
			kept = append(kept, part)
		}
	}
	return kept
}

func off(n node) bool {
	enabled, ok := n.object["enabled"].value.(bool)
	return ok && !enabled
}

// item reads what lies on a track, from a record frame on, as clips, and how many record frames it takes.
func (o *otioReader) item(n node, at, depth int) (clips []Clip, length int, err error) {
	if depth > MaxTracks {
		return nil, 0, n.wrong("stacks and tracks within each other, more than %d deep", MaxTracks)
	}
	name, _ := schema(n)
	switch name {
	case "Clip":
		clip, err := o.clip(n, at)
		return []Clip{clip}, clip.Length, err
	case "Track":
		if clips, length, err = o.track(n, depth+1); err != nil {
			return nil, 0, err
		}
		start, taken, limited, err := o.span(n, "source_range")
		if err != nil {
			return nil, 0, err
		} else if limited {
			clips, length = window(clips, start, taken), taken
		}
	case "Stack":
		tracks, err := o.stack(n, depth+1)
		if err != nil {
			return nil, 0, err
		}
		o.reading.changed("line %d: a stack within a track is brought together into what is seen of it", n.line)
		inner := Cut{Tracks: tracks}
		clips, length = inner.Flat().Clips, inner.Length()
		if _, taken, limited, err := o.span(n, "source_range"); err != nil {
			return nil, 0, err
		} else if limited {
			length = taken
		}
	default:
		return nil, 0, n.wrong("a %s cannot lie on a track", orNothing(n.text("OTIO_SCHEMA")))
	}
	for i := range clips {
		clips[i].Record += at
	}
	return clips, length, nil
}

// track reads the children of a track, one after the other, and returns how many record frames they take.
func (o *otioReader) track(n node, depth int) (clips []Clip, at int, err error) {
	var notes []string // of transitions, for the clip that follows
	for _, child := range n.object["children"].list {
		switch name, _ := schema(child); name {
		case "Gap":
			_, length, _, err := o.span(child, "source_range")
			if err != nil {
				return nil, 0, err
			}
			at += length
		case "Transition":
			o.reading.changed("line %d: the transition %s is kept as a note", child.line, child.text("transition_type"))
			notes = append(notes, "transition: "+child.text("transition_type"))
		default:
			more, length, err := o.item(child, at, depth)
			if err != nil {
				return nil, 0, err
			}
			if o.clips += len(more); o.clips > MaxClips {
				return nil, 0, child.wrong("more than %d clips", MaxClips)
			}
			if off(child) {
				for i := range more {
					more[i].Muted = true
				}
			}
			for i := range more {
				if i == 0 {
					more[i].Notes = append(notes, more[i].Notes...)
				}
				if more[i].Length > 0 {
					clips = append(clips, more[i])
				}
			}
			at, notes = at+length, nil
		}
		if at > MaxFrames {
			return nil, 0, child.wrong("the track is longer than %d frames", MaxFrames)
		}
	}
	return clips, at, nil
}

// mediaOf returns the media reference that counts of a clip.
func mediaOf(n node) node {
	if all, ok := n.object["media_references"]; ok {
		key := n.text("active_media_reference_key")
		if key == "" {
			key = "DEFAULT_MEDIA"
		}
		return all.object[key]
	}
	return n.object["media_reference"]
}

func (o *otioReader) clip(n node, at int) (Clip, error) {
	clip := Clip{Name: n.text("name"), Record: at}
	media := mediaOf(n)
	start, length, ok, err := o.span(n, "source_range")
	if err == nil && !ok {
		start, length, ok, err = o.span(media, "available_range")
	}
	if err != nil {
		return clip, err
	}
	if !ok {
		return clip, n.wrong("the clip %q says neither which frames it shows nor which there are", clip.Name)
	}
	clip.Source, clip.Length = sourceFrame(o.clock, start), length
	switch kind, _ := schema(media); kind {
	case "MissingReference", "":
		o.reading.changed("line %d: the media of %q are missing; the clip is kept by its name", n.line, clip.Name)
	case "ExternalReference":
		clip.Reel = media.text("target_url")
	default:
		clip.Reel = media.text("name")
	}
	for _, effect := range n.object["effects"].list {
		switch kind, _ := schema(effect); kind {
		case "LinearTimeWarp":
			speed, err := effect.number("time_scalar")
			if err != nil {
				return clip, err
			}
			if !(math.Abs(speed) <= maxSpeed) {
				return clip, effect.wrong("a speed of %g times", speed)
			}
			if clip.Speed = speedOf(speed); clip.Speed.Usual() {
				clip.Speed = Speed{}
			}
		case "FreezeFrame":
			clip.Speed = Hold
		default:
			o.reading.dropped(
				"line %d: the effect %s of %q", effect.line, orNothing(effect.text("OTIO_SCHEMA")), clip.Name,
			)
		}
	}
	if markers := n.object["markers"].list; len(markers) > 0 {
		for _, m := range markers {
			clip.Notes = append(clip.Notes, "marker: "+m.text("name"))
		}
		o.reading.changed("markers are kept as notes")
	}
	ours := n.object["metadata"].object["reelhouse"]
	clip.Shot, clip.View = ours.text("shot"), ours.text("view")
	if reel, there := ours.object["reel"]; there {
		clip.Reel, _ = reel.value.(string)
	}
	if name, there := ours.object["name"]; there {
		clip.Name, _ = name.value.(string)
	}
	for _, note := range ours.object["notes"].list {
		if text, ok := note.value.(string); ok && !slices.Contains(clip.Notes, text) {
			clip.Notes = append(clip.Notes, text)
		}
	}
	return clip, nil
}

// WriteOTIO writes a cut as a timeline of OpenTimelineIO. It returns what the file cannot hold, which is nothing: what
// the format has no place for goes into its metadata.
func WriteOTIO(w io.Writer, title string, c Cut, clock frame.Clock) (dropped []string, err error) {
	type object map[string]any
	rate := clock.Rate.PerSecond()
	at := func(n int) object { return object{"OTIO_SCHEMA": "RationalTime.1", "value": n, "rate": rate} }
	span := func(start, length int) object {
		return object{"OTIO_SCHEMA": "TimeRange.1", "start_time": at(start), "duration": at(length)}
	}
	tracks := []object{}
	for i, t := range c.Tracks {
		children, end := []object{}, 0
		for _, clip := range t.Clips {
			if clip.Record > end {
				children = append(
					children,
					object{
						"OTIO_SCHEMA": "Gap.1", "name": "", "source_range": span(0, clip.Record-end),
						"effects": []object{}, "markers": []object{}, "enabled": true, "metadata": object{},
					},
				)
			}
			effects := []object{}
			if over, under := clip.Speed.Fraction(); clip.Speed == Hold || over == 0 {
				effects = append(
					effects,
					object{
						"OTIO_SCHEMA": "FreezeFrame.1", "name": "", "effect_name": "FreezeFrame",
						"time_scalar": 0, "metadata": object{},
					},
				)
			} else if !clip.Speed.Usual() {
				effects = append(effects, object{"OTIO_SCHEMA": "LinearTimeWarp.1", "name": "",
					"effect_name": "LinearTimeWarp", "time_scalar": float64(over) / float64(under),
					"metadata": object{}})
			}
			ours := object{"reel": clip.Reel}
			name := clip.Name
			if name == "" {
				name, ours["name"] = clip.Title(), ""
			}
			if clip.Shot != "" {
				ours["shot"] = clip.Shot
			}
			if clip.View != "" {
				ours["view"] = clip.View
			}
			if len(clip.Notes) > 0 {
				ours["notes"] = clip.Notes
			}
			media := object{
				"OTIO_SCHEMA": "MissingReference.1", "name": "", "available_range": nil, "metadata": object{},
			}
			if clip.Reel != "" {
				media = object{
					"OTIO_SCHEMA": "ExternalReference.1", "name": "", "target_url": clip.Reel,
					"available_range": nil, "metadata": object{},
				}
			}
			children = append(children, object{
				"OTIO_SCHEMA": "Clip.2", "name": name,
				"source_range": span(sourceNumber(clock, clip.Source), clip.Length), "effects": effects,
				"markers": []object{}, "enabled": !clip.Muted,
				"media_references": object{
					"DEFAULT_MEDIA": media,
				}, "active_media_reference_key": "DEFAULT_MEDIA", "metadata": object{"reelhouse": ours},
			})
			end = clip.End()
		}
		name := t.Name
		if name == "" {
			name = fmt.Sprintf("V%d", i+1)
		}
		tracks = append(
			tracks,
			object{
				"OTIO_SCHEMA": "Track.1", "name": name, "kind": "Video", "source_range": nil,
				"effects": []object{}, "markers": []object{}, "enabled": !t.Muted,
				"metadata": object{}, "children": children,
			},
		)
	}
	if c.Sound.Name != "" {
		media := object{
			"OTIO_SCHEMA": "ExternalReference.1", "name": "", "target_url": c.Sound.Name,
			"available_range": nil, "metadata": object{},
		}
		clip := object{
			"OTIO_SCHEMA": "Clip.2", "name": c.Sound.Name, "source_range": span(0, c.Length()), "effects": []object{},
			"markers": []object{}, "enabled": true,
			"media_references": object{
				"DEFAULT_MEDIA": media,
			}, "active_media_reference_key": "DEFAULT_MEDIA", "metadata": object{},
		}
		tracks = append(
			tracks,
			object{
				"OTIO_SCHEMA": "Track.1", "name": "A1", "kind": "Audio", "source_range": nil,
				"effects": []object{}, "markers": []object{}, "enabled": true, "metadata": object{},
				"children": []object{clip},
			},
		)
	}
	encoder := json.NewEncoder(w)
	encoder.SetIndent("", "  ")
	return nil, encoder.Encode(object{
		"OTIO_SCHEMA": "Timeline.1", "name": title, "global_start_time": at(c.Start),
		"metadata": object{"reelhouse": object{"sound": c.Sound.Name}},
		"tracks": object{
			"OTIO_SCHEMA": "Stack.1", "name": "tracks", "source_range": nil, "effects": []object{},
			"markers": []object{}, "enabled": true, "metadata": object{}, "children": tracks,
		},
	})
}
