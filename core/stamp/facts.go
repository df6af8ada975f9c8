package stamp

import (
	"fmt"
	"strconv"
	"time"

	"reelhouse/core/naming"
)

// Facts are what a stamp's fields say of one file of one frame; frame number and version are given to Fill.
type Facts struct {
	naming.Fields                         // as people read them: look and quality by name
	Title, ShotName, Timecode, Lens, Note string
	Label                                 string    // the frame's name, "" for none
	Seconds                               float64   // since the first frame
	Sent                                  time.Time // when the batch was sent
	// Took is how long the frame took to render; 0 leaves its field for the renderer to fill, with Timed.
	Took time.Duration
}

// Date returns the day of sending as stamps and headers write it.
func (f Facts) Date() string { return f.Sent.UTC().Format(time.DateOnly) }

// Value answers a field of naming.TextFields.
func (f Facts) Value(field string) string {
	switch field {
	case "title":
		return f.Title
	case "shotname":
		return f.ShotName
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
	case "label":
		return f.Label
	case "angle":
		return strconv.Itoa(f.Angle)
	case RenderTime:
		if f.Took == 0 {
			return "(" + RenderTime + ")"
		}
		return Took(f.Took)
	}
	return f.Fields.Value(field)
}
