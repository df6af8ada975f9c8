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
