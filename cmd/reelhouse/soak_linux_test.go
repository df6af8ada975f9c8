package main

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"reelhouse/core/fingerprint"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/core/work"
	"reelhouse/demo"
	"reelhouse/house"
	"reelhouse/standin"
	"reelhouse/store"
)

// soakVariable says how long a soak may take; a short one is among the usual tests. `make soak` takes ten minutes.
const soakVariable = "REELHOUSE_SOAK"

// A soak renders both productions of the demo, with what follows, through a bad night: server and children are killed,
// the disk fills, the output is read-only, the scene is away, and the renderer misbehaves. It presses only what a
// person would: retry and release.
type soak struct {
	t       *testing.T
	random  *rand.Rand
	data    string
	config  string
	batches []soakBatch

	server  *exec.Cmd
	address string
	killed  bool                // by the soak itself
	ended   chan error          // holds how the server ended
	seen    map[string][32]byte // sums of finished files, by their paths, when they were first seen
	count   map[string]int      // of what was done
}

// misbehaving is a renderer that now and then crashes, hangs, leaves half a file, talks without end, or leaves
// something running; otherwise it is the built-in one.
const misbehaving = `#!/bin/sh
for order; do :; done
chance=$(od -An -N2 -tu2 /dev/urandom)
[ -e "$SOAK_CALM" ] && chance=60000
sleep 300 &
case $((chance % 14)) in
0) [ -e "$SOAK_CALM" ] || { echo "out of luck" >&2; exit 3; } ;;
1) [ -e "$SOAK_CALM" ] || { trap '' TERM; sleep 300; } ;;
2) [ -e "$SOAK_CALM" ] || { head -c 3000000 /dev/zero | tr '\0' x; } ;;
3) [ -e "$SOAK_CALM" ] || { setsid sh -c 'trap "" TERM; sleep 300' & } ;;
4) [ -e "$SOAK_CALM" ] || { path=$(sed 's/.*"path":"\([^"]*\)".*/\1/' "$order" | head -1); echo half > "$path"; exit 0;
	} ;;
5) [ -e "$SOAK_CALM" ] || { path=$(sed 's/.*"path":"\([^"]*\)".*/\1/' "$order" | head -1); mkfifo "$path"; exit 0; } ;;
esac
"$SOAK_BINARY" render --with-parent "$order"
`

func TestABadNight(t *testing.T) {
	most, bad := 8*time.Minute, 30*time.Second // other tests may be at the machine, too
	if text := os.Getenv(soakVariable); text != "" {
		var err error
		if most, err = time.ParseDuration(text); err != nil {
			t.Fatal(err)
		}
		bad = most * 4 / 10
	}
	s := &soak{
		t: t, random: rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1)), seen: map[string][32]byte{},
		count: map[string]int{},
		data:  t.TempDir(),
	}
	s.mount()
	s.prepare(os.Getenv(soakVariable) == "")
	began := time.Now()
	s.start()
	for time.Since(began) < bad {
		s.disaster()
		s.look()
		s.press()
	}
	s.calm()
	for !s.good() {
		if time.Since(began) > most {
			t.Fatalf("after %v not everything is good: %v; done were %v", most, s.counts(), s.count)
		}
		s.press()
		s.pause(500 * time.Millisecond)
	}
	t.Logf("everything is good after %v; done were %v", time.Since(began).Round(time.Second), s.count)
	s.finish()
}

// mount puts the data folder on a small disk of its own, where that may be done.
func (s *soak) mount() {
	if err := syscall.Mount("tmpfs", s.data, "tmpfs", 0, "size=700m"); err != nil {
		s.t.Logf("no disk of its own may be mounted (%v): it does not fill up, and is never read-only", err)
		s.count["unmountable"] = 1
		return
	}
	s.t.Cleanup(func() {
		for range 100 { // for as long as a child that was killed holds something
			if syscall.Unmount(s.data, 0) == nil {
				return
			}
			s.pause(50 * time.Millisecond)
		}
		syscall.Unmount(s.data, syscall.MNT_DETACH)
	})
}

