package web

import (
	"reelhouse/core/production"
	"reelhouse/core/queue"
)

// The stations that have no edits of their own.
const (
	batchSheet    production.Station = "batch"
	queueStation  production.Station = "queue"
	cutStation    production.Station = "cut" // a page of the shots
	screeningRoom production.Station = "screening"
	plainPage     production.Station = "-" // what a page is under that belongs to no station
)

// stations is the order of work.
var stations = []station{
	{
		Key:   production.StandardsStation,
		Name:  "Standards",
		fill:  fillStandards,
		Hint:  "What this production delivers: sizes, time, picture, qualities.",
		Count: func(v *view) int { return len(v.Production.Sizes) },
	},
	{
		Key:  production.Scenes,
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
		Key:   production.Views,
		Name:  "Views",
		fill:  fillViews,
		Hint:  "Each view is a camera under a look.",
		Count: func(v *view) int { return len(v.Production.ShotViews()) },
	},
	{
		Key:   production.Shots,
		Name:  "Shots",
		fill:  fillShots,
		Hint:  "Which frames of which view. Both ends of a range are rendered.",
		Count: func(v *view) int { return len(v.Production.Shots) },
	},
	{Key: cutStation, Name: "The cut", fill: fillCut, Under: production.Shots},
	{Key: historyStation, Name: "History", fill: fillHistory, Under: plainPage},
	{
		Key:   production.Passes,
		Name:  "Passes",
		fill:  fillPasses,
		Hint:  "What compositing will need, and nothing else.",
		Count: func(v *view) int { return len(v.Production.PassLists) },
	},
	{
		Key:   production.Outputs,
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
