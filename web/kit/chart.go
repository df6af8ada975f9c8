package kit

// A ChartPart is one stretch of a chart over frames, in units of its drawing.
type ChartPart struct{ X, Width float64 }
