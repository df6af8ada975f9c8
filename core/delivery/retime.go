package delivery

import (
	"math"

	"reelhouse/core/frame"
)

// retimed returns which of so many frames is shown by each frame at another rate: the nearest one in time.
func retimed(count int, from, to frame.Rate) []int {
	if to == (frame.Rate{}) || to == from {
		to = from
	}
	ratio := float64(from.Numerator) * float64(to.Denominator) / (float64(from.Denominator) * float64(to.Numerator))
	frames := make([]int, max(min(count, 1), int(math.Round(float64(count)/ratio))))
	for i := range frames {
		frames[i] = min(count-1, int(math.Floor(float64(i)*ratio+0.5)))
	}
	return frames
}

// retime says that a part is retimed, and returns its frames in the order in which they are handed on.
func (d *Delivery) retime(part Part, asked frame.Set) []int {
	var numbers []int
	for n := range asked.All() {
		numbers = append(numbers, n)
	}
	if d.Recipe.Rate == (frame.Rate{}) || d.Recipe.Rate == d.Rate {
		return numbers
	}
	var all []int
	for _, i := range retimed(len(numbers), d.Rate, d.Recipe.Rate) {
		all = append(all, numbers[i])
	}
	d.find(false, part.Title(), "%d frames at %s become %d at %s, by the nearest frame", len(numbers), d.Rate, len(all),
		d.Recipe.Rate)
	return all
}

// retimedMovie returns frames of a movie at the rate of the recipe.
func (d *Delivery) retimedMovie(frames []MovieFrame) []MovieFrame {
	var all []MovieFrame
	for _, i := range retimed(len(frames), d.Rate, d.Recipe.Rate) {
		all = append(all, frames[i])
	}
	return all
}

// ShownRate returns the rate at which it is handed on.
func (d Delivery) ShownRate() frame.Rate {
	if d.Recipe.Rate != (frame.Rate{}) {
		return d.Recipe.Rate
	}
	return d.Rate
}
