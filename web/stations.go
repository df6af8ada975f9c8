package web

import (
	"strings"

	"reelhouse/core/production"
	"reelhouse/core/queue"
)

// A stationKey names a page in addresses.
type stationKey string

// The stations and pages, in the order of work.
const (
	standardsStation stationKey = "standards"
	scenesStation    stationKey = "scenes"
	viewsStation     stationKey = "views"
	shotsStation     stationKey = "shots"
	cutStation       stationKey = "cut" // a page of the shots
	passesStation    stationKey = "passes"
	outputStation    stationKey = "output"
	batchSheet       stationKey = "batch"
	queueStation     stationKey = "queue"
	screeningRoom    stationKey = "screening"
	historyStation   stationKey = "history"
	plainPage        stationKey = "-" // what a page is under that belongs to no station
)

// stationOf returns the station at which a problem is put right, by the kind of part that has it.
func stationOf(p production.Problem) stationKey {
	for _, s := range []struct {
		key   stationKey
		kinds []string
	}{
		{shotsStation, []string{"shot", "cut"}},
		{viewsStation, []string{"rig", "environment", "look", "view"}},
		{scenesStation, []string{"scene"}},
		{passesStation, []string{"pass list", "light group", "depth"}},
		{outputStation, []string{"output", "names"}},
	} {
		for _, kind := range s.kinds {
			if strings.HasPrefix(p.Where, kind) {
				return s.key
			}
		}
	}
	return standardsStation
}

// stations is the order of work.
var stations = []station{
	{
		Key:   standardsStation,
		Name:  "Standards",
		fill:  fillStandards,
		Hint:  "What this production delivers: sizes, time, picture, qualities.",
		Count: func(v *view) int { return len(v.Production.Sizes) },
	},
	{
		Key:  scenesStation,
		Name: "Scenes",
		fill: fillScenes,
		Hint: "The scene that the cameras look at.",
		Count: func(v *view) int {
			if v.Production.Scene.SHA256 == "" {
				return 0
			}
			return 1
		},
	},
	{
		Key:   viewsStation,
		Name:  "Views",
		fill:  fillViews,
		Hint:  "Each view is a camera under a look.",
		Count: func(v *view) int { return len(v.Production.ShotViews()) },
	},
	{
		Key:   shotsStation,
		Name:  "Shots",
		fill:  fillShots,
		Hint:  "Which frames of which view. Both ends of a range are rendered.",
		Count: func(v *view) int { return len(v.Production.Shots) },
	},
	{Key: cutStation, Name: "The cut", fill: fillCut, Under: shotsStation},
	{Key: historyStation, Name: "History", fill: fillHistory, Under: plainPage},
	{
		Key:   passesStation,
		Name:  "Passes",
		fill:  fillPasses,
		Hint:  "What compositing will need, and nothing else.",
		Count: func(v *view) int { return len(v.Production.PassLists) },
	},
	{
		Key:   outputStation,
		Name:  "Output",
		fill:  fillOutput,
		Hint:  "Outputs, and the names of their files.",
		Count: func(v *view) int { return v.Totals.Files },
	},
	{
		Key:   batchSheet,
		Name:  "Batch sheet",
		fill:  fillBatch,
		Hint:  "Read the whole batch, then send it.",
		Count: func(v *view) int { return v.Totals.Frames },
	},
	{
		Key:   queueStation,
		Name:  "Queue",
		fill:  fillQueue,
		Hint:  "What was sent, as it goes.",
		Count: func(v *view) int { return len(v.Batches) },
	},
	{
		Key:  screeningRoom,
		Name: "Screening",
		fill: fillScreening,
		Hint: "Look at what is finished.",
		Count: func(v *view) int {
			good := 0
			for _, b := range v.Batches {
				good += b.Counts()[queue.Good]
			}
			return good
		},
	},
}
