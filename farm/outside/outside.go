// Package outside is a node that is on another machine than its house: it joins by its token, does errands with its own
// programs, and hands over what came of them. What it has done and not handed over it keeps on its disk.
package outside

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
	"github.com/nats-io/nkeys"

	"reelhouse/core/job"
	"reelhouse/farm"
	"reelhouse/farm/wire"
	"reelhouse/house"
)

// Options say what a node is.
type Options struct {
	Token   wire.Token
	Scratch string // folder of its own, for what it fetches and makes
	Hello   wire.Hello
	// Programs are what it has, by what they are called in errands.
	Programs map[string]farm.Renderer
	// Shares are folders of the house that this machine has, too.
	Shares []wire.Mapping
	Cache  int64 // bytes that fetched files may take together
	// Load returns the processor time of all cores in use, 0 to 1, and the bytes of memory that are free; nil for not
	// known.
	Load func() (load float64, free int64)
	// Do has a program do an order, as farm.Renderer.Run does; nil for that.
	Do func(
		ctx context.Context, by farm.Renderer, folder string, order any, cores int, heard func(job.Message),
		log *farm.Log,
	) error
	// Dial connects to the house; nil for the usual way.
	Dial func(ctx context.Context, network, address string) (net.Conn, error)
	// Asked hears how long an answer of the house has taken; nil for nobody.
	Asked func(what string, took time.Duration, err error)
	// Repeats is how often a result is said once more, and Vanishes that it ends without a word: for trials.
	Repeats  int
	Vanishes bool
	Log      *slog.Logger
}

// A Node is one that runs.
type Node struct {
	Options
	conn   *nats.Conn
	stream jetstream.JetStream
	bytes  *bytesOf
	beatIn chan struct{} // something has changed

	mutex   sync.Mutex
	welcome wire.Welcome
	joined  bool
	errands map[int64]*errand
	trouble string
	said    string         // why the house could not be reached, as it was said last
	reading map[string]int // files that errands read, by how many

	trimming sync.Mutex
}

// Run joins, and works until ctx ends. It fails at once only if its folder cannot be used, or is another node's.
func Run(ctx context.Context, o Options) error {
	n := &Node{Options: o, beatIn: make(chan struct{}, 1), errands: map[int64]*errand{}, reading: map[string]int{}}
	if err := os.MkdirAll(n.errandsFolder(), 0o700); err != nil {
		return fmt.Errorf("the scratch folder: %w", err)
	}
	unlock, err := house.Lock(filepath.Join(o.Scratch, "node.lock"))
	if err != nil {
		return fmt.Errorf("another node works in the scratch folder %s (%w); give this one another with --scratch",
			o.Scratch, err)
	}
	defer unlock()
	if n.Hello.Instance, err = instanceOf(o.Scratch); err != nil {
		return fmt.Errorf("the scratch folder: %w", err)
	}
	if err := n.takeUp(); err != nil {
		return fmt.Errorf("the scratch folder: %w", err)
	}
	n.bytes = newBytes(o)
	if err := n.connect(); err != nil {
		return err
	}
	defer n.conn.Close()
	var group sync.WaitGroup
	for _, e := range n.all() { // which were done before
		group.Go(func() { n.handOver(ctx, e) })
	}
	pause := time.Second
	for ctx.Err() == nil {
		wait := pause
		switch err := n.once(ctx, &group); {
		case err == nil:
			n.mutex.Lock()
			wait, pause = n.welcome.Every, time.Second
			n.mutex.Unlock()
		default:
			if ctx.Err() == nil {
				n.says(err)
			}
			pause = min(2*pause, 15*time.Second)
		}
		select {
		case <-ctx.Done():
		case <-n.beatIn:
		case <-time.After(wait):
		}
	}
	group.Wait()
	if !n.Vanishes {
		n.leave()
	}
	return nil
}

