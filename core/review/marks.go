package review

import (
	"encoding/json"
	"fmt"
	"strings"
)

// Marks are the strokes that somebody has drawn on a frame. Each is a row of points in pixels of the file, from the top
// left.
type Marks [][]Point

// A Point is x and y.
type Point [2]int

// ParseMarks reads marks as JSON, such as [[[10,20],[30,40]]]; the empty text is none.
func ParseMarks(text string) (Marks, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	var m Marks
	if err := json.Unmarshal([]byte(text), &m); err != nil {
		return nil, fmt.Errorf("marks: rows of points are wanted, such as [[[10,20],[30,40]]]")
	}
	if len(m) == 0 {
		return nil, nil
	}
	return m, m.bounded()
}

func (m Marks) bounded() error {
	points := 0
	for _, stroke := range m {
		points += len(stroke)
		if len(stroke) == 0 {
			return fmt.Errorf("marks: a stroke without a point")
		}
	}
	if len(m) > MostStrokes || points > MostPoints {
		return fmt.Errorf("marks: %d strokes with %d points are possible", MostStrokes, MostPoints)
	}
	return nil
}

// Check says what is wrong with marks on a picture of a size, or nil.
func (m Marks) Check(width, height int) error {
	for _, stroke := range m {
		for _, p := range stroke {
			if p[0] < 0 || p[1] < 0 || p[0] >= width || p[1] >= height {
				return fmt.Errorf("marks: point %d, %d lies outside the picture of %d × %d", p[0], p[1], width, height)
			}
		}
	}
	return m.bounded()
}

// Text returns marks as ParseMarks reads them, "" for none.
func (m Marks) Text() string {
	if len(m) == 0 {
		return ""
	}
	text, _ := json.Marshal(m) // whole numbers
	return string(text)
}

// Lines returns each stroke as the points of an SVG polyline. One of a single point is given another beside it, so that
// it is seen.
func (m Marks) Lines() []string {
	var all []string
	for _, stroke := range m {
		var points []string
		for _, p := range stroke {
			points = append(points, fmt.Sprintf("%d,%d", p[0], p[1]))
		}
		if len(stroke) == 1 {
			points = append(points, fmt.Sprintf("%d,%d", stroke[0][0]+1, stroke[0][1]))
		}
		all = append(all, strings.Join(points, " "))
	}
	return all
}
