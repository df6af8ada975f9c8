package main

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"reelhouse/core/frame"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/farm/wire"
	"reelhouse/house"
)

// lastPort is the one that freeAddresses has returned last. It begins below those that systems give to who asks for
// any, so that no test takes a port between its being free and its being used.
var lastPort = 10000 + os.Getpid()%10000

// freeAddresses returns addresses beside each other that nobody listens at.
func freeAddresses(t *testing.T, number int) (all []string) {
	t.Helper()
	for range 1000 {
		lastPort++
		address := "127.0.0.1:" + strconv.Itoa(lastPort)
		l, err := net.Listen("tcp", address)
		if err != nil {
			all = nil
			continue
		}
		l.Close()
		if all = append(all, address); len(all) == number {
			return all
		}
	}
	t.Fatalf("no %d ports beside each other are free", number)
	return nil
}

// farmAddress returns an address where nodes can be let in, whose next port is free, too.
func farmAddress(t *testing.T) string {
	t.Helper()
	return freeAddresses(t, 2)[0]
}

// A badLine is a line between nodes and their house that can be cut and slow.
type badLine struct {
	listener net.Listener
	to       string

	mutex sync.Mutex
	open  map[net.Conn]bool
	down  bool
	delay time.Duration
}

func newBadLine(t *testing.T, to string) *badLine {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	l := &badLine{listener: listener, to: to, open: map[net.Conn]bool{}}
	t.Cleanup(func() { listener.Close(); l.cut(true) })
	go func() {
		for {
			c, err := listener.Accept()
			if err != nil {
				return
			}
			go l.join(c)
		}
	}()
	return l
}

func (l *badLine) address() string { return l.listener.Addr().String() }

func (l *badLine) join(c net.Conn) {
	l.mutex.Lock()
	down := l.down
	l.mutex.Unlock()
	other, err := net.Dial("tcp", l.to)
	if err != nil || down {
		c.Close()
		return
	}
	for _, pair := range [][2]net.Conn{{c, other}, {other, c}} {
		l.mutex.Lock()
		l.open[pair[0]] = true
		l.mutex.Unlock()
		go func() {
			defer pair[0].Close()
			defer pair[1].Close()
			buffer := make([]byte, 32<<10)
			for {
				n, err := pair[0].Read(buffer)
				l.mutex.Lock()
				delay := l.delay
				l.mutex.Unlock()
				time.Sleep(delay) // which is what a slow line does
				if n > 0 {
					if _, err := pair[1].Write(buffer[:n]); err != nil {
						return
					}
				}
				if err != nil {
					l.mutex.Lock()
					delete(l.open, pair[0])
					l.mutex.Unlock()
					return
				}
			}
		}()
	}
}

// cut ends all connections, and lets no new ones in if it is down.
func (l *badLine) cut(down bool) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.down = down
	for c := range l.open {
		c.Close()
	}
	l.open = map[net.Conn]bool{}
}

func (l *badLine) slow(delay time.Duration) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.delay = delay
}

// A testNode is a node as a process with a folder of its own.
type testNode struct {
	name, token, scratch string
	cmd                  *exec.Cmd
}

