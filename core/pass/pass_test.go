package pass

import (
	"slices"
	"testing"
)

func TestDataPassesAreFloatAndLayered(t *testing.T) {
	seen := map[string]bool{}
	for _, p := range Catalogue() {
		for _, name := range p.ChannelNames() {
			if seen[name] {
				t.Errorf("two passes write the channel %s", name)
			}
			seen[name] = true
		}
		bytes := 2
		if p.Data {
			bytes = 4
		}
		if p.BytesPerPixel() != bytes*len(p.Channels) {
			t.Errorf("%s takes %d bytes a pixel", p.Code, p.BytesPerPixel())
		}
	}
	if !seen["R"] || !seen["depth.Z"] {
		t.Errorf("channels are %v", seen)
	}
}

func TestSortedKeepsTheOrderOfTheCatalogue(t *testing.T) {
	got := Sorted([]Code{Object, Beauty, Object, "nonsense", Depth})
	if !slices.Equal(got, []Code{Beauty, Depth, Object}) {
		t.Errorf("got %v", got)
	}
	if _, err := Find("nonsense"); err == nil {
		t.Error("an unknown pass was found")
	}
}

// Nothing about a pass is left to a default that claims something: a new one says it all, in its row.
func TestEveryPassSaysAllThatIsToBeKnown(t *testing.T) {
	for _, p := range append(Catalogue(), LightPasses([]LightGroup{{Code: "lamps", Name: "Lamps"}})...) {
		if p.Code == "" || p.Name == "" || p.Meaning == "" || len(p.Channels) == 0 {
			t.Errorf("%q has no name, meaning or channels: %+v", p.Code, p)
		}
		if !slices.Contains(Groups(), p.Group) || p.Purpose == "" || len(p.Purpose) > 70 {
			t.Errorf("%s is in the group %q, for %q", p.Code, p.Group, p.Purpose)
		}
		if p.Shown == 0 {
			t.Errorf("%s does not say how it is shown", p.Code)
		}
		if p.Adds <= 0 && p.Code != Beauty {
			t.Errorf("%s does not say what it adds to a frame", p.Code)
		}
		l := p.Left
		for name, share := range map[string]float64{
			"ZIP": l.ZIP, "ZIPS": l.ZIPS, "PIZ": l.PIZ, "RLE": l.RLE, "PXR24": l.PXR24, "DWAA": l.DWAA, "DWAB": l.DWAB,
		} {
			if !(share > 0 && share <= 1) {
				t.Errorf("%s does not say what %s leaves of it: %v", p.Code, name, share)
			}
		}
		if !p.Data && (l.B44 <= 0 || l.B44A <= 0) {
			t.Errorf("%s does not say what B44 and B44A leave of it", p.Code)
		}
		if p.Data && p.Light && p.Code != SampleCount && p.Code != Variance {
			t.Errorf("%s is data, and light", p.Code)
		}
	}
}
