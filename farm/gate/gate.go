// Package gate lets machines be nodes of a house. It listens for them alone: for messages by NATS with JetStream, which
// is embedded, and for bytes by HTTPS. Each node is a farm.Node of the house whose programs run elsewhere: who gets
// what, judging, publishing and the record stay with the house.
package gate

import (
	"context"
	"crypto/tls"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
	"github.com/nats-io/nkeys"

	"reelhouse/farm"
	"reelhouse/farm/wire"
	"reelhouse/house"
	"reelhouse/store"
)

// Options say how nodes are let in.
type Options struct {
	House   *house.House
	Hub     *farm.Hub
	Address string // HOST:PORT for messages; bytes have the next port, or any free one if the port is 0
	// Program is the version of this program, which nodes are told.
	Program string
	// Like returns a node that has what the house renders with; its name and what a machine has are filled in.
	Like func() *farm.Node
	// Every is the time between two beats of a node, and Lease how long it keeps what it has without one; 0 for the
	// usual ones.
	Every, Lease time.Duration
	// Check is the share of repeatable frames that are rendered on a second node and compared, 0 to 1.
	Check float64
	// Simulated lets nodes in that only seem to be machines.
	Simulated bool
	// Cluster carries the messages instead of the embedded server; nil for that. Address is for bytes alone then.
	Cluster *Cluster
	Log     *slog.Logger
}

// Usual times.
const (
	UsualEvery = 2 * time.Second
	UsualLease = 30 * time.Second
)

// A Gate lets nodes in.
type Gate struct {
	Options
	Fingerprint string // of the certificate

	own       string         // the house's own key, which it has for as long as it runs
	server    *server.Server // nil with a cluster
	clustered *clustered     // nil without
	conn      *nats.Conn
	stream    jetstream.JetStream
	consumer  jetstream.Consumer
	bytes     net.Listener
	http      *http.Server
	sums      sums
	figures   figures

	group  sync.WaitGroup  // of what nodes do here
	ctx    context.Context // of all of it
	cancel context.CancelFunc

	spots chan spot

	mutex sync.Mutex
	looks *looking            // for which node a frame waits that is rendered once more; nil for none
	ends  bool                // nobody joins any more
	nodes map[string]*outpost // that have said hello
	// sorted is what Nodes returns, nil when somebody has come or gone.
	sorted []*farm.Node
	left   map[string][]int64 // leases that nodes have from before this server was started
	late   map[int64]lateLease
	began  time.Time

	records map[string]store.Node // of all nodes, as they were read last
	read    time.Time
	nothing nothing
}

// nothing is for which kinds of nodes there was nothing to do when that was asked last. It is asked again after every
// change.
type nothing struct {
	mutex sync.Mutex
	kinds map[string]bool
	looks int // how often it was asked again
}

func (n *nothing) clear() {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	n.kinds = map[string]bool{}
	n.looks++
}

// note notes that there was nothing for a kind in a look; that may have passed.
func (n *nothing) note(kind string, look int) {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	if look == n.looks {
		n.kinds[kind] = true
	}
}

// is reports whether there is nothing for a kind, as far as that is known in this look.
func (n *nothing) is(kind string) (is bool, look int) {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	return n.kinds[kind], n.looks
}

// Folder returns where a house keeps what it needs for its nodes.
func Folder(h *house.House) string { return filepath.Join(h.Dir, "farm") }

