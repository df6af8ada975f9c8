package delivery

import (
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/dustin/go-humanize"

	"reelhouse/core/cut"
	"reelhouse/core/frame"
	"reelhouse/core/movie"
	"reelhouse/core/production"
	"reelhouse/core/raster"
)

// A Movie is one that is made: which picture each of its frames shows.
type Movie struct {
	Title    string       `json:"title"`
	File     string       `json:"file"`
	Size     raster.Size  `json:"size"`    // of its frames
	Picture  raster.Size  `json:"picture"` // of what is shown, at the top left of the frames
	Aspect   float64      `json:"pixelAspect"`
	Alpha    bool         `json:"alpha"`
	Straight bool         `json:"straight"` // colours are not multiplied by alpha
	Frames   []MovieFrame `json:"frames"`
	Slate    int          `json:"slate,omitempty"` // frames at its beginning that say what it is
	Timecode string       `json:"timecode"`        // of its first frame
	Sound    cut.Sound    `json:"sound,omitzero"`
}

// A MovieFrame is a frame of a movie: a picture of a part, by its place.
type MovieFrame struct {
	Part int `json:"part"` // -1 for black
	File int `json:"file"`
	// Missing is the number of the frame in whose place it is held; nil for none.
	Missing  *int   `json:"missing,omitempty"`
	Timecode string `json:"timecode"`
}

// planMovies settles which movies are made, and what each frame of them shows.
func (d *Delivery) planMovies(p production.Production) {
	switch s := d.Recipe.Movie; s.Of {
	case movie.Each:
		for i, part := range d.Parts {
			if part.Pictures != nil {
				name := strings.Join([]string{clean(part.Shot), clean(part.View), clean(part.Size)}, "_")
				d.addMovie(p, part.Title(), name, part.Pictures, d.framesOf(i, p.Clock()), cut.Sound{})
			}
		}
	case movie.Joined:
		var sizes []string
		for _, part := range d.Parts {
			placeIn(&sizes, part.Size)
		}
		for _, size := range sizes {
			var frames []MovieFrame
			var like *Pictures
			for i, part := range d.Parts {
				if part.Size == size && part.Pictures != nil {
					frames = append(frames, d.framesOf(i, p.Clock())...)
					like = part.Pictures
				}
			}
			if like != nil {
				d.addMovie(p, "all in "+size, "all_"+clean(size), like, frames, cut.Sound{})
			}
		}
	case movie.OfCut:
		d.planCut(p)
	case movie.Turn:
		d.planTurns(p)
	}
}

// A turnaround shows each view for an eighth of a second, and turns twice.
const (
	turnViews = 8 // a second
	turns     = 2
)

// planTurns settles a movie of each turnaround.
func (d *Delivery) planTurns(p production.Production) {
	all := d.Turnarounds()
	if len(all) == 0 {
		d.find(true, "", "a turnaround shows a shot with several views, and there is none")
	}
	hold := max(1, int(math.Round(d.Rate.PerSecond()/turnViews)))
	for _, t := range all {
		var frames []MovieFrame
		for n := range turns * len(t.Views) * hold {
			v := t.Views[n/hold%len(t.Views)]
			at := p.Clock().Timecode(p.FirstFrame + n).String()
			frames = append(frames, MovieFrame{Part: v.Part, File: v.File, Timecode: at})
		}
		name := "turnaround_" + clean(strings.ReplaceAll(t.Title, " ", "_"))
		d.addMovie(p, t.Title, name, d.Parts[t.Views[0].Part].Pictures, frames, cut.Sound{})
	}
}

