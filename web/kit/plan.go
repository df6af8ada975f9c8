package kit

import "reelhouse/core/floorplan"

var sideNames = map[floorplan.Side]string{
	floorplan.Above: "from above", floorplan.South: "from the south", floorplan.East: "from the east",
}

// SideName returns what a side of a plan is called.
func SideName(s floorplan.Side) string { return sideNames[s] }

// A Link leads to another form of the page.
type Link struct {
	Address, Text string
	Here          bool // it is the form that is shown
}

// A PlanGround is what a plan shows beneath its cameras.
type PlanGround struct {
	floorplan.Plan
	Text float64 // height of letters, in metres
}