// Open begins to listen. A cluster that is not there yet is waited for, a minute at most, or until ctx ends.
func Open(ctx context.Context, o Options) (g *Gate, err error) {
	if o.Every == 0 {
		o.Every = UsualEvery
	}
	if o.Lease == 0 {
		o.Lease = UsualLease
	}
	g = &Gate{
		Options: o,
		nodes:   map[string]*outpost{},
		left:    map[string][]int64{},
		late:    map[int64]lateLease{},
		nothing: nothing{kinds: map[string]bool{}},
		figures: newFigures(),
		spots:   make(chan spot, spotsWaiting),
		began:   time.Now(),
	}
	g.ctx, g.cancel = context.WithCancel(context.Background())
	defer func() {
		if err != nil {
			g.Close()
		}
	}()
	certificate, fingerprint, err := Certificate(Folder(o.House))
	if err != nil {
		return g, fmt.Errorf("the certificate for nodes: %w", err)
	}
	g.Fingerprint = fingerprint
	host, port, err := splitAddress(o.Address)
	if err != nil {
		return g, err
	}
	secured := &tls.Config{Certificates: []tls.Certificate{certificate}, MinVersion: tls.VersionTLS13}
	if o.Cluster != nil {
		if err := g.joinCluster(ctx); err != nil {
			return g, fmt.Errorf("the cluster at %s cannot be used: %w", strings.Join(o.Cluster.Addresses, ", "), err)
		}
	} else {
		if err := g.startServer(host, port, secured); err != nil {
			return g, fmt.Errorf("nodes cannot be let in at %s: %w; choose another address with --farm", o.Address, err)
		}
		if port > 0 {
			port++
		}
	}
	at := net.JoinHostPort(host, strconv.Itoa(port))
	if g.bytes, err = tls.Listen("tcp", at, secured); err != nil {
		return g, fmt.Errorf("bytes of nodes cannot be taken at %s: %w; choose another address with --farm", at, err)
	}
	g.http = &http.Server{
		Handler: g.handler(), ReadHeaderTimeout: 10 * time.Second,
		ErrorLog: slog.NewLogLogger(o.Log.Handler(), slog.LevelDebug),
	}
	return g, errors.Join(g.keepWhereabouts(), g.listen(ctx))
}

func splitAddress(address string) (host string, port int, err error) {
	host, text, err := net.SplitHostPort(address)
	if err == nil {
		port, err = strconv.Atoi(text)
	}
	if err != nil || port < 0 || port > 65534 {
		return "", 0, fmt.Errorf("%q is no address for nodes; it is HOST:PORT, such as 0.0.0.0:7350", address)
	}
	return host, port, nil
}

// startServer starts the embedded server of NATS. What JetStream keeps is safely on the disk before it says so.
func (g *Gate) startServer(host string, port int, secured *tls.Config) error {
	if port == 0 {
		port = server.RANDOM_PORT
	}
	own, err := nkeys.CreateUser()
	if err != nil {
		return err
	}
	if g.own, err = own.PublicKey(); err != nil {
		return err
	}
	g.server, err = server.NewServer(&server.Options{
		ServerName: "reelhouse", Host: host, Port: port, TLSConfig: secured, TLS: true, TLSTimeout: 10,
		JetStream: true, StoreDir: filepath.Join(Folder(g.House), "jetstream"), SyncAlways: true,
		JetStreamMaxStore: 1 << 30, JetStreamMaxMemory: 64 << 20,
		CustomClientAuthentication: (*guard)(g), AlwaysEnableNonce: true,
		MaxPayload: wire.Largest, NoLog: true, NoSigs: true,
	})
	if err != nil {
		return err
	}
	g.server.SetLogger(serverLog{g.Log}, false, false)
	g.server.Start()
	if !g.server.ReadyForConnections(20 * time.Second) {
		return errors.New("it does not start; the server's log says why")
	}
	g.conn, err = nats.Connect("", nats.InProcessServer(g.server), nats.Name("house"),
		nats.Nkey(g.own, own.Sign), nats.MaxReconnects(-1))
	return err
}

// listen hears what nodes say.
func (g *Gate) listen(ctx context.Context) (err error) {
	if g.stream, err = jetstream.New(g.conn); err != nil {
		return err
	}
	// Servers that have just started choose one of them first, which takes a while.
	if err := g.await(ctx, "JetStream", func() error { return g.openStream(ctx) }); err != nil {
		return fmt.Errorf("JetStream does not keep messages: %w", err)
	}
	for subject, answer := range map[string]nats.MsgHandler{
		wire.HelloTo + "*": g.hello, wire.BeatTo + "*": g.beat,
	} {
		// Nodes do not wait for each other.
		beside := func(m *nats.Msg) { g.beside(func() { answer(m) }) }
		if _, err := g.conn.Subscribe(subject, beside); err != nil {
			return err
		}
	}
	return nil
}

