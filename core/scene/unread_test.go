package scene

import "testing"

func TestAnUnreadSceneHasItsCamerasAndItsTime(t *testing.T) {
	s := Unread("film.stage", []string{"wide", "close"}, 2.5)
	if !s.Unread || s.FindCamera("close") == None || len(s.CameraNodes()) != 2 || s.Duration() != 2.5 ||
		s.Triangles() != 0 {
		t.Errorf("it is %+v", s)
	}
	if s := Unread("still", []string{"a"}, 0); s.Duration() != 0 {
		t.Errorf("a still one lasts %v s", s.Duration())
	}
}
