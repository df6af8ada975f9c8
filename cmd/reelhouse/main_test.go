package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"reelhouse/core/plan"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/raster"
	"reelhouse/core/stamp"
	"reelhouse/house"
	"reelhouse/store"
)

// binary is the program under test, built once.
var binary string

func TestMain(m *testing.M) {
	if configuration := os.Getenv(natsVariable); configuration != "" {
		os.Exit(serveNATS(configuration))
	}
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "reelhouse-test-")
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(dir)
		binary = filepath.Join(dir, "reelhouse")
		if out, err := exec.Command("go", "build", "-o", binary, ".").CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "%v\n%s", err, out)
			return 1
		}
		return m.Run()
	}())
}

// seeded returns a data folder with the demo production, its draft made so small that a frame takes
// moments; change may alter it further.
func seeded(t *testing.T, change func(p *production.Production)) string {
	t.Helper()
	dir := t.TempDir()
	h, err := house.Open(dir, false)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	if err := seed(h); err != nil {
		t.Fatal(err)
	}
	_, err = h.Record.Edit(demoCode, store.Making{Summary: "small"}, func(p *production.Production) error {
		p.Qualities[0].Scale, p.Qualities[0].Samples = raster.Reduction{Percent: 5}, 1
		if change != nil {
			change(p)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return dir
}

// run runs the program to its end.
func run(t *testing.T, args ...string) (output, complaints string, err error) {
	t.Helper()
	var out, errs bytes.Buffer
	cmd := exec.Command(binary, args...)
	cmd.Stdout, cmd.Stderr = &out, &errs
	err = cmd.Run()
	return out.String(), errs.String(), err
}

// planned returns every path that `plan --json` promises.
func planned(t *testing.T, data string) ([]plan.Row, []string) {
	t.Helper()
	out, complaints, err := run(t, "plan", "--json", "--data", data)
	if err != nil {
		t.Fatalf("%v\n%s", err, complaints)
	}
	var rows []plan.Row
	if err := json.Unmarshal([]byte(out), &rows); err != nil {
		t.Fatal(err)
	}
	var paths []string
	for _, r := range rows {
		for n := range r.Frames.All() {
			paths = append(paths, r.Pattern.Frame(n))
		}
	}
	slices.Sort(paths)
	return rows, paths
}

// finished returns every file below the output folder.
func finished(t *testing.T, data string) []string {
	t.Helper()
	root := filepath.Join(data, "output")
	var paths []string
	err := filepath.WalkDir(root, func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			rel, _ := filepath.Rel(root, path)
			paths = append(paths, filepath.ToSlash(rel))
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(paths)
	return paths
}

// The demo's whole draft batch, smaller than a person would make it: the files are where `plan --json`
// said, no more and no fewer, and the OpenEXR project's and OpenImageIO's tools read every one.
func TestHeadlessDemoMakesExactlyThePlannedFiles(t *testing.T) {
	data := seeded(t, nil)
	rows, want := planned(t, data)
	out, complaints, err := run(t, "demo", "--headless", "--data", data)
	if err != nil || !strings.Contains(out, "all 149 frames are good") {
		t.Fatalf("%v\n%s\n%s", err, out, complaints)
	}
	if got := finished(t, data); !slices.Equal(got, want) {
		t.Errorf("%d files instead of %d, or elsewhere: %v", len(got), len(want), got[:min(3, len(got))])
	}
	if out, _, err := run(t, "inspect", filepath.Join(data, "output")); err != nil ||
		!strings.Contains(out, fmt.Sprintf("%d files, %d good, 0 not", len(want), len(want))) {
		t.Errorf("inspect: %v\n%s", err, out)
	}
	for _, path := range []string{want[0], "SALT/010/review/scope/v001/beauty/010_quay_scope_beauty.1002.png",
		"SALT/050/proxy/hd/v001/beauty/050_alongside_hd_beauty.1074.jpg"} {
		out, _, err := run(t, "inspect", "--facts", filepath.Join(data, "output", path))
		for _, says := range []string{"production: SALT", "timecode: 10:00:0", "lens: ", "fingerprint: ",
			"framesPerSecond: 24/1"} {
			if err != nil || !strings.Contains(out, says) || strings.Contains(out, "date: ") {
				t.Errorf("%s does not say %q: %v\n%s", path, says, err, out)
			}
		}
	}
	for _, tool := range []string{"exrheader", "oiiotool"} {
		if _, err := exec.LookPath(tool); err != nil {
			t.Fatalf("%s is not installed; `make test` installs it", tool)
		}
	}
	var files []string
	for _, path := range want {
		if strings.HasSuffix(path, ".exr") {
			files = append(files, filepath.Join(data, "output", path))
		}
	}
	if len(files) != 149 {
		t.Errorf("%d OpenEXR files, want one a frame", len(files))
	}
	header, err := exec.Command("exrheader", files...).CombinedOutput()
	if err != nil {
		t.Fatalf("exrheader: %v\n%s", err, header)
	}
	depths := 0
	for _, r := range rows {
		depths += r.Count * strings.Count(fmt.Sprint(r.Passes), "depth")
	}
	for line, count := range map[string]int{
		"    R, 16-bit floating-point": len(files), "    depth.Z, 32-bit floating-point": depths,
		"framesPerSecond (type rational): 24/1": len(files),
		`reelhouse:shot (type string): "020"`:   48, `reelhouse:view (type string): "quay"`: 48,
		"reelhouse:frame (type int): 1048": 1,
	} {
		if got := strings.Count(string(header), line); got != count {
			t.Errorf("exrheader says %q %d times, want %d", line, got, count)
		}
	}
	stats, err := exec.Command("oiiotool", append([]string{"--info", "-v", "--stats"}, files...)...).CombinedOutput()
	if err != nil || strings.Contains(string(stats), "ERROR") ||
		strings.Count(string(stats), "Stats FiniteCount") != len(files) {
		t.Errorf(
			"oiiotool: %v, %d statistics\n%.3000s",
			err,
			strings.Count(string(stats), "Stats FiniteCount"),
			stats,
		)
	}
}

// A server under test.
type served struct {
	cmd *exec.Cmd
	url string
}

func start(t *testing.T, data string, args ...string) *served {
	t.Helper()
	return startAs(t, "serve", data, args...)
}

func startAs(t *testing.T, command, data string, args ...string) *served {
	t.Helper()
	cmd := exec.Command(binary, append([]string{command, "--data", data, "--listen", "127.0.0.1:0"}, args...)...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	said := filepath.Join(t.TempDir(), "said")
	if testing.Verbose() {
		cmd.Stderr = os.Stderr
	} else {
		f, err := os.Create(said)
		if err != nil {
			t.Fatal(err)
		}
		defer f.Close()
		cmd.Stderr = f
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		cmd.Process.Signal(os.Interrupt)
		cmd.Wait()
	})
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		text, _ := os.ReadFile(said)
		t.Fatalf("the server did not say where it is: %v\n%s", err, text)
	}
	_, url, _ := strings.Cut(strings.TrimSpace(line), "Reelhouse is at ")
	return &served{cmd, strings.TrimSuffix(url, "/")}
}

// counts reads the batches' states beside a running server.
func counts(t *testing.T, data string) queue.Counts {
	t.Helper()
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	batches, err := h.Record.Batches(demoCode)
	if err != nil {
		t.Fatal(err)
	}
	sum := queue.Counts{}
	for _, b := range batches {
		for state, n := range b.Counts() {
			sum[state] += n
		}
	}
	return sum
}

// until polls the record, which has no other way to tell a second process, until wanted holds.
func until(t *testing.T, data string, wanted func(c queue.Counts) bool) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
	defer cancel()
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for !wanted(counts(t, data)) {
		select {
		case <-tick.C:
		case <-ctx.Done():
			t.Fatalf("counts stay at %v", counts(t, data))
		}
	}
}

// kill -9 of the server in the middle of a batch, twice: it goes on by itself, renders no good frame twice,
// misses none, and leaves no partial file under a final name.
func TestABatchSurvivesTheServersDeath(t *testing.T) {
	data := seeded(t, func(p *production.Production) {
		p.Shots = p.Shots[:1]
		// The review's stamp tells the render time, so that a frame rendered again has other bytes.
		p.Outputs[1].Stamp = p.Outputs[1].Stamp.With(stamp.TopMiddle, "(rendertime)")
	})
	h, err := house.Open(data, false)
	if err != nil {
		t.Fatal(err)
	}
	p, err := h.Record.Production(demoCode)
	if err != nil {
		t.Fatal(err)
	}
	id, err := h.SendDraft(p.Production, house.Sending{})
	if err != nil {
		t.Fatal(err)
	}
	if err := h.Close(); err != nil {
		t.Fatal(err)
	}
	good := map[string]time.Time{} // when each good file was written
	for _, enough := range []int{6, 20} {
		s := start(t, data)
		until(t, data, func(c queue.Counts) bool { return c[queue.Good] >= enough && c[queue.Rendering] > 0 })
		if err := s.cmd.Process.Kill(); err != nil {
			t.Fatal(err)
		}
		s.cmd.Wait()
		h, err := house.Open(data, true)
		if err != nil {
			t.Fatal(err)
		}
		b, err := h.Record.Batch(id)
		if err != nil {
			t.Fatal(err)
		}
		frames, err := h.Record.Frames(b.Sequences[0].ID)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range frames {
			if f.State != queue.Good {
				continue
			}
			files, err := h.Record.Files(f.SequenceID, f.Number)
			if err != nil || len(files) != 2 {
				t.Fatalf("frame %d: %v, %v", f.Number, files, err)
			}
			for _, file := range files {
				info, err := os.Stat(filepath.Join(data, "output", file.Path))
				if err != nil {
					t.Fatalf("a good frame has no file: %v", err)
				}
				if before, known := good[file.Path]; known && !before.Equal(info.ModTime()) {
					t.Errorf("%s was good and was written again", file.Path)
				}
				good[file.Path] = info.ModTime()
			}
		}
		h.Close()
		var whole []string
		for _, path := range finished(t, data) {
			if !strings.Contains(path, ".part-") {
				whole = append(whole, filepath.Join(data, "output", path))
			}
		}
		if out, _, err := run(t, append([]string{"inspect"}, whole...)...); err != nil {
			t.Errorf("a partial file has a final name:\n%s", out)
		}
	}
	start(t, data)
	until(t, data, func(c queue.Counts) bool { return c[queue.Good] == 48 })
	for path, before := range good {
		if info, err := os.Stat(filepath.Join(data, "output", path)); err != nil || !info.ModTime().Equal(before) {
			t.Errorf("%s was good and was written again: %v", path, err)
		}
	}
	if got := finished(t, data); len(got) != 96 {
		t.Errorf("%d files, want 96: %v", len(got), got)
	}
}

// The renderer, as a child process, writes the same bytes on one core and on all, and again.
func TestTheRendererWritesTheSameBytesEveryTime(t *testing.T) {
	data := seeded(t, nil)
	dir := t.TempDir()
	h, err := house.Open(data, true)
	if err != nil {
		t.Fatal(err)
	}
	defer h.Close()
	p, err := h.Record.Production(demoCode)
	if err != nil {
		t.Fatal(err)
	}
	looks, err := json.Marshal(p.Looks[0])
	if err != nil {
		t.Fatal(err)
	}
	var first []byte
	for i, cores := range []string{"1", "2", "2"} {
		out := filepath.Join(dir, fmt.Sprint(i, ".exr"))
		text := fmt.Sprintf(
			`{"version":1,"scene":%q,"view":{"name":"bow","camera":"cam_bow","look":%s},"rate":{"numerator":24,
				"denominator":1},"firstFrame":1001,
			"size":{"width":120,"height":50},"passes":["beauty","depth","normal","object"],"samples":2,
				"filter":"gaussian","depthBackground":1000,
			"frames":[{"number":1040,"files":[{"path":%q,"encoding":{"format":"exr","depth":"by-pass",
				"compression":"zip","level":4,"alpha":"premultiplied","curve":"linear"},"passes":["beauty","depth",
					"normal","object"]}]}],"facts":[]}`,
			h.Assets.ScenePath(p.Scene),
			looks,
			out,
		)
		job := filepath.Join(dir, "job.json")
		if err := os.WriteFile(job, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		cmd := exec.Command(binary, "render", job)
		cmd.Env = append(os.Environ(), "GOMAXPROCS="+cores)
		if said, err := cmd.CombinedOutput(); err != nil || !strings.Contains(string(said), `"event":"finished"`) {
			t.Fatalf("%v\n%s", err, said)
		}
		data, err := os.ReadFile(out)
		if err != nil {
			t.Fatal(err)
		}
		if first == nil {
			first = data
		} else if !bytes.Equal(first, data) {
			t.Errorf("run %d on %s cores wrote other bytes", i, cores)
		}
	}
}

func TestMistakesAreSaidClearly(t *testing.T) {
	data := seeded(t, nil)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	config := filepath.Join(t.TempDir(), "config.json")
	if err := os.WriteFile(config, []byte(`{"rendrer":{}}`), 0o644); err != nil {
		t.Fatal(err)
	}
	broken := filepath.Join(t.TempDir(), "broken.exr")
	if err := os.WriteFile(broken, []byte("\x76\x2f\x31\x01\x02"), 0o644); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		args []string
		says string
	}{
		"port in use": {[]string{"serve", "--data", data, "--listen", l.Addr().String()},
			"choose another address with --listen"},
		"no data":      {[]string{"plan", "--data", filepath.Join(data, "nothing")}, "there is no Reelhouse data"},
		"wrong config": {[]string{"serve", "--data", data, "--listen", "127.0.0.1:0", "--config", config}, "rendrer"},
		"no job":       {[]string{"render", filepath.Join(data, "none.json")}, "no such file"},
		"broken file":  {[]string{"inspect", broken}, "BAD"},
		"no file":      {[]string{"inspect", filepath.Join(data, "none.exr")}, "no such file"},
		"production":   {[]string{"plan", "--data", data, "--production", "NONE"}, "not found"},
	} {
		out, complaints, err := run(t, c.args...)
		if err == nil || !strings.Contains(out+complaints, c.says) {
			t.Errorf("%s: %v\n%s%s", name, err, out, complaints)
		}
	}
	if out, _, err := run(t, "version"); err != nil || !strings.HasPrefix(out, "reelhouse ") {
		t.Errorf("version: %v %s", err, out)
	}
}

// readByThree holds what three.js reads of the demo's cameras in USD against the demo.
func readByThree(t *testing.T, file string) {
	t.Helper()
	out, err := exec.Command("node", "../../scripts/gltf/usd.mjs", file).CombinedOutput()
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	var read struct {
		Layer struct {
			DefaultPrim, UpAxis               string
			MetersPerUnit, TimeCodesPerSecond float64
		}
		Cameras map[string]map[string]float64
	}
	if err := json.Unmarshal(out, &read); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	l := read.Layer
	if l.DefaultPrim != "Cameras" || l.UpAxis != "Y" || l.MetersPerUnit != 0.01 || l.TimeCodesPerSecond != 24 ||
		len(read.Cameras) != 14 {
		t.Errorf("the layer is %+v with %d cameras", l, len(read.Cameras))
	}
	if quay := read.Cameras["/Cameras/quay"]; math.Abs(quay["focalLength"]-34) > 0.01 ||
		quay["horizontalAperture"] != 36 {
		t.Errorf("the quay's camera is %v", quay)
	}
}

// What a scene file holds, and the cameras of the demo for compositing: glTF that the Khronos Group's validator
// accepts, and USD text with a transform at every frame.
func TestScenesAreReportedAndCamerasWritten(t *testing.T) {
	data := seeded(t, nil)
	scenes, err := filepath.Glob(filepath.Join(data, "scenes", "*"))
	if err != nil || len(scenes) != 1 {
		t.Fatalf("%v, %v", scenes, err)
	}
	if out, _, err := run(t, "scene", scenes[0]); err != nil ||
		!strings.Contains(out, "camera     cam_quay: 34.0 mm, 55.79° across") ||
		!strings.HasSuffix(out, "\nusable\n") {
		t.Errorf("%v\n%s", err, out)
	}
	var report struct {
		Triangles int
		Cameras   []struct{ Name string }
		Findings  []any
	}
	if out, _, err := run(t, "scene", "--json", scenes[0]); err != nil ||
		json.Unmarshal([]byte(out), &report) != nil ||
		len(report.Cameras) != 5 ||
		report.Triangles < 100_000 ||
		len(report.Findings) > 0 {
		t.Errorf("%v\n%s", err, out)
	}
	two := filepath.Join(t.TempDir(), "two.gltf")
	if err := os.WriteFile(two, []byte(`{"asset":{"version":"2.0"},"scenes":[{"name":"day"},{"name":"night",
		"nodes":[0]}],"nodes":[{"name":"cam","camera":0}],"cameras":[{"type":"perspective","perspective":{"yfov":1,
			"znear":0.1}}]}`), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, _, err := run(t, "scene", "--scene", "2", two); !strings.Contains(out, "scene      2 of 2: day, night") ||
		!strings.Contains(out, "camera     cam:") {
		t.Errorf("the second scene: %v\n%s", err, out)
	}
	blind := filepath.Join(t.TempDir(), "blind.gltf")
	if err := os.WriteFile(blind, []byte(`{"asset":{"version":"2.0"},"scenes":[{}]}`), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, _, err := run(t, "scene", blind); err == nil || !strings.Contains(out, "There is no camera in it") ||
		!strings.Contains(out, "NOT usable") {
		t.Errorf("a scene of nothing: %v\n%s", err, out)
	}
	usd := filepath.Join(data, "cameras.usda")
	if _, complaints, err := run(t, "cameras", "--data", data, usd); err != nil || complaints != "" {
		t.Fatalf("%v\n%s", err, complaints)
	}
	text, err := os.ReadFile(usd)
	if err != nil {
		t.Fatal(err)
	}
	if n := strings.Count(string(text), "def Camera"); n != 14 ||
		!strings.Contains(string(text), `def Camera "cut"`) ||
		!strings.Contains(string(text), "endTimeCode = 1144") ||
		strings.Count(string(text), "\n            1144: (") != 2 {
		t.Errorf("%d cameras:\n%.600s", n, text)
	}
	readByThree(t, usd)
	if _, _, err := run(t, "cameras", "--data", data, usd); err == nil {
		t.Error("a file was overwritten")
	}
	glb := filepath.Join(data, "cameras.glb")
	if _, _, err := run(t, "cameras", "--data", data, "--format", "gltf", "--view", "bow", "--view", "quay",
		glb); err != nil {
		t.Fatal(err)
	}
	check, err := filepath.Abs("../../scripts/gltf/validate.js")
	if err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command("node", check, glb).CombinedOutput()
	if err != nil {
		t.Fatalf("the glTF validator is not installed; `make test` installs it: %s", out)
	}
	var issues struct{ NumErrors, NumWarnings int }
	if err := json.Unmarshal(out, &issues); err != nil || issues.NumErrors+issues.NumWarnings > 0 {
		t.Errorf("the validator says %s", out)
	}
}
