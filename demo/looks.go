package demo

import "reelhouse/core/look"

// Looks returns the three looks of the demo.
func Looks() []look.Look {
	return []look.Look{
		{
			Code: "dusk", Name: "Dusk", ExposureEV: 0.35, LightGain: 1,
			Sky: look.Sky{
				Zenith:  v(0.09, 0.13, 0.27),
				Horizon: v(0.60, 0.33, 0.24),
				Ground:  v(0.07, 0.06, 0.06),
				Glow:    v(0.95, 0.38, 0.11),
			},
			Sun: look.Sun{
				AzimuthDegrees:   288,
				ElevationDegrees: 5.5,
				Irradiance:       v(1.7, 0.82, 0.36),
				SizeDegrees:      1.6,
			}, Haze: look.Haze{Metres: 420},
		},
		{
			Code: "lamplight", Name: "Lamplight", ExposureEV: 1.6, LightGain: 1,
			Sky: look.Sky{
				Zenith:  v(0.006, 0.011, 0.028),
				Horizon: v(0.028, 0.036, 0.062),
				Ground:  v(0.01, 0.01, 0.012),
			},
			Sun: look.Sun{
				AzimuthDegrees:   215,
				ElevationDegrees: 38,
				Irradiance:       v(0.035, 0.045, 0.065),
				SizeDegrees:      1,
			}, Haze: look.Haze{Metres: 500},
		},
		{
			Code: "overcast", Name: "Overcast", ExposureEV: 0.45, LightGain: 0.6,
			LightsOff: []string{"lamp_quay*", "lamp_deck"}, Environment: look.Environment{Map: CloudsCode},
			Sky:  look.Sky{Zenith: v(0.62, 0.66, 0.72), Horizon: v(0.74, 0.77, 0.79), Ground: v(0.16, 0.16, 0.15)},
			Haze: look.Haze{Metres: 230},
		},
		{
			Code: "cutout", Name: "Dinghy alone", Base: "overcast", ExposureEV: 0.45, LightGain: 0.6,
			LightsOff: []string{"lamp_quay*", "lamp_deck"}, Environment: look.Environment{Map: CloudsCode},
			Sky:    look.Sky{Zenith: v(0.62, 0.66, 0.72), Horizon: v(0.74, 0.77, 0.79), Ground: v(0.16, 0.16, 0.15)},
			Haze:   look.Haze{Metres: 230},
			Hidden: []string{"*"}, Shown: []string{"dinghy_01"},
			Background: look.Background{Kind: look.Transparent},
		},
	}
}
