package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"reelhouse/bucket/buckettest"
	"reelhouse/core/contact"
	"reelhouse/core/mhl"
	"reelhouse/core/movie"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/sprite"
	"reelhouse/house"
	"reelhouse/store"
)

// A house whose files lie in a bucket renders on a node that shares nothing with it, is killed, goes on, and hands on.
func TestFilesLieInABucket(t *testing.T) {
	s := buckettest.New(t)
	data := farmed(t, "1001-1024")
	h, err := house.Open(data, false)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := h.Record.Edit(demoCode, store.Making{}, func(p *production.Production) error {
		p.Volume = "cloud"
		p.Deliveries = []production.Delivery{{
			Code: "all", Name: "All", Hash: mhl.XXH64, Shots: []string{"010"}, Movie: movie.Usual(),
			Contact: contact.Usual(), Sprites: sprite.Usual(),
		}}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	h.Close()
	config := filepath.Join(t.TempDir(), "config.json")
	text := fmt.Sprintf(`{"volumes": [{"code": "cloud", "bucket": %q, "copies": "1 MB"}]}`, s.URL)
	if err := os.WriteFile(config, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	address := farmAddress(t)
	serve := func() *served {
		return start(t, data, "--config", config, "--farm", address, "--farm-beat", "100ms", "--farm-lease", "5s")
	}
	server := serve()
	letIn(t, data, "shed", nil, nil).start(t)
	sendFarmed(t, data)
	for _, good := range []int{5, 12, 19} {
		until(t, data, func(c queue.Counts) bool { return c[queue.Good] >= good })
		server.cmd.Process.Kill()
		server.cmd.Wait()
		server = serve()
	}
	until(t, data, allGood)
	out, complaints, err := run(t, "volumes", "--json", "--data", data)
	if err != nil || !strings.Contains(out, "s3://reels") {
		t.Error(out, complaints, err)
	}
	out, complaints, err = run(t, "verify", "--deep", "--json", "--data", data)
	if err != nil {
		t.Error(out, complaints, err)
	}
	var v house.Verified
	if err := json.Unmarshal([]byte(out), &v); err != nil || v.Files < 24+1+2 {
		t.Errorf("%+v, %v", v, err)
	}
	pictures := 0
	for _, name := range s.Names(t) {
		if strings.HasSuffix(name, ".exr") && !strings.HasPrefix(name, ".") {
			pictures++
		}
	}
	if pictures < 25 {
		t.Errorf("in the bucket there are %d pictures: %q", pictures, s.Names(t))
	}
	if out, complaints, err := run(t, "deliver", "all", "--data", data); err != nil {
		t.Error(out, complaints, err)
	}
}
