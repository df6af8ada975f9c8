package cut

import (
	"fmt"
	"io"
	"math/big"
	"slices"
	"strconv"
	"strings"

	"reelhouse/core/frame"
)

// ReadOTIO reads a timeline of OpenTimelineIO. Source and record times are frames after midnight, as timecode counts
// them; times of other rates are brought to that of the clock, each position by itself. Stacks within tracks are
// brought together into what is seen of them. What a cut has no place for, such as metadata of others, is kept as it
// came. Its errors are *Mistake where they belong to a line.
func ReadOTIO(r io.Reader, clock frame.Clock) (Reading, error) {
	root, err := readJSON(r)
	if err != nil {
		return Reading{}, err
	}
	reading := &Reading{Changed: []string{}, Dropped: []string{}}
	o := &otioReader{otioTimes: otioTimes{clock: clock, reading: reading}}
	if kind := o.schema(root); kind != "Timeline" {
		return Reading{}, root.wrong(
			"the file holds a %s; a Timeline can be read",
			orNothing(root.text("OTIO_SCHEMA")),
		)
	}
	c := &reading.Cut
	reading.Name, c.Name = root.text("name"), root.text("name")
	if start, ok := root.object["global_start_time"]; ok && start.object != nil {
		if c.Start, err = o.start(start); err != nil {
			return Reading{}, err
		}
	}
	tracks, ok := root.object["tracks"]
	if !ok || o.schema(tracks) != "Stack" {
		return Reading{}, root.wrong("the timeline has no stack of tracks")
	}
	o.ours = root.object["metadata"].object["reelhouse"].text("sound")
	c.Sound.Name = o.ours
	c.Kept = o.rest(root, "name", "global_start_time", "tracks")
	if start, there := root.object["global_start_time"]; there && start.object == nil {
		c.Kept = overlay(c.Kept, unsaid("global_start_time"))
	}
	c.Stack = o.withEffects(o.rest(tracks, "name", "children", "source_range", "effects"), tracks)
	o.say(tracks, "the timeline")
	if c.Tracks, err = o.pictures(tracks); err != nil {
		return Reading{}, err
	}
	if c.Empty() {
		return Reading{}, root.wrong("the timeline has no clips of pictures")
	}
	if n := c.keptBytes(); n > MaxKept {
		reading.dropped("%d MB of metadata and others; a cut keeps at most %d MB", n>>20, MaxKept>>20)
		c.forget()
	}
	return reading.finished(), c.Check()
}

type otioReader struct {
	otioTimes
	clips int
	ours  string // the sound of a file that this program wrote
}

// versions are the schemas that are understood, and their newest version.
var versions = map[string]int{
	"Timeline": 1, "Stack": 1, "Track": 1, "Clip": 2, "Gap": 1, "Transition": 1, "LinearTimeWarp": 1, "FreezeFrame": 1,
	"Marker": 2, "Effect": 1, "MissingReference": 1, "ExternalReference": 1, "GeneratorReference": 1,
	"ImageSequenceReference": 1,
}

// schema returns the name of a node's schema, "" for none. A newer version than that which is understood is said.
func (o *otioReader) schema(n node) string {
	name, version, _ := strings.Cut(n.text("OTIO_SCHEMA"), ".")
	if newest := versions[name]; newest > 0 && newer(n) {
		o.reading.changed(
			"the file has a %s of version %s; it is read as version %d, and what that does not have is kept as it came",
			name,
			version,
			newest,
		)
	}
	return name
}

// newer reports whether a node's schema is of a newer version than that which is understood.
func newer(n node) bool {
	name, version, _ := strings.Cut(n.text("OTIO_SCHEMA"), ".")
	v, err := strconv.Atoi(version)
	return err == nil && versions[name] > 0 && v > versions[name]
}

func orNothing(text string) string {
	if text == "" {
		return "thing without a schema"
	}
	return text
}

// say tells what is kept of a thing and changes nothing here.
func (o *otioReader) say(n node, what string) {
	if k := len(n.object["markers"].list); k > 0 {
		o.reading.changed("line %d: the markers of %s, %d of them, are kept as they came", n.line, what, k)
	}
	for _, effect := range n.object["effects"].list {
		if _, timed, _ := o.warpOf(effect); !timed {
			o.reading.changed(
				"line %d: the effect %s of %s is kept as it came, and changes nothing here", effect.line,
				orNothing(strings.TrimSpace(effect.text("OTIO_SCHEMA")+" "+effect.text("effect_name"))), what,
			)
		}
	}
}