// letIn makes a token for a node, whose lines are bad ones if there are any.
func letIn(t *testing.T, data, name string, messages, bytes *badLine) *testNode {
	t.Helper()
	out, complaints, err := run(t, "node-token", "--name", name, "--data", data)
	if err != nil {
		t.Fatal(complaints, err)
	}
	token, err := wire.ParseToken(out)
	if err != nil {
		t.Fatal(err)
	}
	if messages != nil {
		token.Messages, token.Bytes = []string{messages.address()}, []string{bytes.address()}
	}
	n := &testNode{name: name, token: filepath.Join(t.TempDir(), "token"), scratch: t.TempDir()}
	if err := os.WriteFile(n.token, []byte(token.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(n.kill)
	return n
}

func (n *testNode) start(t *testing.T, args ...string) {
	t.Helper()
	n.cmd = exec.Command(binary, append([]string{
		"node", "--token", n.token, "--scratch", n.scratch, "--slots", "1",
	}, args...)...)
	if testing.Verbose() {
		n.cmd.Stderr = os.Stderr
	}
	if err := n.cmd.Start(); err != nil {
		t.Fatal(err)
	}
}

// kill ends it as a failing machine would; what it started ends with it.
func (n *testNode) kill() {
	if n.cmd != nil {
		n.cmd.Process.Kill()
		n.cmd.Wait()
		n.cmd = nil
	}
}

// hashes returns the hash of each file below the output folder.
func hashes(t *testing.T, data string) map[string]string {
	t.Helper()
	all := map[string]string{}
	for _, path := range finished(t, data) {
		text, err := os.ReadFile(filepath.Join(data, "output", path))
		if err != nil {
			t.Fatal(err)
		}
		all[path] = fmt.Sprintf("%x", sha256.Sum256(text))
	}
	return all
}

// farmed is a small production of a shot, and of a still that is rendered in tiles.
func farmed(t *testing.T, frames string) string {
	return seeded(t, func(p *production.Production) {
		p.Shots = []production.Shot{p.Shots[0], p.Shots[3]}
		p.Shots[0].Frames = frame.MustParse(frames)
		still := &p.Shots[1]
		still.Sizes, still.Tiles = []string{"scope"}, []production.CellTiles{
			{Cell: production.Cell{View: still.View, Size: "scope"}, Tiles: raster.Tiling{Columns: 2, Rows: 2}},
		}
	})
}

// allGood reports whether all frames are good.
func allGood(c queue.Counts) bool { return c.Total() > 0 && c[queue.Good] == c.Total() }

// sendFarmed sends it, with a list of checksums of each sequence.
func sendFarmed(t *testing.T, data string) {
	t.Helper()
	out, complaints, err := run(t, "send", "--production", demoCode, "--quality", "draft", "--data", data, "--shots",
		"010,040", "--follow-up", "checksums")
	if err != nil {
		t.Fatal(out, complaints, err)
	}
}

// Three nodes that share nothing with their house render what one machine does: the same bytes, every frame by one of
// them, tiles of a still that a fourth one puts together, and what follows the frames, too.
func TestNodesRenderWhatOneMachineDoes(t *testing.T) {
	alone := farmed(t, "1001-1024")
	sendFarmed(t, alone)
	start(t, alone)
	until(t, alone, allGood)

	data := farmed(t, "1001-1024")
	config := filepath.Join(t.TempDir(), "config.json") // a fourth one puts the tiles together, and renders nothing
	if err := os.WriteFile(config, []byte(`{"kinds": [{"name": "assemble", "needs": "labels=joins"},
		{"name": "render", "needs": "labels=renders"}]}`), 0o600); err != nil {
		t.Fatal(err)
	}
	start(t, data, "--farm", farmAddress(t), "--no-node", "--farm-beat", "200ms", "--farm-check", "25", "--config",
		config)
	letIn(t, data, "attic", nil, nil).start(t, "--labels", "joins")
	names := []string{"shed", "loft", "cellar"}
	for i, name := range names {
		args := []string{"--labels", "renders"}
		if i == 2 { // this one has the output folder, too, under another path
			here := filepath.Join(t.TempDir(), "mounted")
			if err := os.Symlink(filepath.Join(data, "output"), here); err != nil {
				t.Fatal(err)
			}
			args = append(args, "--share", filepath.Join(data, "output")+"="+here)
		}
		letIn(t, data, name, nil, nil).start(t, args...)
	}
	sendFarmed(t, data)
	until(t, data, allGood)
	out, complaints, err := run(t, "wait", "1", "--timeout", "1m", "--data", data)
	if err != nil {
		t.Fatal(out, complaints, err)
	}
	run(t, "wait", "1", "--timeout", "1m", "--data", alone)
	want, got := hashes(t, alone), hashes(t, data)
	for path, sum := range want {
		if got[path] != sum {
			t.Errorf("%s is another file: %s, not %s", path, got[path], sum)
		}
	}
	if len(got) != len(want) {
		t.Errorf("%d files, not %d", len(got), len(want))
	}
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	b, err := h.Record.Batch(1)
	if err != nil {
		t.Fatal(err)
	}
	by, shared, still := map[string]int{}, 0, ""
	for _, q := range b.Sequences {
		frames, err := h.Record.Frames(q.ID)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range frames {
			by[f.Node]++
			if q.Spec.Shot == "040" {
				still = f.Node
			}
			logs, err := h.Record.Logs(q.ID, f.Number)
			if err != nil {
				t.Fatal(err)
			}
			for _, l := range logs {
				if strings.Contains(l.Text, "written to a shared folder") {
					if shared++; f.Node != names[2] {
						t.Errorf("%s has no shared folder", f.Node)
					}
				}
			}
		}
	}
	for _, name := range names {
		if by[name] == 0 {
			t.Errorf("%s rendered nothing: %v", name, by)
		}
	}
	for _, name := range names { // who rendered what is found both ways
		made, more, err := h.Record.RenderedBy(name, 100)
		n := 0
		for _, r := range made {
			if r.Sequence.Spec.FollowUp == nil {
				n += r.Frames.Count()
			}
		}
		if err != nil || more > 0 || n != by[name] {
			t.Errorf("%s has made %d frames, and not %d (%d more, %v)", name, by[name], n, more, err)
		}
	}
	if shared == 0 {
		t.Error("nothing was written to the shared folder")
	}
	if len(by) != len(names)+1 || still != "attic" {
		t.Errorf("somebody else rendered: %v, and %s put the still together", by, still)
	}
	text, complaints, err := run(t, "nodes", "--json", "--data", data)
	if err != nil {
		t.Fatal(complaints, err)
	}
	var rows []nodeRow
	if err := json.Unmarshal([]byte(text), &rows); err != nil || len(rows) != 4 || rows[0].Cores == 0 {
		t.Errorf("%v\n%s", err, text)
	}
	for _, r := range rows { // frames that were rendered twice came out the same
		if r.Paused != "" || r.Counts.Refused > 0 {
			t.Errorf("%+v", r)
		}
	}
}

// Nodes are killed and come back, lines are cut and slow, the house is killed: at the end every frame is good, nothing
// was published twice, and the record is sound.
func TestAFarmSurvivesWhatGoesWrong(t *testing.T) {
	faults := 200
	if n, err := strconv.Atoi(os.Getenv("REELHOUSE_FAULTS")); err == nil {
		faults = n
	}
	patience := 2*time.Minute + time.Duration(faults)*4*time.Second // several times what it takes
	data, address := farmed(t, fmt.Sprintf("1001-%d", 1040+faults/2)), farmAddress(t)
	host, port, _ := net.SplitHostPort(address)
	number, _ := strconv.Atoi(port)
	messages := newBadLine(t, address)
	bytes := newBadLine(t, net.JoinHostPort(host, strconv.Itoa(number+1)))
	serve := func() *served {
		return start(t, data, "--farm", address, "--no-node", "--farm-beat", "100ms", "--farm-lease", "2s")
	}
	s := serve()
	var nodes []*testNode
	for _, name := range []string{"shed", "loft", "cellar"} {
		n := letIn(t, data, name, messages, bytes)
		n.start(t)
		nodes = append(nodes, n)
	}
	sendFarmed(t, data)
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	random := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 23))
	rest := func(least, most int) {
		select {
		case <-ctx.Done():
			t.Fatalf("counts are %v", counts(t, data))
		case <-time.After(time.Duration(least+random.IntN(most-least)) * time.Millisecond):
		}
	}
	done := map[string]int{}
	for i := range faults {
		rest(50, 300)
		n := nodes[random.IntN(len(nodes))]
		line := []*badLine{messages, bytes}[random.IntN(2)]
		switch kind := random.IntN(10); {
		case kind < 3:
			done["node killed"]++
			n.kill()
			rest(10, 400)
			n.start(t)
		case kind < 6:
			done["line cut"]++
			line.cut(false)
		case kind < 7:
			done["line down"]++
			line.cut(true)
			rest(200, 2500) // longer than a lease now and then
			line.cut(false)
		case kind < 8:
			done["line slow"]++
			line.slow(time.Duration(random.IntN(200)) * time.Millisecond)
			rest(100, 600)
			line.slow(0)
		default:
			if i%3 == 0 {
				done["house killed"]++
				s.cmd.Process.Kill()
				s.cmd.Wait()
				rest(10, 500)
				s = serve()
			}
		}
	}
	t.Logf("%v, and %v then", done, counts(t, data))
	for !allGood(counts(t, data)) {
		rest(100, 200)
	}
	for _, n := range nodes {
		n.kill()
	}
	s.cmd.Process.Signal(os.Interrupt)
	s.cmd.Wait()
	record, err := sql.Open("sqlite", filepath.Join(data, "reelhouse.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer record.Close()
	var sound string
	if err := record.QueryRow("PRAGMA integrity_check").Scan(&sound); err != nil || sound != "ok" {
		t.Errorf("the record is %s, %v", sound, err)
	}
	out, complaints, err := run(t, "verify", "--deep", "--data", data)
	if err != nil {
		t.Errorf("%v\n%s%s", err, out, complaints)
	}
	var left []string
	for _, path := range finished(t, data) {
		if strings.Contains(path, house.PartMark) {
			left = append(left, path)
		}
	}
	if len(left) > 0 {
		t.Errorf("files under way are left: %v", slices.Compact(left))
	}
}

// House and nodes are replaced by another version of the program, one after another, at no cost of a try.
func TestHouseAndNodesAreReplacedWhileTheyWork(t *testing.T) {
	newer := binary
	defer func() { binary = newer }()
	binary = filepath.Join(t.TempDir(), "older")
	build := exec.Command("go", "build", "-ldflags", "-X main.version=0.0.9", "-o", binary, ".")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	data, address := farmed(t, "1001-1060"), farmAddress(t)
	serve := func() *served {
		return start(t, data, "--farm", address, "--no-node", "--farm-beat", "100ms", "--farm-lease", "5s")
	}
	s := serve()
	var nodes []*testNode
	for _, name := range []string{"shed", "loft"} {
		n := letIn(t, data, name, nil, nil)
		n.start(t)
		nodes = append(nodes, n)
	}
	sendFarmed(t, data)
	good := func(n int) {
		t.Helper()
		until(t, data, func(c queue.Counts) bool { return c[queue.Good] >= n })
	}
	good(6)
	s.cmd.Process.Signal(os.Interrupt)
	s.cmd.Wait()
	older := binary
	binary = newer
	serve()
	good(24) // nodes of the version before go on
	said, complaints, err := run(t, "nodes", "--json", "--data", data)
	if err != nil || !strings.Contains(said, `"program": "0.0.9"`) || strings.Contains(said, `"lacks"`) {
		t.Error(said, complaints, err)
	}
	for i, n := range nodes {
		n.cmd.Process.Signal(os.Interrupt)
		n.cmd.Wait()
		n.start(t)
		good(24 + 8*(i+1))
	}
	// One that was put back to the version before works for the newer house.
	binary = older
	nodes[0].cmd.Process.Signal(os.Interrupt)
	nodes[0].cmd.Wait()
	nodes[0].start(t)
	until(t, data, allGood)
	binary = newer
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	all, err := h.Record.Nodes()
	if err != nil {
		t.Fatal(err)
	}
	for _, n := range all {
		if n.Failed+n.Refused > 0 || n.Done == 0 {
			t.Errorf("%s: %+v", n.Name, n.NodeCounts)
		}
	}
	if out, complaints, err := run(t, "verify", "--deep", "--data", data); err != nil {
		t.Error(out, complaints, err)
	}
}

// A house that comes back from a backup, as docs/farm.md says how to make one, is the house that its nodes know: they
// go on with the tokens that they have, and what was rendered since is rendered again.
func TestAHouseComesBackFromABackup(t *testing.T) {
	data, address := farmed(t, "1001-1040"), farmAddress(t)
	serve := func(data string) *served {
		return start(t, data, "--farm", address, "--no-node", "--farm-beat", "100ms", "--farm-lease", "2s")
	}
	s := serve(data)
	n := letIn(t, data, "shed", nil, nil)
	n.start(t)
	sendFarmed(t, data)
	until(t, data, func(c queue.Counts) bool { return c[queue.Good] >= 8 })
	copied := t.TempDir()
	h, err := house.Open(data, true) // while the server runs
	if err != nil {
		t.Fatal(err)
	}
	if err := h.Record.Backup(filepath.Join(copied, "reelhouse.db")); err != nil {
		t.Fatal(err)
	}
	h.Close()
	until(t, data, func(c queue.Counts) bool { return c[queue.Good] >= 16 })
	s.cmd.Process.Kill()
	s.cmd.Wait()
	for _, folder := range []string{"scenes", "environments", "sounds", "references", "luts", "output", "farm"} {
		from := filepath.Join(data, folder)
		if _, err := os.Stat(from); err != nil {
			continue
		}
		if err := os.CopyFS(filepath.Join(copied, folder), os.DirFS(from)); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.RemoveAll(filepath.Join(copied, "farm", "jetstream")); err != nil {
		t.Fatal(err)
	}
	serve(copied)
	until(t, copied, allGood)
	if out, complaints, err := run(t, "verify", "--deep", "--data", copied); err != nil {
		t.Error(out, complaints, err)
	}
}
