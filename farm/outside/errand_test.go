package outside

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"reelhouse/core/frame"
	"reelhouse/core/job"
	"reelhouse/core/output"
	"reelhouse/core/pass"
	"reelhouse/core/raster"
	"reelhouse/farm"
	"reelhouse/farm/wire"
)

// orderOf is a job in which people have written what looks like paths of files on their way.
func orderOf() job.Job {
	return job.Job{
		Version: job.Version, Scene: wire.ReadPath(0), Environment: wire.ReadPath(1),
		Rate: frame.Rate{Numerator: 24, Denominator: 1},
		View: job.View{Name: wire.ReadPath(0), Camera: wire.WritePath(0)},
		Frames: []job.Frame{{
			Number: 1001,
			Files: []job.File{{
				Path:     wire.WritePath(0),
				Encoding: output.Usual()[0].Encoding(output.Agreed{}),
				Passes:   []pass.Code{pass.Beauty},
			}},
			Facts: []job.Fact{{Name: "path", Value: wire.WritePath(7)}},
		}},
		Values: []job.Fact{{Name: wire.ReadPath(0), Value: wire.WritePath(0)}},
		Facts:  []job.Fact{{Name: "scene", Value: wire.ReadPath(1)}},
	}
}

// What people have written stays as it is on a node, even if it looks like the path of a file of the order.
func TestOnlyPathsOfAnOrderAreReplaced(t *testing.T) {
	reads, writes := []string{"/n/scene.glb", "/n/sky.exr", "/n/tile.exr"}, []string{"/n/out.exr"}
	want := orderOf()
	want.Scene, want.Environment, want.Frames[0].Files[0].Path = reads[0], reads[1], writes[0]

	assembly := job.Assembly{Job: orderOf(), TileFiles: []string{wire.ReadPath(2)}}
	assembly.Size = raster.Size{Width: 4, Height: 2}
	assembly.Tiles = raster.Tiling{Columns: 1, Rows: 1}
	placed := job.Assembly{Job: want, TileFiles: reads[2:]}
	placed.Size, placed.Tiles = assembly.Size, assembly.Tiles

	sum := strings.Repeat("0", 64)
	picture := orderOf()
	follow := job.FollowUp{
		Version: job.Version, Kind: "grade", Picture: &picture,
		Inputs:  []job.Input{{Path: wire.ReadPath(2), Name: wire.ReadPath(1), SHA256: sum}},
		Outputs: []job.Output{{Path: wire.WritePath(0), Extension: "exr"}},
	}
	followed := follow
	followed.Picture = &want
	followed.Inputs = []job.Input{{Path: reads[2], Name: wire.ReadPath(1), SHA256: sum}}
	followed.Outputs = []job.Output{{Path: writes[0], Extension: "exr"}}

	for _, c := range []struct {
		program     string
		order, want any
	}{
		{farm.ProgramOf(farm.Renderer{Name: "x"}), orderOf(), want},
		{farm.AssemblyProgram, assembly, placed},
		{farm.KindProgram("grade"), follow, followed},
	} {
		text, err := json.Marshal(c.order)
		if err != nil {
			t.Fatal(err)
		}
		got, err := localOrder(c.program, text, reads, writes)
		if err != nil {
			t.Fatal(c.program, err)
		}
		if !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s:\n%+v\nwant\n%+v", c.program, got, c.want)
		}
		if _, err := localOrder(c.program, text, nil, writes); err == nil {
			t.Errorf("%s: a file that does not come with it is read", c.program)
		}
		if _, err := localOrder(c.program, []byte(`{"version": 9}`), reads, writes); err == nil {
			t.Errorf("%s: an order of another version is read", c.program)
		}
	}
}

// A path that is none of the order's files is none of this machine's either.
func TestAnOrderLeadsNowhereElse(t *testing.T) {
	order := orderOf()
	order.Frames[0].Files[0].Path = "/etc/reelhouse"
	text, err := json.Marshal(order)
	if err != nil {
		t.Fatal(err)
	}
	program := farm.ProgramOf(farm.Renderer{Name: "x"})
	if _, err := localOrder(program, text, []string{"a", "b"}, []string{"c"}); err == nil {
		t.Error("a file is written anywhere")
	}
}

// However much is said at once, all of it is passed on, in messages of a length that NATS takes.
func TestWhatIsSaidFitsIntoMessages(t *testing.T) {
	log := farm.NewLog()
	s := newSaying(nil, 7, []string{"/n/out.exr"})
	s.log = log
	for i := range 300 {
		log.Add("%d %s", i, strings.Repeat("\x01<", 2000))
		s.hear(job.Message{Event: job.Warning, Text: strings.Repeat("\x02", 64<<10)})
	}
	s.hear(job.Message{Event: job.Wrote, Path: "/n/out.exr"})
	text, heard, number := "", 0, 0
	for {
		m, length := s.next()
		if m.Number == 0 {
			break
		}
		data, err := json.Marshal(m)
		if err != nil || len(data) > wire.Largest || m.Number != number+1 {
			t.Fatalf("message %d has %d bytes, %v", m.Number, len(data), err)
		}
		number, text, heard = m.Number, text+m.Text, heard+len(m.Heard)
		s.passed(m, length)
	}
	if text != log.String() || heard != 301 {
		t.Errorf("%d bytes of %d, %d messages of 301", len(text), len(log.String()), heard)
	}
}
