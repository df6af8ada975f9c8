package production

import (
	"slices"
	"strings"

	"reelhouse/core/contact"
	"reelhouse/core/frame"
	"reelhouse/core/mhl"
	"reelhouse/core/movie"
	"reelhouse/core/naming"
	"reelhouse/core/sprite"
)

// A Delivery is a recipe of what is handed on: of which shots, in which form, and for whom.
type Delivery struct {
	Code string `json:"code"`
	Name string `json:"name"`
	For  string `json:"for,omitempty"` // whom
	// Shots, Sizes and Outputs are what it holds, all for none.
	Shots   []string `json:"shots,omitempty"`
	Sizes   []string `json:"sizes,omitempty"`
	Outputs []string `json:"outputs,omitempty"`
	// Made are which pictures it holds: Rendered, and those of grades and mattes, such as grade-night; none for the
	// rendered ones alone.
	Made []string `json:"made,omitempty"`
	// Approved says that only approved frames are handed on; otherwise good ones are.
	Approved bool `json:"approved"`
	// OwnFrames says that handles are cut off.
	OwnFrames bool `json:"ownFrames"`
	// Pattern names the files; "" for the names that they have.
	Pattern string `json:"pattern,omitempty"`
	// First is the number that the first frame of each sequence gets; nil for the numbers that they have.
	First *int `json:"first,omitempty"`
	// Rate is that to which frames and movies are retimed, by the nearest frame; the zero value keeps them.
	Rate frame.Rate `json:"rate,omitzero"`
	// Hash is of the list that proves the delivery.
	Hash mhl.Format `json:"hash"`
	// To is the code of the destination that it goes to, "" for the data folder.
	To string `json:"to,omitempty"`
	// Form is what the files are put into.
	Form Form `json:"form,omitempty"`
	// Cameras is in which format the cameras of its views go along, and Cut that of the cut; "" for none.
	Cameras string `json:"cameras,omitempty"`
	Cut     string `json:"cut,omitempty"`
	// NoFiles says that the rendered files are not handed on, but only what is made of them.
	NoFiles bool `json:"noFiles,omitempty"`
	// Layers says that what the layers are goes along, with light groups and the corrections of grades.
	Layers bool `json:"layers,omitempty"`
	// As is the output in whose form files are handed on: its format, encoding, scale and stamp; "" for as they are.
	As string `json:"as,omitempty"`
	// Leader is how many frames that say what it is come before each sequence that is encoded anew.
	Leader int `json:"leader,omitempty"`
	// Pictures is the output of whose pictures sheets are made; "" for the first one that can be.
	Pictures string `json:"pictures,omitempty"`
	// Contact is the contact sheet that is made of its frames.
	Contact contact.Settings `json:"contact,omitzero"`
	// Sprites is the sprite sheet that is made of each shot with several views, or of each that is named.
	Sprites sprite.Settings `json:"sprites,omitzero"`
	// Page says that a page for the web is made, which shows what the delivery holds.
	Page bool `json:"page,omitempty"`
	// Movie says which movies are made.
	Movie movie.Settings `json:"movie,omitzero"`
}

// What pictures are that a recipe may hold: rendered ones, or what the code of a grade or a matte follows.
const (
	Rendered  = "rendered"
	GradeMade = "grade-"
	MatteMade = "matte-"
)

// Makings returns what may be made of rendered pictures: the grades and mattes, such as grade-night.
func (p Production) Makings() []string {
	var all []string
	for _, g := range p.Grades {
		all = append(all, GradeMade+g.Code)
	}
	for _, m := range p.Mattes {
		all = append(all, MatteMade+m.Code)
	}
	return all
}

// Holds reports whether the recipe holds pictures of a kind: "" for rendered ones, and otherwise such as grade-night.
func (d Delivery) Holds(made string) bool {
	if made == "" {
		return len(d.Made) == 0 || slices.Contains(d.Made, Rendered)
	}
	return slices.Contains(d.Made, made)
}

// A Form is what the files of a delivery are put into.
type Form string

// The forms.
const (
	InFolder Form = ""
	InZip    Form = "zip"
	InTar    Form = "tar"
)

// Forms returns all forms, in the order in which they are offered.
func Forms() []Form { return []Form{InFolder, InZip, InTar} }

// CameraFiles are the formats in which cameras may go along.
func CameraFiles() []string { return []string{"", "gltf", "usda"} }

// CutFiles are the formats in which the cut may go along.
func CutFiles() []string { return []string{"", "otio", "edl"} }

