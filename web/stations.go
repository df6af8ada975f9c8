package web

import (
	"reelhouse/core/production"
	"reelhouse/core/queue"
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
