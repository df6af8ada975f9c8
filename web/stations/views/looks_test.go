package views_test

import (
	"strings"
	"testing"

	"reelhouse/core/look"
	"reelhouse/web/webtest"
)

func TestALookIsChangedAndOthersFollow(t *testing.T) {
	s := webtest.New(t)
	_, body := s.Get("/p/TEST/views?look=plain")
	s.Says(body, "It is based on no other look", "Scene lights that are on", "Sky overhead")
	s.Says(s.EditLook("plain", "copy", ""), "plain_2", "Look plain_2: no view uses it.")
	s.EditLook("plain_2", "code", "night")
	s.Says(s.EditLook("night", "exposure", "-3"), "Overrides of Plain daylight", "-3 EV")
	s.EditLook("night", "zenith", "#0000ff")
	s.EditLook("night", "sunIntensity", "0")
	night := s.Look("night")
	if night.Base != "plain" || night.ExposureEV != -3 || night.Sky.Zenith.X != 0 ||
		night.Sky.Zenith.Z != look.Plain().Sky.Zenith.Max() ||
		night.Sun.Irradiance.Max() != 0 {
		t.Errorf("the night is %+v", night)
	}
	// A third one builds on the second. What neither says follows the first.
	s.EditLook("night", "copy", "")
	s.EditLook("night_2", "haze", "50")
	s.EditLook("plain", "sunAzimuth", "200")
	s.EditLook("plain", "haze", "900")
	if a, b := s.Look("night"), s.Look("night_2"); a.Sun.AzimuthDegrees != 200 || a.Haze.Metres != 900 ||
		a.ExposureEV != -3 ||
		b.Sun.AzimuthDegrees != 200 ||
		b.Haze.Metres != 50 {
		t.Errorf("they followed to %+v and %+v", a, b)
	}
	s.EditLook("night", "reset", "exposure")
	if s.Look("night").ExposureEV != 0 || s.Look("night_2").ExposureEV != 0 {
		t.Error("a line that was given back is still its own")
	}
	// Codes and removal keep the rest together.
	s.EditLook("plain", "code", "day")
	if s.Production().Views[0].Look != "day" || s.Look("night").Base != "day" {
		t.Error("a new code lost its users")
	}
	s.Says(s.EditLook("day", "remove", ""), "view v uses this look")
	s.EditLook("night", "remove", "")
	if s.Look("night_2").Base != "day" || len(s.Production().Looks) != 2 {
		t.Errorf("looks are %+v", s.Production().Looks)
	}
}

func TestMistakesWithLooksAreSaid(t *testing.T) {
	s := webtest.New(t)
	for field, c := range map[string][2]string{
		"exposure": {"99", "outside -20 to 20"}, "sunElevation": {"95", "outside -90 to 90"},
		"haze": {"-1", "cannot be negative"}, "sun": {"blue", "is not a colour"},
		"sunIntensity": {"-2", "is not an intensity"},
		"hidden":       {"[", "is not a pattern"}, "reset": {"haze", "based on no other look"},
		"lightMultiplier": {"x", "is not a number"},
	} {
		s.Says(s.EditLook("plain", field, c[0]), c[1])
	}
	s.Says(s.EditLook("plain", "nonsense", "1"), "This cannot be edited")
	if got := s.Look("plain"); len(look.Differences(look.Plain(), got)) > 0 {
		t.Errorf("mistakes left %+v", look.Differences(look.Plain(), got))
	}
	s.Says(s.EditLook("plain", "hidden", "fl*"), `w-10 shrink-0">1</span>`)
	if got := s.Look("plain"); len(got.Hidden) != 1 ||
		!strings.Contains(s.EditLook("plain", "hidden", ""), `aria-label="Hidden"`) {
		t.Errorf("hidden %v", got.Hidden)
	}
}
