package pass

// Time that a frame takes, in parts of what its picture alone takes, measured on the demo (docs/performance.md): the
// first rays, which all averaged passes share, and following light, which all passes of light share. What each pass
// adds by itself stands in the catalogue.
const (
	firstRays = 0.3
	light     = 0.7
)

// Work returns how long a frame of passes takes, in parts of the time of its picture alone.
func Work(codes []Code) float64 {
	sum := 0.0
	averaged, lit := false, false
	for _, code := range codes {
		p, err := Find(code)
		if err != nil {
			continue
		}
		lit = lit || p.Light
		averaged = averaged || p.Filtered || p.IsCryptomatte() || p.Light
		sum += p.Adds
	}
	if averaged {
		sum += firstRays
	}
	if lit {
		sum += light
	}
	return sum
}
