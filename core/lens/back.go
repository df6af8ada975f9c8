package lens

// A Back is a film back, in millimetres.
type Back struct {
	Name          string
	Width, Height float64
}

// Backs returns common film backs, the smallest first. The numbers are camera apertures as common practice has them,
// from memory.
func Backs() []Back {
	return []Back{
		{
			"16 mm film", 10.26, 7.49,
		}, {"Super 16 film", 12.52, 7.41}, {"35 mm film, Academy", 21.95, 16.00},
		{"Super 35 film, 4 perforations", 24.89, 18.66},
		{
			"Super 35 film, 3 perforations", 24.89, 13.87,
		}, {"35 mm stills, full frame", 36, 24}, {"65 mm film, 5 perforations", 52.48, 23.01},
		{"65 mm film, 15 perforations", 70.41, 52.63},
	}
}
