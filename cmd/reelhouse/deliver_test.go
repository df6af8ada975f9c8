package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"reelhouse/core/contact"
	"reelhouse/core/delivery"
	"reelhouse/core/mhl"
	"reelhouse/core/movie"
	"reelhouse/core/production"
	"reelhouse/core/raster"
	"reelhouse/core/sprite"
	"reelhouse/house"
	"reelhouse/house/housetest"
)

// rendered returns a data folder with a production TEST whose only shot is good, with files of a size.
func rendered(t *testing.T, frames string, size int) string {
	t.Helper()
	h, _ := housetest.New(t, frames)
	housetest.FinishAll(t, h, size)
	return filepath.Dir(h.Output())
}

func TestADeliveryFromTheCommandLine(t *testing.T) {
	data := rendered(t, "1001-1008", 9000)
	deliver := func(want int, args ...string) (out, complaints string) {
		t.Helper()
		out, complaints, err := run(t, append([]string{"deliver", "--data", data}, args...)...)
		if code(err) != want {
			t.Fatalf("%v: %v, want %d\n%s%s", args, err, want, out, complaints)
		}
		return out, complaints
	}
	set := func(args ...string) {
		t.Helper()
		if out, complaints, err := run(t, append([]string{"edit", "--data", data}, args...)...); err != nil {
			t.Fatal(out, complaints, err)
		}
	}
	set("delivery.add", "name=To the edit")
	set("delivery.set", "delivery=delivery1", "code=edit", "pattern=(shot)_(frame:2).(ext)", "first=1", "approved=true")
	deliver(2)
	deliver(2, "edit", "--list")
	deliver(1, "other")
	deliver(2, "edit", "--changes")
	if out, _ := deliver(4, "edit", "--dry-run"); !strings.Contains(
		out,
		"refused: nothing that is asked for is approved",
	) {
		t.Error(out)
	}
	if _, complaints, err := run(t, "verdict", "1/010/v/hd", "approved", "--by", "Ann", "--data", data); err != nil {
		t.Fatal(complaints, err)
	}
	var dry struct {
		Delivery delivery.Delivery
		Refused  bool
	}
	out, _ := deliver(3, "edit", "--dry-run", "--json") // it is no final quality
	if err := json.Unmarshal([]byte(out), &dry); err != nil || len(dry.Delivery.Files) != 8 || dry.Refused {
		t.Fatalf("%v\n%s", err, out)
	}
	to := filepath.Join(t.TempDir(), "usb")
	if out, _ = deliver(0, "edit", "--to", to, "--by", "Bo"); !strings.Contains(out, "edit 1 is complete: 8 files") {
		t.Error(out)
	}
	if out, complaints, err := run(t, "verify", to); err != nil || !strings.Contains(out, "11 files") {
		t.Error(out, complaints, err)
	}
	deliver(1, "edit", "--changes")
	if out, _ = deliver(0, "--list"); !strings.Contains(out, "edit 1") || !strings.Contains(out, to) {
		t.Error(out)
	}
	if _, complaints := deliver(1, "edit", "--to", to); !strings.Contains(complaints, "is not empty") {
		t.Error(complaints)
	}
}

// A delivery is killed 50 times, whenever it may be, and begun again: each one that is complete in the end verifies.
func TestADeliveryIsKilledFiftyTimes(t *testing.T) {
	data := rendered(t, "1001-1120", 400_000)
	if out, complaints, err := run(t, "edit", "--data", data, "delivery.add", "name=All"); err != nil {
		t.Fatal(out, complaints, err)
	}
	random := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 21))
	complete := 0
	for killed := 0; killed < 50; {
		cmd := exec.Command(binary, "deliver", "delivery1", "--data", data)
		var said bytes.Buffer
		cmd.Stdout, cmd.Stderr = &said, &said
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		ended := make(chan error, 1)
		go func() { ended <- cmd.Wait() }()
		select {
		case err := <-ended:
			if err != nil {
				t.Fatalf("after %d kills: %v\n%s", killed, err, said.String())
			}
			complete++
		case <-time.After(time.Duration(20+random.IntN(300)) * time.Millisecond):
			cmd.Process.Kill()
			if err := <-ended; err != nil {
				killed++
			} else {
				complete++
			}
		}
	}
	if out, complaints, err := run(t, "deliver", "delivery1", "--data", data); err != nil {
		t.Fatal(out, complaints, err)
	}
	t.Logf("%d deliveries were complete between 50 kills", complete)
	for n := range complete + 1 {
		folder := filepath.Join(data, "deliveries", fmt.Sprintf("TEST_delivery1_%03d", n+1))
		out, complaints, err := run(t, "verify", folder)
		if err != nil || !strings.Contains(out, "123 files") {
			t.Errorf("%s: %v\n%s%s", folder, err, out, complaints)
		}
		filepath.WalkDir(folder, func(path string, d os.DirEntry, err error) error {
			if err != nil || strings.Contains(path, house.PartMark) {
				t.Errorf("%s is left, %v", path, err)
			}
			return nil
		})
	}
}

// Killed while it makes a movie, a contact sheet and a sprite sheet, or packs them, a delivery is begun again and comes
// out whole.
func TestADeliveryOfProductsIsKilled(t *testing.T) {
	h, _ := housetest.New(t, "1001-1024", func(p *production.Production) {
		p.Qualities[0].Scale = raster.Reduction{Percent: 10}
		d := production.Delivery{
			Code: "all", Name: "All", Hash: mhl.XXH64, Form: production.InZip, Movie: movie.Usual(),
			Contact: contact.Usual(), Sprites: sprite.Usual(), Shots: []string{"010"}, Page: true,
		}
		d.Contact.Frames, d.Contact.Nth = contact.Every, 1
		p.Deliveries = []production.Delivery{d}
	})
	housetest.DrawAll(t, h)
	data := h.Dir
	random := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 3))
	for range 15 {
		cmd := exec.Command(binary, "deliver", "all", "--data", data)
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		ended := make(chan error, 1)
		go func() { ended <- cmd.Wait() }()
		select {
		case err := <-ended:
			if err != nil {
				t.Fatal(err)
			}
		case <-time.After(time.Duration(50+random.IntN(2500)) * time.Millisecond):
			cmd.Process.Kill()
			<-ended
		}
	}
	if out, complaints, err := run(t, "deliver", "all", "--data", data); err != nil {
		t.Fatal(out, complaints, err)
	}
	all, err := h.Record.Deliveries("TEST")
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range all {
		into := t.TempDir()
		file := filepath.Join(d.Folder, house.PackageName(d, d.Form))
		if out, err := exec.Command("unzip", "-q", file, "-d", into).CombinedOutput(); err != nil {
			t.Fatalf("%s: %v: %s", file, err, out)
		}
		// 24 files, 24 pictures of sprites and what tells of them, movie, sheet, page and manifests
		if out, complaints, err := run(t, "verify", into); err != nil || !strings.Contains(out, "58 files") {
			t.Errorf("%s: %v\n%s%s", file, err, out, complaints)
		}
		if left, err := os.ReadDir(d.Folder); err != nil || len(left) != 1 {
			t.Errorf("%v lie in %s, %v", left, d.Folder, err)
		}
	}
	if left, err := filepath.Glob(filepath.Join(data, "work", "delivery-*")); err != nil || len(left) > 0 {
		t.Errorf("%v is left, %v", left, err)
	}
}