// leave says that it ends, so that others get what it has, unless that only has to be handed over.
func (n *Node) leave() {
	n.mutex.Lock()
	joined := n.joined
	for _, e := range n.errands {
		if _, working := e.state(); !working {
			joined = false
		}
	}
	n.mutex.Unlock()
	if !joined || !n.conn.IsConnected() {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	var t wire.Tasks
	if err := n.ask(ctx, wire.BeatTo+n.Token.Name, wire.Beat{
		Instance: n.Hello.Instance, Leaving: true,
	}, &t); err != nil {
		n.Log.Debug("the house was not told that it ends", "error", err)
	}
}

// connect connects to the house, now or whenever it can be reached.
func (n *Node) connect() error {
	pair, err := nkeys.FromSeed([]byte(n.Token.Key))
	if err != nil {
		return err
	}
	public, err := pair.PublicKey()
	if err != nil {
		return err
	}
	var urls []string
	for _, address := range n.Token.Messages {
		urls = append(urls, "tls://"+address)
	}
	options := nats.GetDefaultOptions()
	options.Servers, options.Name, options.InboxPrefix = urls, n.Token.Name, wire.Inbox(n.Token.Name)
	options.Nkey, options.SignatureCB = public, pair.Sign
	secured, err := n.Token.MessagesTLS()
	if err != nil {
		return err
	}
	options.Secure, options.TLSConfig = true, secured
	options.MaxReconnect, options.RetryOnFailedConnect, options.AllowReconnect = -1, true, true
	options.ReconnectWait, options.IgnoreAuthErrorAbort = time.Second, true
	options.ConnectedCB = func(*nats.Conn) { n.again() }
	options.ReconnectedCB = func(*nats.Conn) { n.again() }
	options.DisconnectedErrCB = func(_ *nats.Conn, err error) {
		if err != nil { // otherwise it ends
			n.Log.Warn("the line to the house is down", "error", err)
		}
	}
	options.AsyncErrorCB = func(_ *nats.Conn, _ *nats.Subscription, err error) { n.Log.Warn("refused", "error", err) }
	if n.Dial != nil {
		options.CustomDialer = dialer(n.Dial)
	}
	if n.conn, err = options.Connect(); err != nil {
		return err
	}
	if _, err := n.conn.Subscribe(wire.PokeTo+n.Token.Name, func(*nats.Msg) { n.poke() }); err != nil {
		return err
	}
	n.stream, err = jetstream.New(n.conn)
	return err
}

// A dialer connects as nats wants it.
type dialer func(ctx context.Context, network, address string) (net.Conn, error)

// Dial connects.
func (d dialer) Dial(network, address string) (net.Conn, error) {
	ctx, cancel := context.WithTimeout(context.Background(), answerWithin)
	defer cancel()
	return d(ctx, network, address)
}

// says says why the house does not answer, once for each reason.
func (n *Node) says(err error) {
	why := err.Error()
	if last := n.conn.LastError(); last != nil && !n.conn.IsConnected() {
		if why = last.Error(); errors.Is(last, nats.ErrAuthorization) {
			why = "it does not know the key of this token; it may have been taken back"
		}
	}
	if n.said != why {
		n.said = why
		n.Log.Warn("the house does not answer; it is tried again", "reason", why)
	}
}

// instanceOf returns what a scratch folder is called, which nobody else is.
func instanceOf(folder string) (string, error) {
	path := filepath.Join(folder, "instance")
	text, err := os.ReadFile(path)
	if err == nil && len(text) >= len(rand.Text()) {
		return string(text), nil
	}
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return "", err
	}
	made := rand.Text()
	return made, os.WriteFile(path, []byte(made), 0o600)
}

// poke lets it beat at once.
func (n *Node) poke() {
	select {
	case n.beatIn <- struct{}{}:
	default:
	}
}

// again lets it say hello once more.
func (n *Node) again() {
	n.mutex.Lock()
	n.joined = false
	n.mutex.Unlock()
	n.poke()
}

// answerWithin is how long it waits for an answer of the house.
const answerWithin = 10 * time.Second

// ask sends a message and reads its answer.
func (n *Node) ask(ctx context.Context, subject string, message, answer any) error {
	text, err := json.Marshal(message)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, answerWithin)
	defer cancel()
	began := time.Now()
	m, err := n.conn.RequestWithContext(ctx, subject, text)
	n.noteAsked(strings.Split(subject, ".")[1], began, err)
	if err != nil {
		return err
	}
	return json.Unmarshal(m.Data, answer)
}

// noteAsked tells how long an answer has taken.
func (o Options) noteAsked(what string, began time.Time, err error) {
	if o.Asked != nil && !errors.Is(err, context.Canceled) { // by the node itself
		o.Asked(what, time.Since(began), err)
	}
}

