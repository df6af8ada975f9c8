package pass

// A Suggestion is a list of passes for a purpose.
type Suggestion struct {
	Code, Name, Why string
	Passes          []Code
}

// Suggestions returns lists that are commonly wanted.
func Suggestions() []Suggestion {
	return []Suggestion{
		{"minimum", "Minimum", "The picture alone.", []Code{Beauty}},
		{
			"comp", "Compositing",
			"The picture, with what it takes to put things before and behind, and to cut them out.",
			[]Code{Beauty, Depth, Normal, Motion, CryptoObject, CryptoMaterial},
		},
		{
			"relight",
			"Relighting",
			"How the light came, and what a surface is and where, to light it again afterwards.",
			[]Code{
				Beauty, DiffuseDirect, DiffuseIndirect, SpecularDirect, SpecularIndirect, Transmission, Emission,
				Environment, Albedo, Occlusion, Shadow, Depth, Position, Normal, CryptoObject,
			},
		},
		{
			"denoise", "Denoising", "The noisy picture with its guides, for a denoiser elsewhere, and denoised here.",
			[]Code{Beauty, Denoised, GuideAlbedo, GuideNormal, GuideDepth, Variance},
		},
		{
			"check",
			"Diagnostics",
			"Every pass that shows whether geometry, coordinates and names are sound.",
			[]Code{
				Beauty, Depth, Distance, Normal, CameraNormal, UV, Facing, Object, MotionBack, SampleCount, CryptoAsset,
			},
		},
	}
}