// addMovie adds a movie of frames, as large as some pictures are.
func (d *Delivery) addMovie(
	p production.Production, title, name string, like *Pictures, frames []MovieFrame, sound cut.Sound,
) {
	s := d.Recipe.Movie
	kind := s.Codec.Kind()
	frames = d.retimedMovie(frames)
	m := Movie{
		Title: title, File: "movies/" + name + "." + kind.Ending, Picture: like.Size, Aspect: like.PixelAspect,
		Alpha: s.Alpha, Straight: s.Alpha && !s.Premultiplied, Frames: frames, Sound: sound,
	}
	if s.Height > 0 && s.Height != like.Size.Height {
		m.Picture.Width = max(1, int(math.Round(float64(like.Size.Width*s.Height)/float64(like.Size.Height))))
		m.Picture.Height = s.Height
	}
	if m.Alpha {
		how := "straight"
		if !m.Straight {
			how = "premultiplied"
		}
		d.find(false, "", "the movie of %s has %s alpha, which no file says of itself; tell whoever gets it", title,
			how)
	}
	if m.Size = m.Picture; kind.Even {
		m.Size = movie.Even(m.Size)
	}
	if m.Size != m.Picture {
		d.find(false, "", "the movie of %s has %s, padded from %s: %s takes even sizes only", title, m.Size, m.Picture,
			kind.Name)
	}
	if m.Size.Width < kind.Least || m.Size.Height < kind.Least/2 || m.Size.Width > kind.Most ||
		m.Size.Height > kind.Most {
		d.find(true, "", "the movie of %s would have %s; %s takes %d to %d pixels", title, m.Size, kind.Name,
			max(1, kind.Least), kind.Most)
		return
	}
	if len(frames) < 2 || len(frames) > movie.MostFrames {
		d.find(true, "", "the movie of %s would have %d frames; 2 to %d are possible", title, len(frames),
			movie.MostFrames)
		return
	}
	m.Timecode = frames[0].Timecode
	if s.Slate {
		m.Slate = max(1, int(math.Round(d.ShownRate().PerSecond())))
		clock := p.Clock()
		if at, err := clock.ParseTimecode(m.Timecode); err == nil {
			day := max(1, clock.Day())
			m.Timecode = clock.Count.Timecode(((clock.Number(at)-m.Slate)%day + day) % day).String()
		}
	}
	d.Movies = append(d.Movies, m)
	d.produce(MovieFile, []string{m.File}, s, m)
}

// framesOf returns what a movie of a part shows: each of its frames, those of a step as long as the step says, and with
// Hold the frame before in the place of those that are left out.
func (d *Delivery) framesOf(part int, clock frame.Clock) (all []MovieFrame) {
	files := d.Parts[part].Pictures.Files
	step := stepOf(files)
	if step > 1 {
		d.find(
			false,
			d.Parts[part].Title(),
			"every %s frame was rendered; the movie shows each %d times",
			humanize.Ordinal(step),
			step,
		)
	}
	held := 0
	for i, f := range files {
		until := f.Frame + step
		if i+1 < len(files) {
			if until = min(until, files[i+1].Frame); d.Recipe.Movie.Hold {
				until = files[i+1].Frame
			}
		}
		for n := f.Frame; n < until; n++ {
			shown := MovieFrame{Part: part, File: i, Timecode: clock.Timecode(n).String()}
			if n >= f.Frame+step {
				shown.Missing = new(n)
				held++
			}
			all = append(all, shown)
		}
	}
	if held > 0 {
		d.find(false, d.Parts[part].Title(), "%s in the movie", counted(held, "held frame", "held frames"))
	}
	return all
}

// stepOf returns the step of frames: the least distance between two of them.
func stepOf(files []Picture) int {
	step := 0
	for i := 1; i < len(files); i++ {
		if by := files[i].Frame - files[i-1].Frame; step == 0 || by < step {
			step = by
		}
	}
	return max(1, step)
}

