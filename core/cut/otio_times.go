package cut

import (
	"math"
	"math/big"

	"reelhouse/core/frame"
)

// otioTimes brings times of a file to frames of a clock's rate. They are added up as exact seconds, and each position
// is rounded by itself, so that nothing drifts.
type otioTimes struct {
	clock   frame.Clock
	reading *Reading
	told    map[float64]frame.Rate // rates of the file
}

// maxSeconds is the longest time that is read.
const maxSeconds = 1 << 31

// rateOf returns a file's rate as a fraction: 23.976 and 23.98 are 24000/1001.
func rateOf(perSecond float64) frame.Rate {
	if whole := math.Round(perSecond); math.Abs(perSecond-whole) < 1e-4 && whole >= 1 {
		return frame.Rate{Numerator: int(whole), Denominator: 1}
	}
	if n := math.Round(perSecond * 1.001); n >= 1 && math.Abs(perSecond-n/1.001) < 0.0051 {
		return frame.Rate{Numerator: 1000 * int(n), Denominator: 1001}
	}
	for under := 2; under <= 1001; under++ {
		if over := math.Round(perSecond * float64(under)); math.Abs(over/float64(under)-perSecond) < 1e-7*perSecond {
			return frame.Rate{Numerator: int(over), Denominator: under}
		}
	}
	return frame.Rate{Numerator: int(math.Round(perSecond * 1e6)), Denominator: 1_000_000}
}

// rate returns the rate by which a file's times are counted, and says when it is not the clock's. Rates of which one is
// 1000/1001 of the other keep their frames one for one.
func (o *otioTimes) rate(n node) (frame.Rate, error) {
	perSecond, err := n.number("rate")
	if err != nil {
		return frame.Rate{}, err
	}
	if !(perSecond > 0 && perSecond <= 1e9) {
		return frame.Rate{}, n.wrong("a rate of %g frames a second", perSecond)
	}
	if r, told := o.told[perSecond]; told {
		return r, nil
	}
	r, ours := rateOf(perSecond), o.clock.Rate
	over, under := r.Numerator*ours.Denominator, r.Denominator*ours.Numerator // of r to ours
	switch {
	case over == under:
	case over*1001 == under*1000 || over*1000 == under*1001:
		longer := map[bool]string{true: "shorter", false: "longer"}[over < under]
		o.reading.changed(
			"times at %g frames a second are taken frame for frame at %s, where they last 0.1 %% %s",
			perSecond,
			ours,
			longer,
		)
		r = ours
	default:
		o.reading.changed("times at %g frames a second are brought to %s", perSecond, ours)
	}
	if o.told == nil {
		o.told = map[float64]frame.Rate{}
	}
	o.told[perSecond] = r
	return r, nil
}

// seconds returns a RationalTime in seconds.
func (o *otioTimes) seconds(n node) (*big.Rat, error) {
	value, err := n.number("value")
	if err != nil {
		return nil, err
	}
	r, err := o.rate(n)
	if err != nil {
		return nil, err
	}
	if !(math.Abs(value)/r.PerSecond() <= maxSeconds) {
		return nil, n.wrong("a time of %g frames", value)
	}
	if math.Abs(value-math.Round(value)) > 1e-3 {
		o.reading.changed("times between frames are brought to the nearest frame")
	}
	t := new(big.Rat)
	if t.SetFloat64(value) == nil {
		return nil, n.wrong("a time of %g frames", value)
	}
	return t.Mul(t, big.NewRat(int64(r.Denominator), int64(r.Numerator))), nil
}

// frame returns the frame of the clock's rate that is nearest to a time.
func (o *otioTimes) frame(seconds *big.Rat) int {
	r := o.clock.Rate
	f := new(big.Rat).Mul(seconds, big.NewRat(int64(r.Numerator), int64(r.Denominator)))
	f.Add(f, big.NewRat(1, 2))
	return int(new(big.Int).Div(f.Num(), f.Denom()).Int64())
}

// span returns a TimeRange in seconds; false if there is none.
func (o *otioTimes) span(n node, field string) (start, length *big.Rat, ok bool, err error) {
	r, there := n.object[field]
	if !there || r.object == nil {
		return nil, nil, false, nil
	}
	if start, err = o.seconds(r.object["start_time"]); err != nil {
		return nil, nil, false, err
	}
	if length, err = o.seconds(r.object["duration"]); err != nil {
		return nil, nil, false, err
	}
	if length.Sign() < 0 {
		return nil, nil, false, r.wrong("%s lasts %d frames", field, o.frame(length))
	}
	return start, length, true, nil
}

// source returns the scene's frame at which a TimeRange begins. Its times are timecode: they are counted from that of
// the clock's first frame.
func (o *otioTimes) source(start node) (int, error) {
	seconds, err := o.seconds(start)
	if err != nil {
		return 0, err
	}
	r, err := o.rate(start)
	if err != nil {
		return 0, err
	}
	clock := o.clock
	if clock.Rate.Numerator*r.Denominator == r.Numerator*clock.Rate.Denominator {
		return sourceFrame(clock, o.frame(seconds)), nil
	}
	theirs := frame.Count{Rate: r}
	t := clock.Start
	t.Frames = t.Frames * theirs.Nominal() / max(1, clock.Nominal())
	return clock.First + o.frame(new(big.Rat).Sub(seconds, big.NewRat(int64(theirs.Number(t)*r.Denominator),
		int64(r.Numerator)))), nil
}

// start returns a record timecode in frames after midnight. Of another rate whole seconds stay what they are.
func (o *otioTimes) start(n node) (int, error) {
	seconds, err := o.seconds(n)
	if err != nil {
		return 0, err
	}
	r, err := o.rate(n)
	if err != nil {
		return 0, err
	}
	value, _ := n.number("value")
	theirs := frame.Count{Rate: r}
	if nominal := float64(theirs.Nominal()); r != o.clock.Rate && math.Mod(value, nominal) == 0 {
		return int(value / nominal * float64(o.clock.Nominal())), nil
	}
	return o.frame(seconds), nil
}
