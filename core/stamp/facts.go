package stamp

import (
	"fmt"
	"time"
)

// Facts are what a stamp's fields say of one file of one frame; frame number and version are given to Fill.
type Facts struct {
	Production, Title, Shot, ShotName, View, Look, Size, Output, Pass, Quality string
	Timecode, Lens, Note                                                       string
	Seconds                                                                    float64   // since the first frame
	Sent                                                                       time.Time // when the batch was sent
	// Took is how long the frame took to render; 0 leaves its field for the renderer to fill, with Timed.
	Took time.Duration
}

// Date returns the day of sending as stamps and headers write it.
func (f Facts) Date() string { return f.Sent.UTC().Format(time.DateOnly) }

// Value answers a field of naming.TextFields.
func (f Facts) Value(field string) string {
	switch field {
	case "production":
		return f.Production
	case "title":
		return f.Title
	case "shot":
		return f.Shot
	case "shotname":
		return f.ShotName
	case "view":
		return f.View
	case "look":
		return f.Look
	case "size":
		return f.Size
	case "output":
		return f.Output
	case "pass":
		return f.Pass
	case "quality":
		return f.Quality
	case "timecode":
		return f.Timecode
	case "seconds":
		return fmt.Sprintf("%.3f s", f.Seconds)
	case "date":
		return f.Date()
	case "lens":
		return f.Lens
	case "note":
		return f.Note
	}
	if f.Took > 0 {
		return Took(f.Took)
	}
	return "(" + RenderTime + ")"
}
