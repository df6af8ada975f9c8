package gate

import (
	"bytes"
	"context"
	"crypto/tls"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
	"github.com/nats-io/nkeys"
	"github.com/prometheus/client_golang/prometheus"

	"reelhouse/bucket/buckettest"
	"reelhouse/core/fingerprint"
	"reelhouse/core/job"
	"reelhouse/core/production"
	"reelhouse/core/queue"
	"reelhouse/core/work"
	"reelhouse/farm"
	"reelhouse/farm/wire"
	"reelhouse/house"
	"reelhouse/house/housetest"
	"reelhouse/store"
)

var renderer = farm.Renderer{Name: "drawn", Version: "1", Command: "none"}

// works are what tasks need: nobody puts frames together.
var works = work.Catalogue{Kinds: map[work.Kind]work.Settings{work.Assemble: {Labels: []string{"nobody"}}}}

// gated is a house that lets nodes in.
type gated struct {
	t     *testing.T
	house *house.House
	gate  *Gate
	b     store.Batch
}

func opened(t *testing.T, frames string) *gated {
	t.Helper()
	return openedFor(t, frames, 5*time.Minute) // which no test outlasts
}

func openedFor(t *testing.T, frames string, lease time.Duration, changes ...func(p *production.Production)) *gated {
	t.Helper()
	h, b := housetest.New(t, frames, changes...)
	log := slog.New(slog.DiscardHandler)
	hub := farm.NewHub()
	like := farm.Node{
		House: h, Hub: hub, Renderer: renderer, Works: works, Timeout: time.Hour, Log: log,
	}
	g, err := Open(t.Context(), Options{
		House: h, Hub: hub, Address: "127.0.0.1:0", Program: "test", Like: like.Like, Every: 50 * time.Millisecond,
		Lease: lease, Log: log,
	})
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background()) // which ends after all that the test has started
	ended := make(chan error, 1)
	go func() { ended <- g.Run(ctx) }()
	t.Cleanup(func() {
		cancel()
		if err := <-ended; err != nil {
			t.Error(err)
		}
		g.Close()
	})
	return &gated{t, h, g, b}
}

// token lets a node in.
func (g *gated) token(name string) wire.Token {
	g.t.Helper()
	pair, err := nkeys.CreateUser()
	if err != nil {
		g.t.Fatal(err)
	}
	seed, _ := pair.Seed()
	public, _ := pair.PublicKey()
	if err := g.house.Record.AddNode(name, public, store.Author{}); err != nil {
		g.t.Fatal(err)
	}
	messages, bytes := g.gate.Addresses()
	return wire.Token{Name: name, Messages: messages, Bytes: bytes, Certificate: g.gate.Fingerprint, Key: string(seed)}
}

// A stranger is a node that does as the test likes.
type stranger struct {
	*gated
	token   wire.Token
	conn    *nats.Conn
	stream  jetstream.JetStream
	wrong   chan error // what the server has refused
	gone    chan bool
	welcome wire.Welcome
}

func (g *gated) connect(token wire.Token) (*stranger, error) {
	g.t.Helper()
	pair, err := nkeys.FromSeed([]byte(token.Key))
	if err != nil {
		g.t.Fatal(err)
	}
	public, _ := pair.PublicKey()
	s := &stranger{gated: g, token: token, wrong: make(chan error, 10), gone: make(chan bool, 1)}
	s.conn, err = nats.Connect("tls://"+token.Messages[0], nats.Nkey(public, pair.Sign), nats.Secure(token.TLS()),
		nats.CustomInboxPrefix(wire.Inbox(token.Name)), nats.NoReconnect(),
		nats.ErrorHandler(func(_ *nats.Conn, _ *nats.Subscription, err error) { s.wrong <- err }),
		nats.ClosedHandler(func(*nats.Conn) { s.gone <- true }))
	if err != nil {
		return nil, err
	}
	g.t.Cleanup(s.conn.Close)
	s.stream, err = jetstream.New(s.conn)
	return s, err
}

func (g *gated) joined(name string) *stranger {
	g.t.Helper()
	s, err := g.connect(g.token(name))
	if err != nil {
		g.t.Fatal(err)
	}
	s.ask(wire.HelloTo+name, hello(), &s.welcome)
	if s.welcome.Refused != "" || s.welcome.Key == "" {
		g.t.Fatalf("%+v", s.welcome)
	}
	return s
}

func hello() wire.Hello {
	return wire.Hello{
		Version: wire.Version, Contract: job.Version, Program: "test", Cores: 2, Slots: 1, Machine: "m",
		Programs: wire.Programs{Renderers: []fingerprint.Renderer{renderer.Print()}},
	}
}

