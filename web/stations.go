package web

import (
	"slices"

	"reelhouse/core/frame"
	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/house"
)

// The stations that have no edits of their own.
const (
	batchSheet    production.Station = "batch"
	queueStation  production.Station = "queue"
	screeningRoom production.Station = "screening"
)

// stations is the order of work.
var stations = []station{
	{production.StandardsStation, "Standards", fillStandards, "What this production delivers: sizes, time, picture, qualities.", func(v *view) int { return len(v.Production.Sizes) }},
	{production.Scenes, "Scenes", fillScenes, "The scene that the cameras look at.", func(v *view) int {
		if v.Production.Scene.SHA256 == "" {
			return 0
		}
		return 1
	}},
	{production.Views, "Views", fillViews, "Each view is a camera under a look.", func(v *view) int { return len(v.Production.ShotViews()) }},
	{production.Shots, "Shots", fillShots, "Which frames of which view. Both ends of a range are rendered.", func(v *view) int { return len(v.Production.Shots) }},
	{production.Passes, "Passes", fillPasses, "What compositing will need, and nothing else.", func(v *view) int { return len(v.Production.PassLists) }},
	{production.Outputs, "Output", fillOutput, "Outputs, and the names of their files.", func(v *view) int { return v.Totals.Files }},
	{batchSheet, "Batch sheet", fillBatch, "Read the whole batch, then send it.", func(v *view) int { return v.Totals.Frames }},
	{queueStation, "Queue", fillQueue, "What was sent, as it goes.", func(v *view) int { return len(v.Batches) }},
	{screeningRoom, "Screening", fillScreening, "Look at what is finished.", func(v *view) int {
		good := 0
		for _, b := range v.Batches {
			good += b.Counts()[queue.Good]
		}
		return good
	}},
}

func fillShots(a *app, v *view) error {
	views, _ := a.shownViews(v)
	views = slices.DeleteFunc(views, func(w shownView) bool { return w.Working })
	last := 0
	if s, err := a.House.Scene(v.Production.Scene); err == nil {
		last = house.LastFrame(v.Production.Production, s)
	}
	type shownShot struct {
		production.Shot
		Rendered    int // frames, handles included
		First, Last frame.Timecode
		Seconds     float64
	}
	clock := v.Production.Clock()
	var shots []shownShot
	for _, s := range v.Production.Shots {
		shots = append(shots, shownShot{
			s, v.Production.Rendered(s.Frames).Count(), clock.Timecode(s.Frames.First()), clock.Timecode(s.Frames.Last()),
			clock.Seconds(s.Frames.Last()+1) - clock.Seconds(s.Frames.First()),
		})
	}
	v.Page = struct {
		Views []shownView
		Shots []shownShot
		Chart chart
	}{views, shots, newChart(v.Production.Production, last)}
	return nil
}

// cell is one shot in one size on the batch sheet.
type cell struct {
	plan.Sequence
	Middle  int
	Seconds float64
	Strip   strip
}

type batchRow struct {
	Shot   production.Shot
	View   production.View
	Look   string
	Cells  []*cell // by size; nil where the shot has none
	Totals plan.Totals
}

func fillBatch(a *app, v *view) error {
	page := struct {
		Rows   []*batchRow
		BySize []plan.Totals
		Out    []production.Shot
	}{BySize: make([]plan.Totals, len(v.Production.Sizes))}
	rows := map[string]*batchRow{}
	for _, s := range v.Draft.Batch.Sequences {
		row := rows[s.Shot]
		if row == nil {
			shot, _ := v.Production.FindShot(s.Shot)
			shown, _ := v.Production.FindView(shot.View)
			row = &batchRow{Shot: shot, View: shown, Look: s.Look.Name, Cells: make([]*cell, len(v.Production.Sizes))}
			rows[s.Shot] = row
			page.Rows = append(page.Rows, row)
		}
		row.Totals.Add(s)
		for i, size := range v.Production.Sizes {
			if size.Code == s.SizeCode {
				row.Cells[i] = &cell{s, s.Frames.At(s.Frames.Count() / 2), s.FrameSeconds * float64(s.Frames.Count()) / float64(a.Node.SlotCount()), plannedStrip(s.Frames)}
				page.BySize[i].Add(s)
			}
		}
	}
	for i := range page.BySize {
		page.BySize[i].Seconds /= float64(a.Node.SlotCount())
	}
	for _, s := range v.Production.Shots {
		if !s.InBatch {
			page.Out = append(page.Out, s)
		}
	}
	v.Page = page
	return nil
}