// How long servers are waited for that start beside the house, how long between two tries, and how long for one answer
// of JetStream.
const (
	startWithin  = time.Minute
	betweenTries = 500 * time.Millisecond
	oneTry       = 5 * time.Second
)

// await tries something until it works.
func (g *Gate) await(ctx context.Context, what string, try func() error) error {
	began, said := time.Now(), false
	for {
		err := try()
		var strange *tls.CertificateVerificationError
		hopeless := errors.Is(err, nats.ErrAuthorization) || errors.As(err, &strange)
		if err == nil || hopeless || time.Since(began) > startWithin {
			return err
		}
		if !said {
			g.Log.Warn(what+" is waited for", "error", err)
			said = true
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(betweenTries):
		}
	}
}

// openStream opens the stream of what nodes say, which is made if it is not there.
func (g *Gate) openStream(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, oneTry)
	defer cancel()
	replicas := 1
	if g.Cluster != nil && len(g.Cluster.Addresses) >= mostReplicas {
		replicas = mostReplicas
	}
	kept, err := g.stream.CreateOrUpdateStream(ctx, jetstream.StreamConfig{
		Replicas: replicas,
		Name:     wire.Stream, Subjects: []string{wire.SaidTo + "*", wire.DoneTo + "*"},
		Retention: jetstream.WorkQueuePolicy, Storage: jetstream.FileStorage, MaxBytes: 512 << 20,
		Discard: jetstream.DiscardNew, // rather than losing a result: the node tries again
	})
	if err != nil {
		return err
	}
	g.consumer, err = kept.CreateOrUpdateConsumer(ctx, jetstream.ConsumerConfig{
		Durable: "house", AckPolicy: jetstream.AckExplicitPolicy, AckWait: time.Minute, MaxAckPending: 1000,
	})
	return err
}

// Run serves bytes, takes results, and hands out work, until ctx ends.
func (g *Gate) Run(ctx context.Context) error {
	taking, err := g.consumer.Consume(g.kept)
	if err != nil {
		return err
	}
	defer taking.Stop()
	served := make(chan error, 1)
	go func() { served <- g.http.Serve(g.bytes) }()
	var group sync.WaitGroup
	g.clearSpots()
	group.Go(func() { g.watch(ctx) })
	group.Go(func() { farm.Attend(ctx, g.House.Record, g.Hub, g.Nodes) })
	group.Go(func() { g.check(ctx) })
	<-ctx.Done()
	group.Wait()
	g.mutex.Lock()
	g.ends = true
	for _, o := range g.nodes {
		o.end()
	}
	g.mutex.Unlock()
	g.cancel()
	g.group.Wait()
	g.http.Close()
	if err := <-served; !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// Close ends all of it.
func (g *Gate) Close() {
	g.cancel()
	if g.http != nil {
		g.http.Close()
	}
	if g.bytes != nil {
		g.bytes.Close()
	}
	if g.conn != nil {
		g.conn.Close()
	}
	if g.clustered != nil {
		g.clustered.system.Close()
	}
	if g.server != nil {
		g.server.Shutdown()
		g.server.WaitForShutdown()
	}
}

// Addresses returns where it listens, for messages and for bytes.
func (g *Gate) Addresses() (messages, bytes []string) {
	bytes = []string{g.bytes.Addr().String()}
	if g.Cluster != nil {
		return g.Cluster.Addresses, bytes
	}
	return []string{g.server.Addr().String()}, bytes
}

// beside does something beside, unless the gate ends.
func (g *Gate) beside(do func()) bool {
	g.mutex.Lock()
	defer g.mutex.Unlock()
	if !g.ends {
		g.group.Go(do)
	}
	return !g.ends
}

// Nodes returns the nodes that are connected, by their names. Nobody changes what it returns.
func (g *Gate) Nodes() []*farm.Node {
	g.mutex.Lock()
	defer g.mutex.Unlock()
	if g.sorted == nil {
		g.sorted = make([]*farm.Node, 0, len(g.nodes))
		for _, o := range g.nodes {
			g.sorted = append(g.sorted, o.node)
		}
		slices.SortFunc(g.sorted, func(a, b *farm.Node) int { return strings.Compare(a.Name, b.Name) })
	}
	return g.sorted
}

// outposts returns the nodes that have said hello.
func (g *Gate) outposts() (all []*outpost) {
	g.mutex.Lock()
	defer g.mutex.Unlock()
	for _, o := range g.nodes {
		all = append(all, o)
	}
	return all
}

// find returns a node that has said hello.
func (g *Gate) find(name string) *outpost {
	g.mutex.Lock()
	defer g.mutex.Unlock()
	return g.nodes[name]
}

// answer answers a message.
func (g *Gate) answer(m *nats.Msg, with any) {
	text, err := json.Marshal(with)
	if err == nil {
		err = m.Respond(text)
	}
	if err != nil {
		g.Log.Warn("a node was not answered", "subject", m.Subject, "error", err)
	}
}

// watch gives nodes what is new to be done, and takes from those that were not heard of.
func (g *Gate) watch(ctx context.Context) {
	changed, end := g.Hub.Listen()
	defer end()
	look := time.NewTicker(g.Every)
	defer look.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-changed:
		case <-look.C:
		}
		g.lookAfter(time.Now())
		select { // many things change at once
		case <-ctx.Done():
		case <-time.After(min(g.Every/10, lookAtMost)):
		}
	}
}

