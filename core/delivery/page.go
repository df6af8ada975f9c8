package delivery

import (
	"fmt"
	"slices"
)

// PageName is what the page for the web is called.
const PageName = "index.html"

// A Turnaround is the views of a shot in a size, all round, of one frame each.
type Turnaround struct {
	Title string  `json:"title"`
	Views []Shown `json:"views"` // by their angles
}

// Turnarounds returns those of shots with several views. Each shows the middle frame that all of its views have.
func (d Delivery) Turnarounds() []Turnaround {
	var titles []string
	parts := map[string][]int{}
	for i, p := range d.Parts {
		if p.Pictures != nil {
			title := p.Shot + " " + p.Size
			placeIn(&titles, title)
			parts[title] = append(parts[title], i)
		}
	}
	var all []Turnaround
	for _, title := range titles {
		of := parts[title]
		if len(of) < 2 {
			continue
		}
		slices.SortStableFunc(of, func(a, b int) int { return d.Parts[a].Angle - d.Parts[b].Angle })
		if d.Parts[of[0]].Angle == d.Parts[of[len(of)-1]].Angle { // views that stand round nothing
			continue
		}
		t := Turnaround{Title: title}
		files := d.Parts[of[0]].Pictures.Files
		number := files[(len(files)-1)/2].Frame
		for _, i := range of {
			at, there := slices.BinarySearchFunc(d.Parts[i].Pictures.Files, number, func(f Picture, n int) int {
				return f.Frame - n
			})
			if there {
				t.Views = append(t.Views, Shown{i, at})
			}
		}
		if len(t.Views) > 1 {
			all = append(all, t)
		}
	}
	return all
}

// PageShots are the pictures that the page for the web shows: the middle one of each part, but for those of
// turnarounds.
func (d Delivery) PageShots() []Shown {
	turned := map[int]bool{}
	for _, t := range d.Turnarounds() {
		for _, v := range t.Views {
			turned[v.Part] = true
		}
	}
	var all []Shown
	for i, p := range d.Parts {
		if p.Pictures != nil && !turned[i] {
			all = append(all, Shown{i, (len(p.Pictures.Files) - 1) / 2})
		}
	}
	return all
}

// Bounds of a page: pictures lie within it.
const mostOnPage = 400

// planPage settles the page for the web.
func (d *Delivery) planPage() {
	shots, turns := d.PageShots(), d.Turnarounds()
	pictures := len(shots)
	for _, t := range turns {
		pictures += len(t.Views)
	}
	switch {
	case pictures > mostOnPage:
		d.find(true, "", "its page for the web would have %d pictures, and %d are possible; name fewer shots", pictures,
			mostOnPage)
	case pictures > 0:
		var movies []string
		for _, m := range d.Movies {
			movies = append(movies, m.File)
		}
		d.produce(WebPage, []string{PageName}, shots, turns, movies, fmt.Sprint(d.Products))
	}
}