// planCut settles the movie of the cut. Every shot is shown in the size of the movie if it was rendered in that, and
// otherwise in what there is of it, which is fitted into the movie.
func (d *Delivery) planCut(p production.Production) {
	if p.Cut.Length() == 0 {
		d.find(true, "", "there is no cut that a movie could be made of; put shots in order at the Shots station")
		return
	}
	size := d.Recipe.Movie.Size
	if size == "" {
		size = d.commonSize(p.Cut)
	}
	var like *Pictures
	for _, part := range d.Parts {
		if part.Pictures != nil && (like == nil || part.Size == size) {
			like = part.Pictures
			if part.Size == size {
				break
			}
		}
	}
	if like == nil {
		return // which is said of its parts
	}
	clock := p.Clock()
	var frames []MovieFrame
	missing := map[string][]int{}
	var order []string
	black, held := 0, 0
	fitted := map[string]bool{}
	for _, span := range p.Cut.Seen() {
		for n := span.From; n < span.To; n++ {
			shown := MovieFrame{Part: -1, Timecode: clock.Count.Timecode(p.Cut.Start + n).String()}
			if span.Gap() || span.Clip.Shot == "" {
				black++
				frames = append(frames, shown)
				continue
			}
			wanted := span.Clip.SourceAt(n)
			part, file, exact := d.pictureFor(span.Clip, wanted, size)
			shown.Part, shown.File = part, file
			if part >= 0 && d.Parts[part].Size != size {
				fitted[d.Parts[part].Title()] = true
			}
			if !exact {
				held++
				if part < 0 || !d.Recipe.Movie.Hold {
					name := span.Clip.Title()
					placeIn(&order, name)
					missing[name] = append(missing[name], wanted)
				}
				shown.Missing = new(wanted)
			}
			frames = append(frames, shown)
		}
	}
	for _, name := range order {
		numbers := missing[name]
		slices.Sort(numbers)
		d.find(true, "", "the cut shows frames of %s that are not %s: %s", name, kindOf(d.Recipe),
			frame.SetOf(slices.Compact(numbers)))
	}
	if len(order) > 0 {
		return
	}
	if held > 0 {
		d.find(false, "", "the cut has %s", counted(held, "held frame", "held frames"))
	}
	if black > 0 {
		d.find(false, "", "the cut shows nothing for %s, which are black", counted(black, "frame", "frames"))
	}
	for _, title := range slices.Sorted(maps.Keys(fitted)) {
		d.find(false, title, "it is fitted into the movie of the cut, which has the size %s", size)
	}
	var sound cut.Sound
	if d.Recipe.Movie.Sound && d.Recipe.Movie.Codec.Kind().Sound && p.Cut.Sound.Name != "" {
		if sound = p.Cut.Sound; sound.SHA256 == "" {
			d.find(false, "", "the sound of the cut, %s, was not imported; the movie is silent", sound.Name)
		}
	}
	d.addMovie(p, "the cut", "cut", like, frames, sound)
}

// commonSize returns the code of the size in which most frames of a cut are there.
func (d *Delivery) commonSize(c cut.Cut) string {
	counts := map[string]int{}
	best := ""
	for _, span := range c.Seen() {
		seen := map[string]bool{}
		for _, p := range d.Parts {
			if !span.Gap() && p.Shot == span.Clip.Shot && p.Pictures != nil && !seen[p.Size] {
				seen[p.Size] = true
				counts[p.Size] += span.To - span.From
				if best == "" || counts[p.Size] > counts[best] {
					best = p.Size
				}
			}
		}
	}
	return best
}

// pictureFor returns the picture that shows a frame of a clip, in a size if there is one. exact is false if it is
// another frame: the last one before it, or the first one. Frames of a step stand for those up to the next one.
func (d *Delivery) pictureFor(clip cut.Clip, number int, size string) (part, file int, exact bool) {
	part, file = -1, 0
	for i, p := range d.Parts {
		if p.Shot != clip.Shot || clip.View != "" && p.View != clip.View || p.Pictures == nil {
			continue
		}
		files := p.Pictures.Files
		at, found := slices.BinarySearchFunc(files, number, func(f Picture, n int) int { return f.Frame - n })
		if !found {
			at = max(0, at-1)
			found = files[at].Frame <= number && number < files[at].Frame+stepOf(files)
		}
		better := part < 0 || found && !exact || found == exact && p.Size == size && d.Parts[part].Size != size
		if better {
			part, file, exact = i, at, found
		}
	}
	return part, file, exact
}