func (s *soak) prepare(short bool) {
	h, err := house.Open(s.data, false)
	if err != nil {
		s.t.Fatal(err)
	}
	defer h.Close()
	if err := seed(h); err != nil {
		s.t.Fatal(err)
	}
	p, err := h.Record.Edit(demoCode, store.Making{Summary: "for the soak"}, func(p *production.Production) error {
		if short {
			p.Qualities[0].Scale, p.Qualities[0].Samples = raster.Reduction{Percent: 5}, 1
		}
		return nil
	})
	if err != nil {
		s.t.Fatal(err)
	}
	s.send(h, p.Production, "checksums")
	scene, err := h.Assets.ImportOpaque(demo.SketchName, strings.NewReader(demo.Sketch()), demo.SketchScene())
	s.must(err)
	sketches := demo.Sketches(scene)
	sketches.Shots = sketches.Shots[:2] // without the one that is to be mended
	s.must(h.Record.Create(sketches, typist()))
	_, err = h.Record.SetOffered([]work.Renderer{
		{
			Renderer: fingerprint.Renderer{Name: standin.Name, Version: standin.Version},
			Scenes:   []string{standin.Ending},
		},
	})
	s.must(err)
	s.send(h, sketches, "checksums", "values")
	tools := s.t.TempDir()
	s.config = filepath.Join(tools, "config.json")
	script := filepath.Join(tools, "renderer.sh")
	other, err := demoConfiguration()
	s.must(err)
	other.Renderers[0].Line[0] = binary
	declared, err := json.Marshal(map[string]any{
		"name": standin.Name, "version": standin.Version, "needs": other.Renderers[0].Needs,
		"line":   other.Renderers[0].Line,
		"scenes": other.Renderers[0].Scenes, "files": other.Renderers[0].Files, "error": other.Renderers[0].Error,
		"progress": other.Renderers[0].Progress, "wrote": other.Renderers[0].Wrote,
	})
	s.must(err)
	config := fmt.Sprintf(
		`{"renderer":{"name":"moody","version":"1","command":%q},"renderers":[%s],"licences":{%q:1}}`,
		script,
		declared,
		standin.Name,
	)
	err = errors.Join(os.WriteFile(script, []byte(misbehaving), 0o755), os.WriteFile(s.config, []byte(config), 0o644))
	if err != nil {
		s.t.Fatal(err)
	}
	s.t.Setenv("SOAK_BINARY", binary)
	s.t.Setenv("SOAK_CALM", filepath.Join(tools, "calm"))
}

// send sends what a production's set-up makes, with what follows.
func (s *soak) send(h *house.House, p production.Production, kinds ...string) {
	s.t.Helper()
	follow, err := h.WantedFollowUps(production.Production{}, kinds, nil)
	s.must(err)
	how := house.Sending{Confirmed: true}
	how.FollowUps = follow
	id, err := h.SendDraft(p, how)
	s.must(err)
	s.batches = append(s.batches, soakBatch{p.Code, id})
}

// A soakBatch is one of those that the night is about.
type soakBatch struct {
	production string
	id         int64
}

// start starts the server. It has to come up whatever state the disk is in.
func (s *soak) start() {
	s.server = exec.Command(
		binary, "serve", "--data", s.data, "--listen", "127.0.0.1:0", "--config", s.config, "--frame-timeout", "25s",
	)
	var complaints bytes.Buffer
	s.server.Stderr = &complaints
	out, err := s.server.StdoutPipe()
	if err == nil {
		err = s.server.Start()
	}
	if err != nil {
		s.t.Fatal(err)
	}
	lines := bufio.NewScanner(out)
	if !lines.Scan() {
		s.server.Wait()
		s.t.Fatalf("the server did not start:\n%s", complaints.String())
	}
	s.address = strings.TrimSuffix(lines.Text()[strings.Index(lines.Text(), "http"):], "/")
	s.killed, s.ended = false, make(chan error, 1)
	go func(server *exec.Cmd, ended chan<- error) {
		io.Copy(io.Discard, out)
		ended <- server.Wait()
	}(s.server, s.ended)
	s.t.Cleanup(func() { s.server.Process.Kill() })
}

