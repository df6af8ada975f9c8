package store

import (
	"path/filepath"
	"testing"

	"reelhouse/core/camera"
)

// A production that was kept when there were rings is read with rigs of that kind.
func TestRingsOfOldRecordsBecomeRigs(t *testing.T) {
	path := filepath.Join(t.TempDir(), "record.db")
	s, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.write.Exec("DELETE FROM goose_db_version WHERE version_id > 1"); err != nil { // as the first version left it
		t.Fatal(err)
	}
	const old = `{"code":"OLD","title":"says \"ring\":\"x\"","version":1,"views":[{"code":"quay","name":"q","camera":"c","look":"plain"},{"code":"turn_1","name":"t","camera":"c","look":"plain","setup":{"stand":{"position":{"X":1.5,"Y":0,"Z":0},"heading":0,"tilt":0,"roll":0}},"ring":"turn"}],"rings":[{"code":"turn","name":"Turn","camera":"c","look":"plain","subject":{"X":1,"Y":2,"Z":3},"count":8,"radius":10,"height":2,"start":0,"arc":360}]}`
	for _, q := range []string{"INSERT INTO production VALUES (1, 'OLD', 1, 1)", "INSERT INTO revision VALUES (1, 1, '" + old + "', 'made', '')"} {
		if _, err := s.write.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if s, err = Open(path); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	p, err := s.Production("OLD")
	if err != nil {
		t.Fatal(err)
	}
	if len(p.Rigs) != 1 || p.Rigs[0].Kind != camera.Ring || p.Rigs[0].Count != 8 || p.Rigs[0].Subject.Z != 3 {
		t.Errorf("rigs %+v", p.Rigs)
	}
	if p.Title != `says "ring":"x"` || p.Views[0].Rig != "" || p.Views[1].Rig != "turn" || p.Views[1].Setup.Stand.Position.X != 1.5 {
		t.Errorf("title %s, views %+v", p.Title, p.Views)
	}
}
