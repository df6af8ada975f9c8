package frame

import "fmt"

// A Rate is a number of frames per second as a fraction: 24/1, 30000/1001. The zero value is no rate.
type Rate struct {
	Numerator   int `json:"numerator"`
	Denominator int `json:"denominator"`
}

// PerSecond returns the rate as a number, 0 for the zero value.
func (r Rate) PerSecond() float64 {
	if r.Denominator == 0 {
		return 0
	}
	return float64(r.Numerator) / float64(r.Denominator)
}

// Valid reports whether the rate is above 0 and at most 1000 frames per second.
func (r Rate) Valid() bool {
	return r.Numerator > 0 && r.Denominator > 0 && r.PerSecond() <= 1000
}

// Seconds returns the time at which frame n begins, when frame first begins at 0 s.
func (r Rate) Seconds(n, first int) float64 {
	return float64(n-first) * float64(r.Denominator) / float64(r.Numerator)
}

func (r Rate) String() string {
	if r.Denominator == 1 {
		return fmt.Sprintf("%d fps", r.Numerator)
	}
	return fmt.Sprintf("%.3f fps", r.PerSecond())
}