// once says hello, if the house does not know it, or beats.
func (n *Node) once(ctx context.Context, group *sync.WaitGroup) error {
	if !n.conn.IsConnected() {
		return errors.New("it cannot be reached")
	}
	n.mutex.Lock()
	joined := n.joined
	n.mutex.Unlock()
	if !joined {
		var w wire.Welcome
		if err := n.ask(ctx, wire.HelloTo+n.Token.Name, n.Hello, &w); err != nil {
			return err
		}
		if w.Refused != "" {
			return &refusedError{w.Refused}
		}
		n.mutex.Lock()
		n.welcome, n.joined = w, true
		n.mutex.Unlock()
		n.bytes.set(w.Key)
		n.answer(w.Shares)
		n.told()
	}
	var t wire.Tasks
	if err := n.ask(ctx, wire.BeatTo+n.Token.Name, n.state(), &t); err != nil {
		return err
	}
	if t.Unknown {
		n.again()
		return nil
	}
	n.follow(ctx, t, group)
	return nil
}

// told says that the house lets it in, and what that is to know.
func (n *Node) told() {
	n.said = ""
	n.Log.Info("joined", "node", n.Token.Name)
	if n.Hello.Simulated {
		return
	}
	if n.welcome.Program != n.Hello.Program {
		n.Log.Warn("the house has another version of the program", "house", n.welcome.Program, "this node",
			n.Hello.Program)
	}
	if len(n.welcome.Lacks) > 0 {
		n.Log.Info("it gets no tasks for what it does not have", "lacks", strings.Join(n.welcome.Lacks, ", "))
	}
}

// refusedError says why the house gives a node no work.
type refusedError struct{ why string }

func (e *refusedError) Error() string { return "it gives this node no work: " + e.why }

// roomLeft is how much of its disk a node leaves alone, in bytes.
const roomLeft = 1 << 30

// state is what it tells of itself.
func (n *Node) state() wire.Beat {
	free := house.FreeBytes(n.Scratch)
	n.mutex.Lock()
	defer n.mutex.Unlock()
	b := wire.Beat{Instance: n.Hello.Instance, Free: n.Hello.Slots, Disk: int64(max(0, free)), Trouble: n.trouble}
	if n.Load != nil {
		b.Load, b.Memory = n.Load()
	}
	if free >= 0 && free < roomLeft {
		b.Trouble = "its disk is full"
	}
	for _, e := range n.errands {
		at, working := e.state()
		if working {
			b.Free--
		}
		b.Have = append(b.Have, at)
	}
	slices.SortFunc(b.Have, func(x, y wire.Held) int { return int(x.Lease - y.Lease) })
	b.Free = max(0, b.Free)
	return b
}

// follow begins what is new, and ends what is not its own any more.
func (n *Node) follow(ctx context.Context, t wire.Tasks, group *sync.WaitGroup) {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	for lease, e := range n.errands {
		if !slices.Contains(t.Leases, lease) {
			delete(n.errands, lease)
			e.drop()
		}
	}
	for _, lease := range t.Leases {
		if e := n.errands[lease]; e != nil {
			if e.unheard(n.welcome.Lease) {
				group.Go(func() { n.handOver(ctx, e) })
			}
			continue
		}
		e := &errand{lease: lease, folder: n.folderOf(lease), dropped: make(chan struct{})}
		n.errands[lease] = e
		group.Go(func() { n.do(ctx, e) })
	}
}

// all returns what it has.
func (n *Node) all() (all []*errand) {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	for _, e := range n.errands {
		all = append(all, e)
	}
	return all
}

func (n *Node) errandsFolder() string { return filepath.Join(n.Scratch, "errands") }

func (n *Node) folderOf(lease int64) string {
	return filepath.Join(n.errandsFolder(), strconv.FormatInt(lease, 10))
}

// takeUp finds what was done before it started and is not handed over, and removes what was not done to its end.
func (n *Node) takeUp() error {
	entries, err := os.ReadDir(n.errandsFolder())
	if err != nil {
		return err
	}
	for _, entry := range entries {
		lease, err := strconv.ParseInt(entry.Name(), 10, 64)
		e := &errand{lease: lease, folder: n.folderOf(lease), dropped: make(chan struct{})}
		if err != nil || e.readOutcome() != nil {
			if err := os.RemoveAll(filepath.Join(n.errandsFolder(), entry.Name())); err != nil {
				return err
			}
			continue
		}
		n.errands[lease] = e
	}
	return nil
}