// Makings says in a few words what it hands on.
func (d Delivery) Makings() string {
	movies := map[movie.Subject]string{
		movie.Each: "movies", movie.Joined: "a movie of all", movie.OfCut: "movie of the cut",
		movie.Turn: "turnarounds",
	}
	kind := "good files"
	if d.Approved {
		kind = "approved files"
	}
	var all []string
	for _, m := range []struct {
		there bool
		text  string
	}{
		{!d.NoFiles, kind}, {d.Cameras != "", "cameras"}, {d.Cut != "", "cut"}, {d.Page, "page for the web"},
		{d.Movie.On, movies[d.Movie.Of]}, {d.Contact.On, "contact sheet"}, {d.Sprites.On, "sprite sheet"},
	} {
		if m.there {
			all = append(all, m.text)
		}
	}
	return strings.Join(all, ", ")
}

// Makes reports whether anything is made of the frames' pictures.
func (d Delivery) Makes() bool { return d.Contact.On || d.Sprites.On || d.Movie.On || d.Page }

// MostDeliveries is how many recipes a production may have.
const MostDeliveries = 100

// FindDelivery returns the recipe of a code.
func (p Production) FindDelivery(code string) (Delivery, bool) {
	return find(p.Deliveries, code, func(d Delivery) string { return d.Code })
}

// MostLeader is how many frames a leader may have.
const MostLeader = 1000

// mostRate is to how many frames a second a delivery may be retimed.
const mostRate = 480

// Bounds of the number of a first frame.
const (
	leastFirst = -999_999
	mostFirst  = 9_999_999
)

func (p *Production) deliveryProblems(ps *problems) {
	ps.codes("delivery", codesOf(p.Deliveries, func(d Delivery) string { return d.Code }))
	if len(p.Deliveries) > MostDeliveries {
		ps.add(
			"production",
			"deliveries",
			"there are %d deliveries; %d are possible",
			len(p.Deliveries),
			MostDeliveries,
		)
	}
	for _, d := range p.Deliveries {
		d.problems(ps)
	}
}

// Problems returns what is wrong with a recipe by itself.
func (d Delivery) Problems() []Problem {
	var ps problems
	if d.Code == "" {
		ps.add("delivery", "code", "give it a code")
	}
	d.problems(&ps)
	return ps
}

func (d Delivery) problems(ps *problems) {
	where := "delivery " + d.Code
	if strings.TrimSpace(d.Name) == "" {
		ps.add(where, "name", "give it a name")
	}
	if d.Pattern != "" {
		if pattern, err := naming.Parse(d.Pattern); err != nil {
			ps.add(where, "pattern", "%s", err)
		} else if d.First != nil && !pattern.Has("frame") {
			ps.add(where, "pattern", "frames that get other numbers need the field (frame)")
		}
	}
	if d.First != nil && (*d.First < leastFirst || *d.First > mostFirst) {
		ps.add(where, "first", "frame %d is outside %d to %d", *d.First, leastFirst, mostFirst)
	}
	if r := d.Rate; r != (frame.Rate{}) && !(r.Valid() && r.PerSecond() >= 1 && r.PerSecond() <= mostRate) {
		ps.add(where, "rate", "frames are retimed to 1 to %d fps", mostRate)
	}
	if d.Leader < 0 || d.Leader > MostLeader {
		ps.add(where, "leader", "a leader has 0 to %d frames", MostLeader)
	} else if d.Leader > 0 && d.As == "" {
		ps.add(where, "leader", "a leader has the form of an output; choose one as the encoding first")
	}
	if err := d.Hash.Check(); err != nil {
		ps.add(where, "hash", "%s", err)
	}
	if !slices.Contains(Forms(), d.Form) {
		ps.add(where, "form", "a delivery is a folder, zip or tar, not %q", d.Form)
	}
	if !slices.Contains(CameraFiles(), d.Cameras) {
		ps.add(where, "cameras", "cameras are written as gltf or usda, not as %q", d.Cameras)
	}
	if !slices.Contains(CutFiles(), d.Cut) {
		ps.add(where, "cut", "a cut is written as otio or edl, not as %q", d.Cut)
	}
	if err := d.Contact.Check(); err != nil {
		ps.add(where, "contact", "%s", err)
	}
	if err := d.Sprites.Check(); err != nil {
		ps.add(where, "sprites", "%s", err)
	}
	if err := d.Movie.Check(); err != nil {
		ps.add(where, "movie", "%s", err)
	}
	if d.NoFiles && !d.Makes() && d.Cameras == "" && d.Cut == "" {
		ps.add(where, "files", "without rendered files, sheets, movies, cameras and cut it hands nothing on")
	}
}
