package demo

import (
	"reelhouse/core/grade"
	"reelhouse/core/pass"
)

// Mattes returns the mattes of the demo production.
func Mattes() []pass.Matte {
	return []pass.Matte{
		{Code: "ferry", Name: "Ferry", Layer: pass.CryptoObject, Names: []string{"ferry*"}},
		{Code: "tower", Name: "Lighthouse", Layer: pass.CryptoAsset, Names: []string{"lighthouse*"}},
	}
}

// Grades returns the grades of the demo production: a night that is made of the frames at dusk.
func Grades() []grade.Grade {
	night := func(code string, intensity float64, colour string) grade.Gain {
		return grade.Gain{Pass: pass.LightCode(code), Intensity: intensity, Colour: colour}
	}
	dim := grade.Neutral()
	dim.Saturation = 0.8
	return []grade.Grade{{
		Code: "night", Name: "Night",
		Lights: []grade.Gain{
			night("sky", 0.05, "#8fa8ff"), night("sun", 0.01, "#6f86e6"), night("tower", 2, ""),
			night("boats", 1.5, "#ffd8a8"),
		},
		Steps: []grade.Step{
			{Name: "All of it", Exposure: 0.5, CDL: dim},
			{
				Name: "Ferry", Exposure: 0.5, CDL: grade.Neutral(),
				Mask: grade.Mask{Matte: "ferry"},
			},
		},
	}}
}
