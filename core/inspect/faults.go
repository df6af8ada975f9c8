package inspect

import (
	"fmt"
	"image"
)

// A Fault is a kind of what can be wrong with a frame of a sequence.
type Fault string

// The faults that are found without anyone looking.
const (
	Missing    Fault = "missing"
	Extra      Fault = "extra"
	Unreadable Fault = "unreadable"
	WrongSize  Fault = "size"
	Channels   Fault = "channels"
	NotFinite  Fault = "not-finite"
	Alpha      Fault = "alpha"
	Negative   Fault = "negative"
	Black      Fault = "black"
	Empty      Fault = "empty"
	Repeated   Fault = "repeated"
	Jump       Fault = "jump"
	Band       Fault = "band"
	Firefly    Fault = "firefly"
	Noise      Fault = "noise"
	Loop       Fault = "loop"
)

// A Description says what a fault is, and from when on it is told.
type Description struct {
	Fault     Fault
	Name      string
	Means     string
	Threshold string
}

// Faults returns all of them, in the order in which those of a frame are told.
func Faults() []Description {
	return []Description{
		{Missing, "missing frame", "A number of the sequence has no file.",
			"of the frames that are expected; without these, of every nth frame between the first and the last"},
		{Extra, "extra frame", "A file has a number that is not one of the sequence.", "likewise"},
		{Unreadable, "unreadable", "The file cannot be read as a picture.", "any error, or a sum that differs"},
		{
			WrongSize,
			"wrong size",
			"The picture has another size than the others.",
			"than most have, or than expected",
		},
		{Channels, "other channels", "The picture has other channels than the others.",
			"than most have, or than expected"},
		{NotFinite, "not finite", "Values are no numbers, or infinite.", "one value"},
		{Alpha, "alpha out of range", "Alpha is below 0 or above 1.", fmt.Sprintf("by more than %g", alphaSlack)},
		{Negative, "negative light", "Red, green or blue is below 0.", fmt.Sprintf("below −%g", negativeSlack)},
		{Black, "black", "There is no light anywhere, and no fade leads there.",
			fmt.Sprintf("no light above %g, beside a frame that has more than %g of the mean light of the sequence",
				blackLight, fadeShare)},
		{Empty, "empty", "Every pixel is the same, or alpha is 0 everywhere.", "exactly"},
		{Repeated, "repeated frame", "The frame is the one before again, while things move.",
			fmt.Sprintf("a step below %g of the usual ones nearby, of which fewer than a third are as small",
				repeatShare)},
		{Jump, "jump", "The frame differs from both neighbours, which are alike.",
			fmt.Sprintf(
				"%g times as much as is usual in the shot, and steps %g times as large as half the step past "+
					"it and a usual one together; or in %g %% of %d × %[4]d cells each, and %[5]g times as many as in "+
					"any frame nearby, by %[6]g times what is usual there",
				jumpTimes, leastApart, 100*placesShare, placeEdge, placesTimes, placeApart,
			)},
		{Band, "band not rendered", "A strip or a block has one value only, and not so in the frames beside it.",
			fmt.Sprintf(
				"%g of the picture, in blocks of %d pixels or %d whole lines",
				bandShare,
				blockEdge,
				bandLines,
			)},
		{Firefly, "firefly", "A bright speck that is in no frame beside it.",
			fmt.Sprintf("%g times as bright as what surrounds it, as any speck near it in the frames beside, and as "+
				"what specks of the shot usually are", spikeTimes)},
		{Noise, "noise changes", "Noise that is more, or less, for some frames within a shot.",
			fmt.Sprintf("%g times the usual of the shot, with a sudden beginning and end", noiseTimes)},
		{Loop, "loop does not close", "The step from the last frame to the first is unlike the others.",
			fmt.Sprintf("more than %g times the largest of the others, or none at all; if a loop is wanted",
				loopTimes)},
	}
}

// Described returns what a fault is.
func (f Fault) Described() Description {
	for _, d := range Faults() {
		if d.Fault == f {
			return d
		}
	}
	return Description{Fault: f, Name: string(f)}
}

// A Finding is something that is wrong with a frame of a sequence.
type Finding struct {
	Fault  Fault   `json:"fault"`
	Frame  int     `json:"frame"`
	Place  *Window `json:"place,omitempty"` // in pixels from the top left of the data window; nil for all of the frame
	Number float64 `json:"number"`          // how much, in the unit that the text says
	Text   string  `json:"text"`
}

func place(r image.Rectangle) *Window {
	if r.Empty() {
		return nil
	}
	w := window(r)
	return &w
}
