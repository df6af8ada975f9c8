package frame

// A Retime shows frames taken at one rate at another, without changing how long they last.
type Retime struct {
	From, To Rate
	Count    int // source frames
}

// Frames returns how many frames the result has: 120 at 24 fps last 5 s, which is 150 at 30 fps. A part of
// a frame counts from a half.
func (r Retime) Frames() int {
	if !r.From.Valid() || !r.To.Valid() || r.Count <= 0 {
		return 0
	}
	over, under := r.fraction()
	return max(1, (2*r.Count*under+over)/(2*over)) // source frames over source frames per result frame
}

// fraction returns source frames per result frame, as a fraction.
func (r Retime) fraction() (over, under int) {
	return r.From.Numerator * r.To.Denominator, r.From.Denominator * r.To.Numerator
}

// Nearest returns the source frame, counted from 0, that result frame i shows: the one that begins nearest
// in time; of two as near, the later one.
func (r Retime) Nearest(i int) int {
	over, under := r.fraction()
	return min((2*i*over+under)/(2*under), r.Count-1)
}

// Blend returns the two source frames that result frame i lies between, and the share of the second, 0 up
// to but without 1. At the end both are the last one.
func (r Retime) Blend(i int) (first, second int, share float64) {
	over, under := r.fraction()
	first = min(i*over/under, r.Count-1)
	if rest := i * over % under; rest > 0 && first+1 < r.Count {
		return first, first + 1, float64(rest) / float64(under)
	}
	return first, first, 0
}
