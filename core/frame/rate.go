package frame

import (
	"fmt"
	"math/big"
	"strconv"
	"strings"
)

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

// String writes a rate as ParseRate reads it: as a number where that is common, and otherwise as its fraction.
func (r Rate) String() string {
	switch r.Denominator {
	case 1:
		return fmt.Sprintf("%d fps", r.Numerator)
	case 1001:
	default:
		return fmt.Sprintf("%d/%d fps", r.Numerator, r.Denominator)
	}
	return fmt.Sprintf("%.3f fps", r.PerSecond())
}

// ParseRate reads "25", "23.976" (the fraction over 1001 that it stands for), "24000/1001" or "12.5", with
// or without "fps".
func ParseRate(text string) (Rate, error) {
	trimmed := strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(text), "fps"))
	fail := fmt.Errorf("%q is not a frame rate; write 25, 23.976 or 30000/1001", text)
	if over, under, ok := strings.Cut(trimmed, "/"); ok {
		a, errA := strconv.Atoi(strings.TrimSpace(over))
		b, errB := strconv.Atoi(strings.TrimSpace(under))
		if r := (Rate{a, b}); errA == nil && errB == nil && r.Valid() {
			return r, nil
		}
		return Rate{}, fail
	}
	for _, k := range Counts() {
		if k.Rate.Denominator != 1 {
			for decimals := 2; decimals <= 3; decimals++ {
				if trimmed == strconv.FormatFloat(k.Rate.PerSecond(), 'f', decimals, 64) {
					return k.Rate, nil
				}
			}
		}
	}
	if len(trimmed) > 12 || strings.ContainsAny(trimmed, "eEpPxX_") {
		return Rate{}, fail
	}
	exact, ok := new(big.Rat).SetString(trimmed)
	if !ok || !exact.Num().IsInt64() || !exact.Denom().IsInt64() {
		return Rate{}, fail
	}
	if r := (Rate{int(exact.Num().Int64()), int(exact.Denom().Int64())}); r.Valid() {
		return r, nil
	}
	return Rate{}, fail
}