// pictures reads the tracks of the timeline's stack, from the lowest up. Those that are not of pictures are kept as
// they came.
func (o *otioReader) pictures(stack node) ([]Track, error) {
	var tracks []Track
	for _, child := range stack.object["children"].list {
		kind, name := child.text("kind"), o.schema(child)
		if name != "Track" && name != "Stack" && name != "Clip" || name == "Track" && kind != "Video" && kind != "" {
			o.other(child, len(tracks))
			continue
		}
		t := Track{Name: child.text("name"), Muted: off(child)}
		var clips laid
		var err error
		if name == "Track" {
			t.Kept = o.withEffects(o.rest(child, "name", "kind", "children", "source_range", "effects"), child)
			o.say(child, fmt.Sprintf("the track %q", t.Name))
			clips, err = o.composition(child, new(big.Rat), 0, true)
		} else {
			t.Name = ""
			clips, err = o.item(child, new(big.Rat), 0)
		}
		if err != nil {
			return nil, err
		}
		t.Clips, t.After = clips.clips, clips.after
		if t.Clips == nil {
			t.Clips = []Clip{}
		}
		if end := o.frame(clips.end); end > t.End() {
			t.Until = end
		}
		if tracks = append(tracks, t); len(tracks) > MaxTracks {
			return nil, child.wrong("more than %d tracks", MaxTracks)
		}
	}
	return o.whole(stack, tracks)
}

// whole brings what the timeline's stack says of all its tracks to them: a part of their time, their speed, and whether
// they are seen at all.
func (o *otioReader) whole(stack node, tracks []Track) ([]Track, error) {
	if off(stack) {
		o.reading.changed("line %d: the stack of tracks is disabled, so that every track is muted", stack.line)
		for i := range tracks {
			tracks[i].Muted = true
		}
	}
	start, length, limited, err := o.span(stack, "source_range")
	if err != nil {
		return nil, err
	}
	v, err := o.warp(stack)
	if err != nil || !limited && v.Usual() {
		return tracks, err
	}
	from, frames := 0, Cut{Tracks: tracks}.Length()
	if limited {
		from, frames = o.frame(start), o.frame(length)
		o.reading.changed("line %d: of the stack of tracks %d frames from %d on are taken", stack.line, frames, from)
	}
	if !v.Usual() {
		o.reading.changed("line %d: the speed %s of the stack of tracks is given to its clips", stack.line, v)
	}
	for i := range tracks {
		t := &tracks[i]
		t.Clips, t.After = retimed(t.Clips, from, v, 0, frames), nil
		if t.Until = 0; frames > t.End() {
			t.Until = frames
		}
	}
	return tracks, nil
}

// other keeps a thing among the tracks that is not of pictures. One track of one sound is known by its name.
func (o *otioReader) other(n node, below int) {
	c := &o.reading.Cut
	what := orNothing(n.text("OTIO_SCHEMA"))
	if kind := n.text("kind"); kind != "" {
		what = "track of " + kind
	}
	name := soundOf(n)
	switch {
	case name != "" && name == o.ours: // which is written anew
		return
	case name != "" && c.Sound.Name == name: // another channel of it
		c.Others = append(c.Others, OtherTrack{below, true, n.compact()})
		o.reading.changed("line %d: the %s %q is of the same sound, and kept as it came", n.line, what, n.text("name"))
		return
	case name != "" && c.Sound.Name == "":
		o.reading.changed("line %d: the sound is kept by its name, %s; its file has to be imported", n.line, name)
		c.Sound.Name = name
		c.Others = append(c.Others, OtherTrack{below, true, n.compact()})
		return
	}
	c.Others = append(c.Others, OtherTrack{below, false, n.compact()})
	o.reading.changed("line %d: the %s %q is kept as it came, and is not played", n.line, what, n.text("name"))
}

