package pass

import "slices"

// Time that a frame takes, in parts of what its beauty alone takes, measured on the demo (docs/performance.md): the
// first rays, which all averaged passes share; following light, which all passes of light share; and what each pass
// adds by itself.
const (
	firstRays = 0.3
	light     = 0.7
)

var adds = map[Code]float64{
	Occlusion: 0.35, Shadow: 0.9, Denoised: 0.8, Albedo: 0.03, GuideAlbedo: 0.03, GuideNormal: 0.03, GuideDepth: 0.02,
	Object:       0.03,
	CryptoObject: 0.06, CryptoMaterial: 0.06, CryptoAsset: 0.06, Variance: 0.01, SampleCount: 0.005,
}

// atCentre is what a pass of the pixel's centre adds.
const atCentre = 0.05

// ofLight reports whether a pass holds light that has to be followed.
func ofLight(code Code) bool {
	_, group := code.LightGroup()
	return group ||
		slices.Contains(
			[]Code{
				Beauty, Denoised, DiffuseDirect, DiffuseIndirect, SpecularDirect, SpecularIndirect, Transmission,
				Emission, Environment, SampleCount, Variance,
			},
			code,
		)
}

// Work returns how long a frame of passes takes, in parts of the time of its beauty alone.
func Work(codes []Code) float64 {
	sum := 0.0
	averaged, lit := false, false
	for _, code := range codes {
		p, err := Find(code)
		if err != nil {
			continue
		}
		lit = lit || ofLight(code)
		averaged = averaged || p.Filtered || p.IsCryptomatte() || ofLight(code)
		switch extra, ok := adds[code]; {
		case ok:
			sum += extra
		case ofLight(code) && code != Beauty:
			sum += 0.01
		case !ofLight(code):
			sum += atCentre
		}
	}
	if averaged {
		sum += firstRays
	}
	if lit {
		sum += light
	}
	return sum
}