func (s *stranger) ask(subject string, message, answer any) {
	s.t.Helper()
	text, err := json.Marshal(message)
	if err != nil {
		s.t.Fatal(err)
	}
	m, err := s.conn.Request(subject, text, time.Minute)
	if err != nil {
		s.t.Fatal(subject, err)
	}
	if err := json.Unmarshal(m.Data, answer); err != nil {
		s.t.Fatal(err)
	}
}

// keep sends what JetStream keeps.
func (s *stranger) keep(subject string, message any) error {
	s.t.Helper()
	text, err := json.Marshal(message)
	if err != nil {
		s.t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	_, err = s.stream.Publish(ctx, subject, text)
	return err
}

// lease beats until the house gives it something.
func (s *stranger) lease() wire.Errand {
	s.t.Helper()
	for range patience {
		var t wire.Tasks
		s.ask(wire.BeatTo+s.token.Name, wire.Beat{Free: 1}, &t)
		if len(t.Leases) > 0 {
			s.ask(wire.BeatTo+s.token.Name, wire.Beat{}, &t) // and no more than that
			var e wire.Errand
			if code, text := s.http("GET", fmt.Sprintf("/errand/%d", t.Leases[0]), nil); code != 200 {
				s.t.Fatal(code, text)
			} else if err := json.Unmarshal([]byte(text), &e); err != nil {
				s.t.Fatal(err)
			}
			return e
		}
		time.Sleep(10 * time.Millisecond)
	}
	s.t.Fatal("the house has nothing for it")
	return wire.Errand{}
}

func (s *stranger) http(method, path string, body []byte) (int, string) {
	s.t.Helper()
	r, err := http.NewRequest(method, "https://"+s.token.Bytes[0]+path, bytes.NewReader(body))
	if err != nil {
		s.t.Fatal(err)
	}
	r.SetBasicAuth(s.token.Name, s.welcome.Key)
	c := http.Client{Transport: &http.Transport{TLSClientConfig: s.token.TLS(), DisableKeepAlives: true}}
	answer, err := c.Do(r)
	if err != nil {
		s.t.Fatal(err)
	}
	defer answer.Body.Close()
	text, _ := io.ReadAll(answer.Body)
	return answer.StatusCode, string(text)
}

// patience is how often something is looked at, every 10 ms, before it is given up: a minute.
const patience = 6000

// refused waits until so many things of the node were refused.
func (s *stranger) refused(n int) {
	s.t.Helper()
	o := s.gate.find(s.token.Name)
	for range patience {
		record, err := s.house.Record.FindNode(s.token.Name)
		if err != nil {
			s.t.Fatal(err)
		}
		o.mutex.Lock()
		now := o.counts.Refused + record.Refused
		o.mutex.Unlock()
		if now == n {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	s.t.Fatalf("not %d things were refused", n)
}

// Who has no key of a node does not come in, and who has one speaks for itself alone.
func TestANodeSpeaksForItselfAlone(t *testing.T) {
	g := opened(t, "1001-1004")
	foreign := g.token("known")
	pair, _ := nkeys.CreateUser()
	seed, _ := pair.Seed()
	foreign.Key = string(seed)
	if _, err := g.connect(foreign); !errors.Is(err, nats.ErrAuthorization) {
		t.Errorf("a key that is not known comes in: %v", err)
	}
	other := foreign
	other.Certificate = strings.Repeat("0", 64)
	if _, err := tls.Dial("tcp", g.gate.bytes.Addr().String(), other.TLS()); err == nil ||
		!strings.Contains(err.Error(), "another house") {
		t.Errorf("another house is believed: %v", err)
	}
	a, b := g.joined("a"), g.joined("b")
	mine := a.lease()
	for subject, message := range map[string]any{
		wire.DoneTo + "b": wire.Result{Lease: mine.Lease}, wire.BeatTo + "b": wire.Beat{Free: 1},
		wire.SaidTo + "b": wire.Said{Lease: mine.Lease}, wire.HelloTo + "b": hello(), "$JS.API.STREAM.NAMES": nil,
		"$JS.API.STREAM.DELETE." + wire.Stream: nil, wire.PokeTo + "b": nil,
	} {
		text, _ := json.Marshal(message)
		if err := a.conn.Publish(subject, text); err != nil {
			t.Fatal(err)
		}
		select {
		case err := <-a.wrong:
			if !errors.Is(err, nats.ErrPermissionViolation) {
				t.Errorf("%s: %v", subject, err)
			}
		case <-time.After(time.Minute):
			t.Errorf("%s was sent in another's name", subject)
		}
	}
	for _, subject := range []string{wire.PokeTo + "b", wire.Inbox("b") + ".>", ">", wire.DoneTo + "*"} {
		if _, err := a.conn.SubscribeSync(subject); err != nil {
			t.Fatal(err)
		}
		select {
		case err := <-a.wrong:
			if !errors.Is(err, nats.ErrPermissionViolation) {
				t.Errorf("%s: %v", subject, err)
			}
		case <-time.After(time.Minute):
			t.Errorf("%s is heard", subject)
		}
	}
	if code, _ := b.http("GET", fmt.Sprintf("/errand/%d", mine.Lease), nil); code != http.StatusNotFound {
		t.Errorf("another's errand: %d", code)
	}
	if code, _ := b.http("GET", "/bytes/"+mine.Reads[0].SHA256, nil); code != http.StatusForbidden {
		t.Errorf("a file that no errand of it reads: %d", code)
	}
	if code, _ := b.http("PUT", fmt.Sprintf("/file/%d/0?at=0", mine.Lease), []byte("x")); code != http.StatusNotFound {
		t.Errorf("another's file: %d", code)
	}
	b.refused(2)
	b.welcome.Key = "wrong"
	if code, _ := b.http("GET", "/bytes/"+mine.Reads[0].SHA256, nil); code != http.StatusUnauthorized {
		t.Errorf("a wrong pass: %d", code)
	}
	if err := g.house.Record.RemoveNode("a"); err != nil {
		t.Fatal(err)
	}
	g.gate.Hub.Changed()
	select {
	case <-a.gone:
	case <-time.After(time.Minute):
		t.Error("its token was taken back, and it is still there")
	}
	if _, err := g.connect(a.token); err == nil {
		t.Error("it comes in again")
	}
	if code, _ := a.http("GET", fmt.Sprintf("/errand/%d", mine.Lease), nil); code != http.StatusUnauthorized {
		t.Errorf("its pass still counts: %d", code)
	}
}

// A token that two machines have lets the first one in, for as long as that is heard of.
func TestATokenIsOneMachines(t *testing.T) {
	g := opened(t, "1001-1004")
	a := g.joined("a")
	e := a.lease()
	copied, err := g.connect(a.token)
	if err != nil {
		t.Fatal(err)
	}
	h := hello()
	h.Instance, h.Machine = "other", "attic"
	var w wire.Welcome
	if copied.ask(wire.HelloTo+"a", h, &w); !strings.Contains(w.Refused, "another machine, m, is node a already") {
		t.Errorf("%+v", w)
	}
	var tasks wire.Tasks
	if copied.ask(wire.BeatTo+"a", wire.Beat{Instance: "other", Free: 1}, &tasks); !tasks.Unknown {
		t.Errorf("it is told what the other one has: %+v", tasks)
	}
	a.refused(1)
	if a.ask(wire.BeatTo+"a", wire.Beat{}, &tasks); !slices.Contains(tasks.Leases, e.Lease) {
		t.Errorf("the first one has lost its own: %+v", tasks)
	}
}

// A node that comes back as another one, with more slots, loses what it had, and the house can end afterwards.
func TestANodeComesBackAsAnotherOne(t *testing.T) {
	g := opened(t, "1001-1004")
	s := g.joined("a")
	before := s.lease()
	h := hello()
	h.Slots = 2
	s.ask(wire.HelloTo+"a", h, &s.welcome)
	if s.welcome.Refused != "" {
		t.Fatal(s.welcome.Refused)
	}
	var tasks wire.Tasks
	for range patience {
		if s.ask(wire.BeatTo+"a", wire.Beat{Free: 2}, &tasks); len(tasks.Leases) == 2 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if len(tasks.Leases) != 2 || slices.Contains(tasks.Leases, before.Lease) {
		t.Errorf("%+v", tasks)
	}
}

// A line that dies in the middle of a file, without a word, keeps nobody from sending it over another one.
func TestADeadLineKeepsNoFile(t *testing.T) {
	g := openedFor(t, "1001", 8*time.Second)
	s := g.joined("a")
	e := s.lease()
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	go func() { // it goes on beating
		for ctx.Err() == nil {
			text, _ := json.Marshal(wire.Beat{})
			_, _ = s.conn.Request(wire.BeatTo+"a", text, time.Second)
			time.Sleep(50 * time.Millisecond)
		}
	}()
	dead, err := tls.Dial("tcp", g.gate.bytes.Addr().String(), s.token.TLS())
	if err != nil {
		t.Fatal(err)
	}
	defer dead.Close()
	r, err := http.NewRequest("PUT", fmt.Sprintf("/file/%d/0?at=0", e.Lease), nil)
	if err != nil {
		t.Fatal(err)
	}
	r.SetBasicAuth("a", s.welcome.Key)
	fmt.Fprintf(
		dead,
		"PUT /file/%d/0?at=0 HTTP/1.1\r\nHost: x\r\nAuthorization: %s\r\nContent-Length: 1000\r\n\r\nhalf",
		e.Lease,
		r.Header.Get("Authorization"),
	)
	for range patience { // until that is at it
		if info, err := os.Stat(farm.SentPath(g.path(e))); err == nil && info.Size() >= 0 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	sum, err := house.SumOf(strings.NewReader("whole"))
	if err != nil {
		t.Fatal(err)
	}
	at := fmt.Sprintf("/file/%d/0?at=0&sum=%s", e.Lease, sum.SHA256)
	if code, text := s.http("PUT", at, []byte("whole")); code != http.StatusOK {
		t.Errorf("%d: %s", code, text)
	}
}

// A file that is not sent to its end is not there for the judge, whatever is said of it, and a result that names one
// file twice lacks the other: otherwise a node could write on into what was judged.
func TestNobodyWritesIntoWhatIsJudged(t *testing.T) {
	g := opened(t, "1001")
	s := g.joined("a")
	e := s.lease()
	o := g.gate.find("a")
	o.errand(e.Lease).writes = append(o.errand(e.Lease).writes, writeFile{path: g.path(e) + "2", most: 100})
	sum, err := house.SumOf(strings.NewReader("whole"))
	if err != nil {
		t.Fatal(err)
	}
	if code, text := s.http("PUT", fmt.Sprintf("/file/%d/1?at=0", e.Lease), []byte("whole")); code != http.StatusOK {
		t.Fatal(code, text)
	}
	if _, err := os.Stat(g.path(e) + "2"); !os.IsNotExist(err) {
		t.Errorf("half a file has the name that is judged: %v", err)
	}
	at := fmt.Sprintf("/file/%d/0?at=0&sum=%s", e.Lease, sum.SHA256)
	if code, text := s.http("PUT", at, []byte("whole")); code != http.StatusOK {
		t.Fatal(code, text)
	}
	one := wire.Made{Write: 0, Bytes: sum.Bytes, SHA256: sum.SHA256}
	if err := s.keep(wire.DoneTo+"a", wire.Result{Lease: e.Lease, Files: []wire.Made{one, one}}); err != nil {
		t.Fatal(err)
	}
	s.refused(1)
	g.until(func(f store.Frame) bool { return strings.Contains(f.Reason, "1 of 2 files") })
}

// A result of many files comes in several messages, and counts when all of them are there, however often they come.
func TestALongResultComesInPieces(t *testing.T) {
	g := opened(t, "1001")
	s := g.joined("a")
	e := s.lease()
	o := g.gate.find("a")
	errand := o.errand(e.Lease)
	r := wire.Result{Lease: e.Lease}
	errand.writes = make([]writeFile, wire.FilesOnce+2)
	for i := range errand.writes {
		made := wire.Made{Write: i, Bytes: int64(i), SHA256: strings.Repeat("0", 64)}
		errand.writes[i] = writeFile{path: "x", done: &made}
		r.Files = append(r.Files, made)
	}
	pieces := r.Messages()
	first, last := pieces[0], pieces[1]
	foreign := first
	foreign.Lease = e.Lease + 1000
	behind, before := first, first
	behind.Files, before.Files = []wire.Made{{Write: 1 << 40}}, []wire.Made{{Write: -1}}
	for _, m := range []wire.Result{last, behind, before, last, foreign} {
		if err := s.keep(wire.DoneTo+"a", m); err != nil {
			t.Fatal(err)
		}
	}
	s.refused(3)
	if errand.over() {
		t.Fatal("it has ended, though most of its files were not named")
	}
	for _, m := range []wire.Result{first, first, last, last} {
		if err := s.keep(wire.DoneTo+"a", m); err != nil {
			t.Fatal(err)
		}
	}
	g.until(func(f store.Frame) bool { return strings.Contains(f.Reason, "did not write it") }) // as the judge finds
}

// path returns where the first file of an errand is sent to.
func (g *gated) path(e wire.Errand) string {
	o := g.gate.find("a")
	return o.errand(e.Lease).writes[0].path
}

// A folder is shared when the node has read there what the house has written, and the house what it has answered; a
// node lets the house write nowhere but where finished files belong.
func TestSharedFoldersProveThemselves(t *testing.T) {
	g := opened(t, "1001-1004")
	s, err := g.connect(g.token("a"))
	if err != nil {
		t.Fatal(err)
	}
	foreign, output := t.TempDir(), g.house.Output()
	if err := os.MkdirAll(output, 0o755); err != nil {
		t.Fatal(err)
	}
	h := hello()
	h.Shares = []string{foreign, "/", "relative", output, g.house.Dir, filepath.Join(output, "..")}
	s.ask(wire.HelloTo+"a", h, &s.welcome)
	if len(s.welcome.Shares) != 1 || s.welcome.Shares[0].Folder != output {
		t.Fatalf("%+v", s.welcome.Shares)
	}
	if entries, _ := os.ReadDir(foreign); len(entries) > 0 {
		t.Errorf("the house wrote %v", entries)
	}
	tried := filepath.Join(output, s.welcome.Shares[0].File)
	if err := os.WriteFile(tried+wire.AnswerEnding, []byte("guessed"), 0o644); err != nil {
		t.Fatal(err)
	}
	if e := s.lease(); e.Writes[0].Shared != "" {
		t.Errorf("it is believed what it guesses: %+v", e.Writes)
	}
	text, err := os.ReadFile(tried)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(tried+wire.AnswerEnding, []byte(wire.AnswerTo(string(text))), 0o644); err != nil {
		t.Fatal(err)
	}
	var tasks wire.Tasks
	s.ask(wire.BeatTo+"a", wire.Beat{}, &tasks)
	if err := s.keep(wire.DoneTo+"a", wire.Result{Lease: tasks.Leases[0], Failed: "x"}); err != nil {
		t.Fatal(err)
	}
	g.until(func(f store.Frame) bool { return f.Reason != "" })
	e := s.lease()
	if !strings.HasPrefix(e.Writes[0].Shared, output) || e.Reads[0].Shared != "" {
		t.Errorf("it is not shared: %+v, %+v", e.Writes, e.Reads)
	}
	if left, _ := filepath.Glob(filepath.Join(output, ".share*")); len(left) > 0 {
		t.Errorf("%v is left", left)
	}
	// What is said of a file there is held against the file.
	if err := os.WriteFile(e.Writes[0].Shared, []byte("one"), 0o644); err != nil {
		t.Fatal(err)
	}
	wrong := wire.Made{Write: 0, Bytes: 3, SHA256: strings.Repeat("0", 64)}
	if err := s.keep(wire.DoneTo+"a", wire.Result{Lease: e.Lease, Files: []wire.Made{wrong}}); err != nil {
		t.Fatal(err)
	}
	s.refused(1)
}

// A node of another version is told so. It takes what its own version knows.
func TestNodesOfOtherVersionsAreTold(t *testing.T) {
	g := opened(t, "1001")
	s, err := g.connect(g.token("old"))
	if err != nil {
		t.Fatal(err)
	}
	for says, change := range map[string]func(h *wire.Hello){
		"version 9 of the protocol": func(h *wire.Hello) { h.Version = 9 },
		"version 0 of the contract": func(h *wire.Hello) { h.Contract = 0 },
		"cannot be":                 func(h *wire.Hello) { h.Slots = -1 },
	} {
		h := hello()
		change(&h)
		var w wire.Welcome
		if s.ask(wire.HelloTo+"old", h, &w); !strings.Contains(w.Refused, says) {
			t.Errorf("%q does not say %q", w.Refused, says)
		}
	}
	var tasks wire.Tasks
	if s.ask(wire.BeatTo+"old", wire.Beat{Free: 9}, &tasks); !tasks.Unknown || len(tasks.Leases) > 0 {
		t.Errorf("it works all the same: %+v", tasks)
	}
	// Who has another renderer takes nothing.
	h := hello()
	h.Renderers[0].Version = "2"
	var w wire.Welcome
	s.ask(wire.HelloTo+"old", h, &w)
	tasks = wire.Tasks{}
	if s.ask(wire.BeatTo+"old", wire.Beat{Free: 1}, &tasks); w.Refused != "" || tasks.Unknown || len(tasks.Leases) > 0 {
		t.Errorf("%+v, %+v", w, tasks)
	}
	// Another version of the program with the same renderer works, and knows which house it has.
	h = hello()
	h.Program = "0.1"
	w = wire.Welcome{}
	if s.ask(wire.HelloTo+"old", h, &w); w.Refused != "" || w.Program != "test" {
		t.Errorf("%+v", w)
	}
	s.welcome = w
	s.lease()
}

// A volume whose files are to be sent is not shared, nor is the folder of a bucket, where copies lie.
func TestSomeVolumesAreNotShared(t *testing.T) {
	g := opened(t, "1001")
	plain, sent := t.TempDir(), t.TempDir()
	objects := buckettest.New(t)
	if err := g.house.SetVolumes([]store.Volume{
		{Code: "plain", Folder: plain}, {Code: "sent", Folder: sent, Sent: true}, {Code: "cloud", Bucket: objects.URL},
	}); err != nil {
		t.Fatal(err)
	}
	cloud, _ := g.house.Volume("cloud")
	if err := os.MkdirAll(cloud.Folder, 0o755); err != nil {
		t.Fatal(err)
	}
	all, told := g.gate.sharesOf([]string{plain, sent, cloud.Folder, filepath.Join(cloud.Folder, ".copies")})
	if len(all) != 1 || len(told) != 1 || told[0].Folder != plain {
		t.Errorf("%+v", told)
	}
	beside, err := house.Open(g.house.Dir, true)
	if err != nil {
		t.Fatal(err)
	}
	defer beside.Close()
	if v, known := beside.Volume("sent"); !known || !v.Sent {
		t.Errorf("%+v", v)
	}
}

// Of several frames that one process renders it is known how far each is.
func TestProgressOfSeveralFrames(t *testing.T) {
	g := opened(t, "1001-1003")
	scope := store.Scope{Production: "TEST", Batch: g.b.ID}
	if _, err := g.house.Record.SetNeeds(scope, "chunk=3", true); err != nil {
		t.Fatal(err)
	}
	s := g.joined("a")
	e := s.lease()
	if len(e.Writes) != 3 {
		t.Fatalf("%+v", e)
	}
	o := g.gate.find("a")
	for _, at := range []wire.Held{
		{Lease: e.Lease, Frame: 1001, Progress: 0.9}, {Lease: e.Lease, Frame: 1002, Progress: 0.5},
	} {
		var tasks wire.Tasks
		s.ask(wire.BeatTo+"a", wire.Beat{Have: []wire.Held{at}}, &tasks)
		if p := o.node.Progress(g.b.Sequences[0].ID, at.Frame, 0); p != at.Progress {
			t.Errorf("frame %d is %v done, and not %v", at.Frame, p, at.Progress)
		}
	}
	if p := o.node.Progress(g.b.Sequences[0].ID, 1003, 0); p != 0 {
		t.Errorf("frame 1003 is %v done", p)
	}
}

// A node that is back before the house goes on with what it has from before is told to wait. It did nothing wrong.
func TestANodeThatIsBackFirstWaits(t *testing.T) {
	g := opened(t, "1001")
	s := g.joined("a")
	e := s.lease()
	o := g.gate.find("a")
	take := func(with *errand) *errand {
		o.mutex.Lock()
		defer o.mutex.Unlock()
		was := o.errands[e.Lease]
		if delete(o.errands, e.Lease); with != nil {
			o.errands[e.Lease] = with
		}
		return was
	}
	was := take(nil)
	for _, method := range []string{"GET", "PUT"} {
		code, text := s.http(method, fmt.Sprintf("/file/%d/0?at=0", e.Lease), []byte("picture"))
		if code != http.StatusServiceUnavailable {
			t.Errorf("%s: %d, %s", method, code, text)
		}
	}
	take(was)
	s.refused(0)
	if code, text := s.http("PUT", fmt.Sprintf("/file/%d/0?at=0", e.Lease), []byte("picture")); code != http.StatusOK {
		t.Error(code, text)
	}
}

// What a node sends is held against what it says and may send; what is not as it should be is refused and counted, and
// costs the frame nothing.
func TestWhatNodesSendIsHeldAgainstWhatTheySay(t *testing.T) {
	g := opened(t, "1001")
	s := g.joined("a")
	e := s.lease()
	picture := []byte("no picture at all")
	sum, err := house.SumOf(bytes.NewReader(picture))
	if err != nil {
		t.Fatal(err)
	}
	at := fmt.Sprintf("/file/%d/0", e.Lease)
	for i, c := range []struct {
		path string
		body []byte
		code int
	}{
		{at + "?at=5", picture, http.StatusConflict},
		{at + "?at=99999999999", picture, http.StatusForbidden},
		{at + "?at=-1", picture, http.StatusBadRequest},
		{at + "?at=0&sum=" + strings.Repeat("0", 64), picture, http.StatusForbidden},
		{fmt.Sprintf("/file/%d/7?at=0", e.Lease), picture, http.StatusNotFound},
		{fmt.Sprintf("/file/%d/..%%2f..%%2fx?at=0", e.Lease), picture, http.StatusNotFound},
		{"/file/99/0?at=0", picture, http.StatusNotFound},
	} {
		if code, text := s.http("PUT", c.path, c.body); code != c.code {
			t.Errorf("%d: %d, %s", i, code, text)
		}
	}
	s.refused(5)
	// A result whose files are not here, and one for a lease that it never had.
	if err := s.keep(wire.DoneTo+"a", wire.Result{Lease: 4711}); err != nil {
		t.Fatal(err)
	}
	s.refused(6)
	for range 40 {
		said := wire.Said{Lease: e.Lease, Number: 1, Text: strings.Repeat("x", 200_000)}
		if err := s.keep(wire.SaidTo+"a", said); err != nil { // sent again and again, it counts once
			t.Fatal(err)
		}
	}
	for n := range 40 {
		said := wire.Said{Lease: e.Lease, Number: n + 2, Text: strings.Repeat("x", 200_000)}
		if err := s.keep(wire.SaidTo+"a", said); err != nil {
			t.Fatal(err)
		}
	}
	s.refused(7) // the flood
	if code, text := s.http("PUT", at+"?at=0&sum="+sum.SHA256, picture); code != http.StatusOK {
		t.Fatal(code, text)
	}
	result := wire.Result{Lease: e.Lease, Files: []wire.Made{{Write: 0, Bytes: sum.Bytes, SHA256: sum.SHA256}}}
	if err := s.keep(wire.DoneTo+"a", result); err != nil {
		t.Fatal(err)
	}
	// The house judges by itself: it is no picture, and breaks.
	g.until(func(f store.Frame) bool { return f.Reason != "" || f.Attempts > 1 })
	if err := s.keep(wire.DoneTo+"a", result); err != nil { // replayed
		t.Fatal(err)
	}
	s.refused(8)
	if f := g.frame(); f.State == queue.Good {
		t.Errorf("it is good: %+v", f)
	}
	paths, _ := filepath.Glob(filepath.Join(g.house.Output(), "*", "*", "*", "*", "*", "*.exr"))
	if len(paths) > 0 {
		t.Errorf("it was published: %v", paths)
	}
}

func (g *gated) frame() store.Frame {
	g.t.Helper()
	f, err := g.house.Record.Frame(g.b.Sequences[0].ID, 1001)
	if err != nil {
		g.t.Fatal(err)
	}
	return f
}

func (g *gated) until(wanted func(f store.Frame) bool) {
	g.t.Helper()
	for range patience {
		if wanted(g.frame()) {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	g.t.Fatalf("the frame stays %+v", g.frame())
}

// Paths that are on their way name places, and nothing of either machine.
func TestOrdersNameNoPathsOfTheHouse(t *testing.T) {
	g := opened(t, "1001")
	s := g.joined("a")
	e := s.lease()
	if strings.Contains(string(e.Order), g.house.Dir) {
		t.Errorf("it names a path of the house: %s", e.Order)
	}
	j, err := job.Read(bytes.NewReader(e.Order))
	if err != nil {
		t.Fatal(err)
	}
	if i, ok := wire.ReadAt(j.Scene); !ok || e.Reads[i].SHA256 != g.b.Plan.Scene.SHA256 {
		t.Errorf("the scene is %s", j.Scene)
	}
	if i, ok := wire.WriteAt(j.Frames[0].Files[0].Path); !ok || !strings.HasSuffix(e.Writes[i].Name, ".exr") {
		t.Errorf("the file is %s", j.Frames[0].Files[0].Path)
	}
	code, text := s.http("GET", "/bytes/"+e.Reads[0].SHA256, nil)
	if sum, err := house.SumOf(strings.NewReader(text)); code != 200 || err != nil || sum.SHA256 != e.Reads[0].SHA256 {
		t.Errorf("the scene is not to be had: %d, %v", code, err)
	}
}

// A node with which tasks fail much more often than with others is paused with the numbers; resumed, it is held against
// them by what it does from then on.
func TestNodesThatFailArePaused(t *testing.T) {
	for _, c := range []struct {
		of, others store.NodeCounts
		paused     bool
	}{
		{store.NodeCounts{Done: 10, Failed: 9}, store.NodeCounts{Done: 100}, false}, // not many yet
		{store.NodeCounts{Done: 16, Failed: 4}, store.NodeCounts{Done: 100}, false},
		{store.NodeCounts{Done: 15, Failed: 5}, store.NodeCounts{Done: 100}, true},
		{store.NodeCounts{Done: 15, Failed: 5}, store.NodeCounts{Done: 10}, false}, // others have not done many
		{store.NodeCounts{Done: 60, Failed: 40}, store.NodeCounts{Done: 80, Failed: 20}, false},
		{store.NodeCounts{Done: 59, Failed: 41}, store.NodeCounts{Done: 80, Failed: 20}, true},
		{store.NodeCounts{Failed: 50}, store.NodeCounts{Failed: 50}, false}, // it is the frames
	} {
		if why := Distrusts(c.of, c.others); (why != "") != c.paused {
			t.Errorf("%+v against %+v: %q", c.of, c.others, why)
		}
	}
	g := opened(t, "1001-1004")
	a, _ := g.joined("a"), g.joined("b")
	if err := errors.Join(
		g.house.Record.NodesSeen(
			store.NodeNote{Name: "a", Seen: time.Now(), More: store.NodeCounts{Done: 15, Failed: 10}},
			store.NodeNote{Name: "b", Seen: time.Now(), More: store.NodeCounts{Done: 100, Failed: 1}},
		),
	); err != nil {
		t.Fatal(err)
	}
	for range patience {
		if n, err := g.house.Record.FindNode("a"); err != nil || n.Paused != "" {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	n, err := g.house.Record.FindNode("a")
	if err != nil || n.Paused != "10 of its 25 tasks have failed, and 1 of 101 with others" {
		t.Fatalf("%+v, %v", n, err)
	}
	var tasks wire.Tasks
	for range patience {
		if a.ask(wire.BeatTo+"a", wire.Beat{Free: 1}, &tasks); tasks.Paused != "" {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if b, _ := g.house.Record.FindNode("b"); b.Paused != "" {
		t.Errorf("the other one is paused, too: %s", b.Paused)
	}
}

// What a stopped node has is given back at once, at no cost of a try, and goes to another one.
func TestAStoppedNodeGivesBackWhatItHas(t *testing.T) {
	g := opened(t, "1001")
	a := g.joined("a")
	e := a.lease()
	n, err := g.house.Record.FindNode("a")
	if err != nil {
		t.Fatal(err)
	}
	n.Paused, n.Stopped = "a storm", true
	if err := g.house.Record.SetNode(n); err != nil {
		t.Fatal(err)
	}
	g.gate.Hub.Changed()
	b := g.joined("b")
	if next := b.lease(); next.Lease == e.Lease {
		t.Error("the lease is the same one")
	}
	if f := g.frame(); f.Node != "b" || f.Attempts != 1 {
		t.Errorf("%+v", f)
	}
	var tasks wire.Tasks
	if a.ask(wire.BeatTo+"a", wire.Beat{Free: 1}, &tasks); len(tasks.Leases) > 0 || tasks.Paused != "a storm" {
		t.Errorf("%+v", tasks)
	}
	// So is that of one that says that it ends.
	b.ask(wire.BeatTo+"b", wire.Beat{Leaving: true}, &tasks)
	if g.joined("c").lease(); g.frame().Node != "c" {
		t.Errorf("%+v", g.frame())
	}
}

// A simulated node is let in only where somebody tries a house out.
func TestSimulatedNodesAreRefused(t *testing.T) {
	g := opened(t, "1001-1002")
	s, err := g.connect(g.token("toy"))
	if err != nil {
		t.Fatal(err)
	}
	h := hello()
	h.Simulated = true
	var w wire.Welcome
	if s.ask(wire.HelloTo+"toy", h, &w); !strings.Contains(w.Refused, "its pictures are not of the scene") {
		t.Errorf("%+v", w)
	}
}

// Labels that people give a node hold at once, and it keeps what it has meanwhile.
func TestLabelsHoldAtOnce(t *testing.T) {
	g := opened(t, "1001-1004")
	s := g.joined("shed")
	lease := s.lease()
	n, err := g.house.Record.FindNode("shed")
	if err != nil {
		t.Fatal(err)
	}
	n.Labels = []string{"wet"}
	if err := g.house.Record.SetNode(n); err != nil {
		t.Fatal(err)
	}
	o := g.gate.find("shed")
	for range patience {
		if strings.Contains(o.kind(), "wet") {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if !strings.Contains(o.kind(), "wet") || o.errand(lease.Lease) == nil {
		t.Errorf("its labels are %s, and its errand is %v", o.kind(), o.errand(lease.Lease))
	}
}

// What nodes ask, send and are refused is counted under names that Prometheus takes.
func TestFiguresAreCounted(t *testing.T) {
	g := opened(t, "1001-1002")
	s := g.joined("a")
	e := s.lease()
	if code, text := s.http("PUT", fmt.Sprintf("/file/%d/9?at=0", e.Lease), []byte("x")); code != http.StatusNotFound {
		t.Fatal(code, text)
	}
	if code, text := s.http("PUT", fmt.Sprintf("/file/%d/0?at=0", e.Lease), []byte("four")); code != http.StatusOK {
		t.Fatal(code, text)
	}
	r := prometheus.NewRegistry()
	r.MustRegister(g.gate)
	families, err := r.Gather()
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]float64{}
	for _, f := range families {
		for _, m := range f.GetMetric() {
			name := f.GetName()
			for _, l := range m.GetLabel() {
				name += " " + l.GetValue()
			}
			got[name] = m.GetCounter().GetValue() + m.GetGauge().GetValue() + float64(m.GetHistogram().GetSampleCount())
		}
	}
	for name, want := range map[string]float64{
		"reelhouse_farm_nodes": 1, "reelhouse_farm_slots": 1, "reelhouse_farm_errands": 1,
		"reelhouse_farm_messages_total hello": 1, "reelhouse_farm_refused_total": 1,
		"reelhouse_farm_bytes_total from nodes": 4, "reelhouse_farm_answer_seconds hello": 1,
	} {
		if got[name] != want {
			t.Errorf("%s is %v, not %v", name, got[name], want)
		}
	}
	if got["reelhouse_farm_messages_total beat"] == 0 {
		t.Errorf("no beat was counted: %v", got)
	}
}