// lookAtMost is how long something new may wait.
const lookAtMost = 100 * time.Millisecond

// lookAfter does for all nodes what has to be done now.
func (g *Gate) lookAfter(now time.Time) {
	all := g.outposts()
	if err := g.readRecords(now); err != nil {
		g.Log.Error("the nodes cannot be read from the record", "error", err)
		return
	}
	if now.Sub(g.began) > g.Lease {
		g.giveBackLeft()
	}
	var here []*outpost
	g.nothing.clear()
	for _, o := range all {
		record, there := g.records[o.name]
		if (!there || record.Key != o.key) && o.joined.After(g.read) {
			continue // it was read before that
		}
		if !there || record.Key != o.key {
			g.putOut(o, "its token was taken back")
			continue
		}
		o.told(record)
		if record.Stopped {
			o.giveBack("it was stopped: " + record.Paused)
		}
		if since := now.Sub(o.lastSeen()); since > g.Lease {
			o.noteLate()
			g.putOut(o, fmt.Sprintf("nothing was heard of it for %v", since.Round(time.Second)))
			continue
		}
		here = append(here, o)
		o.handOut()
	}
	g.note(now, here...)
}

// readRecords reads what is known of nodes, now and then. Only watch does so.
func (g *Gate) readRecords(now time.Time) error {
	if now.Sub(g.read) < min(g.Every/2, readEvery) {
		return nil
	}
	known, err := g.House.Record.Nodes()
	if err != nil {
		return err
	}
	g.distrust(known)
	g.read, g.records = now, map[string]store.Node{}
	for _, n := range known {
		g.records[n.Name] = n
	}
	return nil
}

// readEvery is how long it may take until what people say of a node holds.
const readEvery = 500 * time.Millisecond

// putOut lets a node go: what it has is given back.
func (g *Gate) putOut(o *outpost, why string) {
	g.Log.Warn("a node is away", "node", o.name, "reason", why)
	g.mutex.Lock()
	if g.nodes[o.name] == o {
		delete(g.nodes, o.name)
		g.sorted = nil
	}
	g.mutex.Unlock()
	o.lose(why)
	if !g.beside(func() { o.node.Settled(); o.stop() }) { // what it had is given back in the name of its context
		o.stop()
	}
	if record, err := g.House.Record.FindNode(o.name); err != nil || record.Key != o.key {
		(*guard)(g).disconnect(o.key)
	}
	g.Hub.Changed()
}