// soundOf returns the name of the one clip of a track of sound, if it plays from the beginning on and there is no
// other.
func soundOf(track node) string {
	children := track.object["children"].list
	if track.text("kind") != "Audio" || len(children) != 1 ||
		!strings.HasPrefix(children[0].text("OTIO_SCHEMA"), "Clip.") {
		return ""
	}
	name := mediaOf(children[0]).text("target_url")
	if name = name[strings.LastIndexAny(name, `/\`)+1:]; name == "" {
		name = children[0].text("name")
	}
	return name
}

func off(n node) bool {
	enabled, ok := n.object["enabled"].value.(bool)
	return ok && !enabled
}

// laid are clips at their places, and what is behind the last of them.
type laid struct {
	clips []Clip
	after []Other
	end   *big.Rat // seconds after record frame 0
}

// item reads what lies on a track, from a time on.
func (o *otioReader) item(n node, at *big.Rat, depth int) (laid, error) {
	if depth > MaxTracks {
		return laid{}, n.wrong("stacks and tracks within each other, more than %d deep", MaxTracks)
	}
	switch o.schema(n) {
	case "Clip":
		return o.clip(n, at)
	case "Track", "Stack":
		l, err := o.composition(n, at, depth+1, false)
		if err != nil {
			return laid{}, err
		}
		others := len(l.after)
		for i := range l.clips {
			others += len(l.clips[i].Before)
			l.clips[i].Before = nil
		}
		if l.after = nil; others > 0 {
			o.reading.dropped(
				"line %d: transitions and others, %d, within a stack or track on a track",
				n.line,
				others,
			)
		}
		return l, nil
	}
	return laid{}, n.wrong("a %s cannot lie on a track", orNothing(n.text("OTIO_SCHEMA")))
}

// composition reads a track or a stack that begins at a time. top tells that it is a track of the cut.
func (o *otioReader) composition(n node, at *big.Rat, depth int, top bool) (laid, error) {
	if depth > MaxTracks {
		return laid{}, n.wrong("stacks and tracks within each other, more than %d deep", MaxTracks)
	}
	start, length, limited, err := o.span(n, "source_range")
	if err != nil {
		return laid{}, err
	}
	v, err := o.warp(n)
	if err != nil {
		return laid{}, err
	}
	name := fmt.Sprintf("%s %q", strings.ToLower(o.schema(n)), n.text("name"))
	if !top {
		if o.schema(n) == "Stack" {
			o.reading.changed("line %d: a stack within a track is brought together into what is seen of it", n.line)
		}
		if n.there("markers") ||
			len(o.rest(n, "name", "kind", "children", "source_range", "effects", "markers")) > 0 {
			o.reading.dropped("line %d: metadata and markers of the %s within a track", n.line, name)
		}
		for _, effect := range n.object["effects"].list {
			if _, timed, _ := o.warpOf(effect); !timed {
				o.reading.dropped("line %d: the effect %s of the %s", effect.line, effect.text("OTIO_SCHEMA"), name)
			}
		}
	}
	base := new(big.Rat)
	if v.Usual() {
		base.Set(at)
		if limited {
			base.Sub(at, start)
		}
	}
	inner, err := o.children(n, base, depth)
	if err != nil {
		return laid{}, err
	}
	if limited && top {
		o.reading.changed("line %d: of the %s only its source range is taken", n.line, name)
	}
	if v.Usual() {
		if limited {
			inner.end = new(big.Rat).Add(at, length)
			inner.clips, inner.after = window(inner.clips, o.frame(at), o.frame(inner.end)), nil
		}
		return inner, nil
	}
	o.reading.changed("line %d: the speed %s of the %s is given to its clips", n.line, v, name)
	from := 0
	if limited {
		from = o.frame(start)
	} else {
		length = inner.end
	}
	end := new(big.Rat).Add(at, length)
	return laid{clips: retimed(inner.clips, from, v, o.frame(at), o.frame(end)-o.frame(at)), end: end}, nil
}

// children reads what a track or a stack consists of, from a time on.
func (o *otioReader) children(n node, at *big.Rat, depth int) (laid, error) {
	if o.schema(n) == "Track" {
		return o.row(n, at, depth)
	}
	end := new(big.Rat).Set(at)
	var tracks []Track
	for _, child := range n.object["children"].list {
		kind := child.text("kind")
		if name := o.schema(child); name == "Track" && kind != "Video" && kind != "" {
			o.reading.dropped("line %d: the track %q of %s within a track", child.line, child.text("name"), kind)
			continue
		}
		l, err := o.item(child, at, depth+1)
		if err != nil {
			return laid{}, err
		}
		if tracks = append(tracks, Track{Clips: l.clips, Muted: off(child)}); len(tracks) > MaxTracks {
			return laid{}, child.wrong("more than %d tracks", MaxTracks)
		}
		if l.end.Cmp(end) > 0 {
			end = l.end
		}
	}
	return laid{clips: together(tracks), end: end}, nil
}

// together returns what is seen of tracks, whose record frames may be below 0.
func together(tracks []Track) []Clip {
	lowest := 0
	for _, t := range tracks {
		if len(t.Clips) > 0 {
			lowest = min(lowest, t.Clips[0].Record)
		}
	}
	by := func(n int) {
		for _, t := range tracks {
			for i := range t.Clips {
				t.Clips[i].Record += n
			}
		}
	}
	by(-lowest)
	seen := Cut{Tracks: tracks}.Flat().Clips
	for i := range seen {
		seen[i].Record += lowest
	}
	return seen
}

// row reads the children of a track, one after the other.
func (o *otioReader) row(n node, at *big.Rat, depth int) (laid, error) {
	var (
		l       laid
		pending []Other  // at record frames
		notes   []string // of transitions, for the clip that follows
	)
	at = new(big.Rat).Set(at)
	keep := func(child node, length int) {
		pending = append(pending, Other{Off: o.frame(at), Length: length, Kept: child.compact()})
	}
	for _, child := range n.object["children"].list {
		kind := o.schema(child)
		name := orNothing(child.text("OTIO_SCHEMA"))
		if kind == "Clip" || kind == "Track" || kind == "Stack" {
			more, err := o.item(child, at, depth)
			if err != nil {
				return laid{}, err
			}
			if o.clips += len(more.clips); o.clips > MaxClips {
				return laid{}, child.wrong("more than %d clips", MaxClips)
			}
			if kind == "Clip" && len(more.clips) == 0 {
				keep(child, 0)
			}
			for i, clip := range more.clips {
				clip.Muted = clip.Muted || off(child)
				if i == 0 {
					for _, other := range pending {
						other.Off = clip.Record - other.Off
						clip.Before = append(clip.Before, other)
					}
					clip.Notes = append(newNotes(notes, clip.Notes), clip.Notes...)
					pending, notes = nil, nil
				}
				l.clips = append(l.clips, clip)
			}
			at = more.end
		} else {
			_, length, ranged, err := o.span(child, "source_range")
			if err != nil {
				return laid{}, err
			}
			end := new(big.Rat).Set(at)
			if ranged && kind != "Transition" {
				end.Add(at, length)
			}
			frames := o.frame(end) - o.frame(at)
			switch {
			case kind == "Transition":
				note := o.transition(child)
				o.reading.changed(
					"line %d: the %s is kept as it came, and as a note", child.line, strings.Replace(note, ":", "", 1),
				)
				notes = append(notes, note)
				keep(child, 0)
			case kind != "Gap":
				o.reading.changed(
					"line %d: a %s is not understood; it is kept as it came, and is a gap of %d frames", child.line,
					name, frames,
				)
				keep(child, frames)
			case len(o.rest(child, "source_range")) > 0 || off(child):
				o.say(child, "a gap")
				keep(child, frames)
			}
			at = end
		}
		if at.Cmp(big.NewRat(maxSeconds, 1)) > 0 || o.frame(at) > MaxFrames {
			return laid{}, child.wrong("the track is longer than %d frames", MaxFrames)
		}
	}
	l.end = at
	last := 0
	if k := len(l.clips); k > 0 {
		last = l.clips[k-1].End()
	}
	for _, other := range pending {
		other.Off -= last
		l.after = append(l.after, other)
	}
	return l, nil
}

// transition returns what is noted of a transition.
func (o *otioReader) transition(n node) string {
	note := "transition: " + n.text("transition_type")
	in, errIn := o.seconds(n.object["in_offset"])
	out, errOut := o.seconds(n.object["out_offset"])
	if errIn == nil && errOut == nil {
		note += fmt.Sprintf(", %d frames before and %d after", o.frame(in), o.frame(out))
	}
	return note
}

// newNotes returns notes without those that are known.
func newNotes(notes, known []string) []string {
	var left []string
	for _, note := range notes {
		if !slices.Contains(known, note) {
			left = append(left, note)
		}
	}
	return left
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

// reelIn returns what a media reference names: a file, the files of a sequence, or what is generated.
func reelIn(media node) string {
	switch kind, _, _ := strings.Cut(media.text("OTIO_SCHEMA"), "."); kind {
	case "MissingReference", "":
		return ""
	case "ExternalReference":
		return media.text("target_url")
	case "ImageSequenceReference":
		digits, _ := media.number("frame_zero_padding")
		number := fmt.Sprintf("%%0%dd", int(min(max(digits, 1), 32)))
		return media.text("target_url_base") + media.text("name_prefix") + number + media.text("name_suffix")
	case "GeneratorReference":
		if kind := media.text("generator_kind"); kind != "" {
			return kind
		}
	}
	return media.text("name")
}

// clip reads a clip that begins at a time; none if it has no frames.
func (o *otioReader) clip(n node, at *big.Rat) (laid, error) {
	clip := Clip{Name: n.text("name"), Record: o.frame(at)}
	media, field := mediaOf(n), "available_range"
	owner := media
	if r := n.object["source_range"]; r.object != nil {
		owner, field = n, "source_range"
	}
	_, length, ok, err := o.span(owner, field)
	if err != nil {
		return laid{}, err
	}
	if !ok {
		return laid{}, n.wrong("the clip %q says neither which frames it shows nor which there are", clip.Name)
	}
	end := new(big.Rat).Add(at, length)
	if clip.Length = o.frame(end) - clip.Record; clip.Length == 0 {
		o.reading.changed(
			"line %d: the clip %q has no frames; it is kept as it came, and not shown",
			n.line,
			clip.Name,
		)
		return laid{end: end}, nil
	}
	if clip.Source, err = o.source(owner.object[field].object["start_time"]); err != nil {
		return laid{}, err
	}
	if clip.Reel = reelIn(media); clip.Reel == "" && len(media.object) == 0 || o.schema(media) == "MissingReference" {
		o.reading.changed("line %d: the media of %q are missing; the clip is kept by its name", n.line, clip.Name)
	}
	if clip.Speed, err = o.warp(n); err != nil {
		return laid{}, err
	}
	if clip.Speed.Usual() {
		clip.Speed = Speed{}
	}
	clip.Kept = o.keptOf(n, clip.Speed)
	if field == "available_range" {
		clip.Kept = overlay(clip.Kept, unsaid("source_range"))
	}
	o.say(n, fmt.Sprintf("%q", clip.Name))
	ours := n.object["metadata"].object["reelhouse"]
	clip.Shot, clip.View = ours.text("shot"), ours.text("view")
	if reel, there := ours.object["reel"]; there {
		clip.Reel, _ = reel.value.(string)
	}
	if name, there := ours.object["name"]; there {
		clip.Name, _ = name.value.(string)
	}
	for _, note := range ours.object["notes"].list {
		if text, ok := note.value.(string); ok {
			clip.Notes = append(clip.Notes, text)
		}
	}
	for _, m := range n.object["markers"].list {
		if note := o.marker(m); !slices.Contains(clip.Notes, note) {
			clip.Notes = append(clip.Notes, note)
		}
	}
	return laid{clips: []Clip{clip}, end: end}, nil
}

// marker returns what is noted of a marker.
func (o *otioReader) marker(m node) string {
	parts := []string{}
	for _, part := range []string{m.text("color"), m.object["marked_range"].markedAt(o), m.text("comment")} {
		if part != "" {
			parts = append(parts, part)
		}
	}
	note := "marker: " + m.text("name")
	if len(parts) > 0 {
		note += " (" + strings.Join(parts, ", ") + ")"
	}
	return note
}

// markedAt returns the source timecode and the frames of a marker's range.
func (n node) markedAt(o *otioReader) string {
	if n.object == nil {
		return ""
	}
	start, err := o.source(n.object["start_time"])
	if err != nil {
		return ""
	}
	length, err := o.seconds(n.object["duration"])
	if err != nil {
		return ""
	}
	if frames := o.frame(length); frames > 1 {
		return fmt.Sprintf("frames %d to %d", start, start+frames-1)
	}
	return fmt.Sprintf("frame %d", start)
}