// disaster does one bad thing, and mends it after a while.
func (s *soak) disaster() {
	names := []string{
		"kill the server", "kill a child", "kill a supervisor", "the scene is away", "the disk is full",
		"the output is read-only", "nothing",
	}
	name := names[s.random.IntN(len(names))]
	s.count[name]++
	a := func(least, most int) { s.pause(time.Duration(least+s.random.IntN(most-least)) * time.Millisecond) }
	switch name {
	case "kill the server":
		s.kill()
		s.start()
	case "kill a child":
		s.killOne("render")
	case "kill a supervisor":
		s.killOne("supervise")
	case "the scene is away":
		scenes := filepath.Join(s.data, "scenes")
		if os.Rename(scenes, scenes+".away") == nil {
			a(500, 4000)
			s.must(os.Rename(scenes+".away", scenes))
		}
	case "the disk is full":
		s.fill(a)
	case "the output is read-only":
		s.readOnly(a)
	}
	a(300, 2500)
	select {
	case err := <-s.ended:
		s.t.Fatalf("after %q the server has ended by itself: %v", name, err)
	default:
	}
}

func (s *soak) must(err error) {
	s.t.Helper()
	if err != nil {
		s.t.Fatal(err)
	}
}

// pause lets the night go on.
func (s *soak) pause(d time.Duration) {
	ctx, cancel := context.WithTimeout(context.Background(), d)
	defer cancel()
	<-ctx.Done()
}

func (s *soak) kill() {
	s.killed = true
	s.server.Process.Kill()
	<-s.ended
}

// fill fills the disk to the last byte; sometimes the server is killed and started meanwhile.
func (s *soak) fill(a func(least, most int)) {
	if s.count["unmountable"] > 0 {
		return
	}
	ballast := filepath.Join(s.data, "ballast")
	f, err := os.Create(ballast)
	s.must(err)
	block := make([]byte, 1<<20)
	for len(block) > 0 {
		if _, err := f.Write(block); err != nil {
			block = block[:len(block)/2]
		}
	}
	f.Close()
	a(1000, 4000)
	if s.random.IntN(2) == 0 {
		s.kill()
		s.start()
		if status := s.get("/p/SALT/queue"); status != http.StatusOK {
			s.t.Errorf("on a full disk the queue answers with %d", status)
		}
	}
	s.must(os.Remove(ballast))
}

func (s *soak) readOnly(a func(least, most int)) {
	output := filepath.Join(s.data, "output")
	if s.count["unmountable"] > 0 || syscall.Mount(output, output, "", syscall.MS_BIND, "") != nil {
		return
	}
	s.must(syscall.Mount("", output, "", syscall.MS_REMOUNT|syscall.MS_BIND|syscall.MS_RDONLY, ""))
	a(500, 4000)
	s.must(syscall.Mount("", output, "", syscall.MS_REMOUNT|syscall.MS_BIND, ""))
	s.must(syscall.Unmount(output, syscall.MNT_DETACH))
}

// killOne kills one of the programs that the server has started.
func (s *soak) killOne(command string) {
	found := s.programs(func(line []string) bool { return len(line) > 1 && line[0] == binary && line[1] == command })
	if len(found) > 0 {
		syscall.Kill(found[s.random.IntN(len(found))], syscall.SIGKILL)
	}
}

// programs returns the processes of this house's work whose command line is as wanted.
func (s *soak) programs(wanted func(line []string) bool) []int {
	var pids []int
	found, _ := filepath.Glob("/proc/[0-9]*/environ")
	for _, path := range found {
		environment, err := os.ReadFile(path)
		if err != nil || !bytes.Contains(environment, []byte("REELHOUSE_WORK="+s.data)) {
			continue
		}
		line, err := os.ReadFile(filepath.Join(filepath.Dir(path), "cmdline"))
		pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(path)))
		if err == nil && len(line) > 0 && wanted(strings.Split(string(line), "\x00")) {
			pids = append(pids, pid)
		}
	}
	return pids
}

