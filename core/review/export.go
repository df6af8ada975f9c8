package review

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/plaintext"
)

// Seen is a sequence that was looked at, with what was decided of it.
type Seen struct {
	Production, Shot, View, Size string
	Version                      int
	Batch, Sequence              int64
	Frames                       frame.Set
	// First is the path of the first frame's file of the first output.
	First    string
	Clock    frame.Clock
	Verdicts []Verdict // in the order in which they were given
}

// InOrder sorts sequences by shots, views and sizes, older versions first.
func InOrder(all []Seen) {
	slices.SortFunc(all, func(a, b Seen) int {
		return cmp.Or(
			strings.Compare(a.Shot, b.Shot), strings.Compare(a.View, b.View), strings.Compare(a.Size, b.Size),
			cmp.Compare(a.Version, b.Version), cmp.Compare(a.Sequence, b.Sequence),
		)
	})
}

// Title names the sequence.
func (s Seen) Title() string { return fmt.Sprintf("%s %s %s v%03d", s.Shot, s.View, s.Size, s.Version) }

// WriteCSV writes every verdict as a line of a table, those that were taken back, too.
func WriteCSV(w io.Writer, all []Seen) error {
	c := csv.NewWriter(w)
	c.Write([]string{
		"production", "shot", "view", "size", "version", "batch", "frames", "count", "timecode", "verdict", "note",
		"marked frame", "by", "given", "taken back by", "taken back", "made again in batch",
	})
	number := func(n int64) string {
		if n == 0 {
			return ""
		}
		return strconv.FormatInt(n, 10)
	}
	at := func(t time.Time) string {
		if t.IsZero() {
			return ""
		}
		return t.UTC().Format(time.RFC3339)
	}
	for _, s := range all {
		for _, v := range s.Verdicts {
			c.Write(plaintext.Guarded([]string{
				s.Production, s.Shot, s.View, s.Size, strconv.Itoa(s.Version), number(s.Batch), v.Frames.String(),
				strconv.Itoa(v.Frames.Count()), s.Clock.Timecode(v.Frames.First()).String(), string(v.Kind), v.Note,
				number(int64(v.Marked)), v.By, at(v.Given), v.TakenBy, at(v.Taken), number(v.Answered),
			}))
		}
	}
	c.Flush()
	return c.Error()
}

// object is an object of OpenTimelineIO.
type object map[string]any

// colours are those of OpenTimelineIO's markers.
var colours = map[Kind]string{Approved: "GREEN", Retake: "RED", Question: "YELLOW"}

// WriteOTIO writes sequences as clips of an OpenTimelineIO timeline, one after the other, with a marker for every run
// of frames of which a verdict counts. Times of a clip are frame numbers of its files. The schemas (Timeline.1,
// Track.1, Clip.1, Marker.2, ImageSequenceReference.1) are written from memory of the format's documentation.
func WriteOTIO(w io.Writer, title string, all []Seen) error {
	clips, start := []any{}, object{}
	for _, s := range all {
		if s.Frames.Empty() {
			continue
		}
		t := timing{s.Clock.Rate.PerSecond()}
		if len(start) == 0 {
			start = t.at(0)
		}
		whole := t.span(s.Frames.First(), s.Frames.Last()-s.Frames.First()+1)
		markers := []any{}
		for _, v := range Standing(s.Verdicts) {
			for _, run := range v.Frames.Runs() {
				markers = append(markers, t.marker(v, run))
			}
		}
		clips = append(clips, object{
			"OTIO_SCHEMA": "Clip.1", "name": s.Title(), "source_range": whole, "effects": []any{},
			"markers": markers, "enabled": true, "media_reference": t.reference(s, whole),
			"metadata": object{"reelhouse": object{
				"shot": s.Shot, "view": s.View, "size": s.Size, "version": s.Version, "batch": s.Batch,
			}},
		})
	}
	if len(start) == 0 {
		start = timing{24}.at(0)
	}
	item := func(schema, name string, children []any) object {
		return object{
			"OTIO_SCHEMA": schema, "name": name, "source_range": nil, "effects": []any{}, "markers": []any{},
			"enabled": true, "metadata": object{}, "children": children,
		}
	}
	track := item("Track.1", "verdicts", clips)
	track["kind"] = "Video"
	timeline := object{
		"OTIO_SCHEMA": "Timeline.1", "name": title, "global_start_time": start, "metadata": object{},
		"tracks": item("Stack.1", "tracks", []any{track}),
	}
	encoder := json.NewEncoder(w)
	encoder.SetEscapeHTML(false)
	encoder.SetIndent("", "  ")
	return encoder.Encode(timeline)
}

// timing writes times at a rate, in frames a second.
type timing struct{ rate float64 }

func (t timing) at(n int) object {
	return object{"OTIO_SCHEMA": "RationalTime.1", "value": n, "rate": t.rate}
}

func (t timing) span(first, count int) object {
	return object{"OTIO_SCHEMA": "TimeRange.1", "start_time": t.at(first), "duration": t.at(count)}
}

func (t timing) marker(v Verdict, run frame.Run) object {
	name := string(v.Kind)
	if v.Note != "" {
		name += ": " + v.Note
	}
	return object{
		"OTIO_SCHEMA": "Marker.2", "name": name, "comment": v.Note, "color": colours[v.Kind],
		"marked_range": t.span(run.First, run.Last-run.First+1),
		"metadata": object{"reelhouse": object{
			"verdict": v.Kind, "by": v.By, "given": v.Given.UTC().Format(time.RFC3339), "frames": v.Frames.String(),
			"step": run.Step,
		}},
	}
}

// reference says where the files of a sequence lie.
func (t timing) reference(s Seen, whole object) object {
	folder, name := path.Split(s.First)
	step := 1
	if runs := s.Frames.Runs(); len(runs) == 1 {
		step = runs[0].Step
	}
	number := fmt.Sprintf("%04d", s.Frames.First())
	at := strings.LastIndex(name, number)
	if at < 0 {
		return object{"OTIO_SCHEMA": "MissingReference.1", "name": s.First, "available_range": whole,
			"metadata": object{}}
	}
	return object{
		"OTIO_SCHEMA": "ImageSequenceReference.1", "name": "", "available_range": whole, "metadata": object{},
		"target_url_base": folder, "name_prefix": name[:at], "name_suffix": name[at+len(number):],
		"start_frame": s.Frames.First(), "frame_step": step, "rate": t.rate, "frame_zero_padding": 4,
		"missing_frame_policy": "error",
	}
}
