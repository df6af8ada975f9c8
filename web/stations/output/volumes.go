package output

import (
	"reelhouse/house"
	"reelhouse/web/kit"
)

// A shownVolume is a volume as it is now.
type shownVolume struct {
	Code, Name string
	Chosen     bool
	Free       float64 // bytes; negative if that is not known
	Fault      string
	Choose     kit.Action
}

// volumesOf are the volumes that the production can write to, and the one that it names, whether there is one or not.
func (a *page) volumesOf(v *kit.View) []shownVolume {
	chosen := v.Production.Volume
	field := v.Part("production", "").Field("volume", "Volume", chosen)
	var all []shownVolume
	add := func(code, name string) {
		state := a.House.VolumeState(code)
		all = append(all, shownVolume{
			Code: code, Name: name, Chosen: code == chosen, Free: state.Free, Fault: state.Fault,
			Choose: field.Set("Write here", "Write the files of the next batch to "+house.VolumeTitle(code), code),
		})
	}
	for _, known := range a.House.Volumes() {
		add(known.Code, known.Name)
	}
	if _, known := a.House.Volume(chosen); !known {
		add(chosen, "not configured")
	}
	return all
}
