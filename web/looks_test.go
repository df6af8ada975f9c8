package web

import (
	"net/url"
	"strings"
	"testing"

	"reelhouse/core/look"
)

func (s *site) editLook(code, field string, values ...string) string {
	s.t.Helper()
	form := url.Values{"of": {code}, "field": {field}, "station": {"views"}, "look": {code}, "values": values}
	if len(values) == 1 {
		form["value"] = values
	}
	_, body := s.post("/p/TEST/edit/look", form)
	return body
}

func (s *site) look(code string) look.Look {
	s.t.Helper()
	l, ok := s.production().FindLook(code)
	if !ok {
		s.t.Fatalf("there is no look %s", code)
	}
	return l
}

func TestALookIsChangedAndOthersFollow(t *testing.T) {
	s := newSite(t)
	_, body := s.get("/p/TEST/views?look=plain")
	s.says(body, "It is based on no other look", "The scene's lights that are on", "Sky overhead")
	s.says(s.editLook("plain", "copy", ""), "plain_2", "Look plain_2: no view uses it.")
	s.editLook("plain_2", "code", "night")
	s.says(s.editLook("night", "exposure", "-3"), "Overrides of Plain daylight", "-3 EV")
	s.editLook("night", "zenith", "#0000ff")
	s.editLook("night", "sunIntensity", "0")
	night := s.look("night")
	if night.Base != "plain" || night.ExposureEV != -3 || night.Sky.Zenith.X != 0 ||
		night.Sky.Zenith.Z != look.Plain().Sky.Zenith.Max() ||
		night.Sun.Irradiance.Max() != 0 {
		t.Errorf("the night is %+v", night)
	}
	// A third one builds on the second. What neither says follows the first.
	s.editLook("night", "copy", "")
	s.editLook("night_2", "haze", "50")
	s.editLook("plain", "sunAzimuth", "200")
	s.editLook("plain", "haze", "900")
	if a, b := s.look("night"), s.look("night_2"); a.Sun.AzimuthDegrees != 200 || a.Haze.Metres != 900 ||
		a.ExposureEV != -3 ||
		b.Sun.AzimuthDegrees != 200 ||
		b.Haze.Metres != 50 {
		t.Errorf("they followed to %+v and %+v", a, b)
	}
	s.editLook("night", "reset", "exposure")
	if s.look("night").ExposureEV != 0 || s.look("night_2").ExposureEV != 0 {
		t.Error("a line that was given back is still its own")
	}
	// Codes and removal keep the rest together.
	s.editLook("plain", "code", "day")
	if s.production().Views[0].Look != "day" || s.look("night").Base != "day" {
		t.Error("a new code lost its users")
	}
	s.says(s.editLook("day", "remove", ""), "view v uses this look")
	s.editLook("night", "remove", "")
	if s.look("night_2").Base != "day" || len(s.production().Looks) != 2 {
		t.Errorf("looks are %+v", s.production().Looks)
	}
}

func TestMistakesWithLooksAreSaid(t *testing.T) {
	s := newSite(t)
	for field, c := range map[string][2]string{
		"exposure": {"99", "outside -20 to 20"}, "sunElevation": {"95", "outside -90 to 90"},
		"haze": {"-1", "cannot be negative"}, "sun": {"blue", "is not a colour"},
		"sunIntensity": {"-2", "is not an intensity"},
		"hidden":       {"[", "is not a pattern"}, "reset": {"haze", "based on no other look"},
		"lightMultiplier": {"x", "is not a number"},
	} {
		s.says(s.editLook("plain", field, c[0]), c[1])
	}
	s.says(s.editLook("plain", "nonsense", "1"), "This cannot be edited")
	if got := s.look("plain"); len(look.Differences(look.Plain(), got)) > 0 {
		t.Errorf("mistakes left %+v", look.Differences(look.Plain(), got))
	}
	s.says(s.editLook("plain", "hidden", "fl*"), `w-10 shrink-0">1</span>`)
	if got := s.look("plain"); len(got.Hidden) != 1 ||
		!strings.Contains(s.editLook("plain", "hidden", ""), `aria-label="Hidden"`) {
		t.Errorf("hidden %v", got.Hidden)
	}
}
