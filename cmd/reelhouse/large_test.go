package main

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
)

// A still of 15360 x 8640 pixels in tiles on three nodes, which a fourth one puts together, is the same file as one
// machine makes. It takes half an hour on two cores, so that `make soak` alone does it; REELHOUSE_LARGE says its width.
func TestALargeStillOnManyNodesIsTheSame(t *testing.T) {
	var width int
	if _, err := fmt.Sscan(os.Getenv("REELHOUSE_LARGE"), &width); err != nil {
		t.Skip("it takes half an hour; see make soak")
	}
	still := func() string {
		return seeded(t, func(p *production.Production) {
			s := p.Shots[3]
			s.Sizes, s.PassList, s.Outputs = []string{"scope"}, "minimum", []string{"master"}
			s.Tiles = []production.CellTiles{
				{Cell: production.Cell{View: s.View, Size: "scope"}, Tiles: raster.Tiling{Columns: 4, Rows: 3}},
			}
			p.Shots = []production.Shot{s}
			p.Qualities[0].Scale = raster.Reduction{Percent: 100}
			for i := range p.Sizes {
				if p.Sizes[i].Code == "scope" {
					p.Sizes[i].Size = raster.Size{Width: width, Height: width * 9 / 16}
				}
			}
		})
	}
	send := func(data string) {
		t.Helper()
		out, complaints, err := run(t, "send", "--production", demoCode, "--quality", "draft", "--data", data)
		if err != nil {
			t.Fatal(out, complaints, err)
		}
	}
	good := func(data string) {
		t.Helper()
		began := time.Now()
		for !allGood(counts(t, data)) {
			if c := counts(t, data); c[queue.Failed] > 0 || time.Since(began) > time.Hour {
				t.Fatalf("%v after %v", c, time.Since(began))
			}
			time.Sleep(time.Second)
		}
		t.Logf("%v", time.Since(began))
	}
	alone := still()
	send(alone)
	s := start(t, alone)
	good(alone)
	s.cmd.Process.Signal(os.Interrupt)
	s.cmd.Wait()

	data := still()
	config := filepath.Join(t.TempDir(), "config.json")
	if err := os.WriteFile(config, []byte(`{"kinds": [{"name": "assemble", "needs": "labels=joins"},
		{"name": "render", "needs": "labels=renders"}]}`), 0o600); err != nil {
		t.Fatal(err)
	}
	start(t, data, "--farm", farmAddress(t), "--no-node", "--config", config)
	letIn(t, data, "attic", nil, nil).start(t, "--labels", "joins")
	for _, name := range []string{"shed", "loft", "cellar"} {
		letIn(t, data, name, nil, nil).start(t, "--labels", "renders")
	}
	send(data)
	good(data)
	want, got := hashes(t, alone), hashes(t, data)
	if len(want) != 1 || len(got) != 1 {
		t.Fatalf("%v and %v", want, got)
	}
	for path, sum := range want {
		t.Logf("%s: %s", path, sum)
		if got[path] != sum {
			t.Errorf("%s is another file: %s, not %s", path, got[path], sum)
		}
	}
	if out, complaints, err := run(t, "verify", "--deep", "--data", data); err != nil {
		t.Error(out, complaints, err)
	}
}