// look remembers finished files, and fails if one is another by now.
func (s *soak) look() {
	root := filepath.Join(s.data, "output")
	filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		switch hidden := err == nil && strings.HasPrefix(d.Name(), "."); {
		case hidden && d.IsDir(): // what was set aside, and folders that programs of other makers write into
			return fs.SkipDir
		case err != nil || hidden || !d.Type().IsRegular():
			return nil
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return nil
		}
		sum := sha256.Sum256(data)
		if was, known := s.seen[path]; known && was != sum {
			s.t.Errorf("%s is another file than before", path)
		}
		s.seen[path] = sum
		return nil
	})
}

func (s *soak) get(path string) int {
	answer, err := http.Get(s.address + path)
	if err != nil {
		return 0
	}
	defer answer.Body.Close()
	io.Copy(io.Discard, answer.Body)
	return answer.StatusCode
}

// press takes up what has failed, and what is held.
func (s *soak) press() {
	for _, event := range []string{"retry", "release"} {
		for _, b := range s.batches {
			answer, err := http.PostForm(s.address+"/p/SALT/act", url.Values{
				"event": {event}, "batch": {strconv.FormatInt(b.id, 10)}, "production": {b.production},
			})
			if err == nil {
				answer.Body.Close()
			}
		}
	}
}

func (s *soak) counts() queue.Counts {
	h, err := house.Open(s.data, true)
	s.must(err)
	defer h.Close()
	sum := queue.Counts{}
	for _, each := range s.batches {
		b, err := h.Record.BatchAlone(each.id)
		s.must(err)
		for state, n := range b.Sums {
			sum[state] += n
		}
	}
	return sum
}

// promised returns the paths of all files of both batches and of what follows, below the data folder.
func (s *soak) promised() []string {
	h, err := house.Open(s.data, true)
	s.must(err)
	defer h.Close()
	var paths []string
	for _, each := range s.batches {
		b, err := h.Record.Batch(each.id)
		s.must(err)
		following, err := h.Record.FollowUpsOf(each.id)
		s.must(err)
		for _, q := range slices.Concat(b.Sequences, following) {
			for n := range q.Spec.Frames.All() {
				for _, f := range q.Spec.Files {
					paths = append(paths, f.Path.Frame(n))
				}
			}
		}
	}
	slices.Sort(paths)
	return paths
}

func (s *soak) good() bool {
	c := s.counts()
	return c[queue.Good] == c.Total()
}

// calm ends the bad part of the night.
func (s *soak) calm() {
	s.must(os.WriteFile(os.Getenv("SOAK_CALM"), nil, 0o644))
}

// finish holds what is left against what was promised.
func (s *soak) finish() {
	s.look()
	s.must(s.server.Process.Signal(syscall.SIGTERM))
	if err := <-s.ended; err != nil {
		s.t.Errorf("the server ended with %v", err)
	}
	out, complaints, err := run(s.t, "verify", "--deep", "--data", s.data)
	if err != nil {
		s.t.Errorf("verify: %v\n%s%s", err, out, complaints)
	}
	want := s.promised()
	if got := finished(s.t, s.data); !slices.Equal(got, want) {
		s.t.Errorf("%d files are there, %d planned:\n%s", len(got), len(want), strings.Join(got, "\n"))
	}
	output := filepath.Join(s.data, "output")
	for path := range s.seen {
		if rel, _ := filepath.Rel(output, path); !slices.Contains(want, filepath.ToSlash(rel)) {
			s.t.Errorf("%s was seen, and is nothing that was planned", rel)
		}
	}
	if len(s.seen) != len(want) {
		s.t.Errorf("%d files were seen, %d planned", len(s.seen), len(want))
	}
	if left := s.programs(func([]string) bool { return true }); len(left) > 0 {
		s.t.Errorf("programs are left: %v", left)
	}
	for _, pattern := range []string{"work/*", "work/tiles/*"} {
		left, _ := filepath.Glob(filepath.Join(s.data, pattern))
		for _, path := range left {
			if filepath.Base(path) != "tiles" {
				s.t.Errorf("%s is left", path)
			}
		}
	}
}
