package outside

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"reelhouse/farm/wire"
	"reelhouse/house"
)

// bytesOf fetches bytes from the house, and sends it those of files.
type bytesOf struct {
	token  wire.Token
	client *http.Client
	asked  func(what string, began time.Time, err error)

	mutex sync.Mutex
	pass  string
	first int                    // address that was reached last
	busy  map[string]*sync.Mutex // hashes that are being fetched
	read  map[string]time.Time   // files that were held against their hashes, and when they were written then
}

func newBytes(o Options) *bytesOf {
	dial := o.Dial
	if dial == nil {
		dial = (&net.Dialer{Timeout: 5 * time.Second}).DialContext
	}
	return &bytesOf{
		token: o.Token, busy: map[string]*sync.Mutex{}, read: map[string]time.Time{}, asked: o.noteAsked,
		client: &http.Client{Transport: &http.Transport{
			TLSClientConfig: o.Token.TLS(), MaxIdleConnsPerHost: 4, TLSHandshakeTimeout: 10 * time.Second,
			DialContext: dial, ResponseHeaderTimeout: time.Minute,
			IdleConnTimeout: time.Minute,
		}},
	}
}

// set takes the pass that the house has given.
func (b *bytesOf) set(pass string) {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	b.pass = pass
}

// ask asks the first address of the house that can be reached. The answer has a status below 300.
func (b *bytesOf) ask(
	ctx context.Context, method, path string, query url.Values, header http.Header, body func() (io.Reader, int64),
) (*http.Response, error) {
	b.mutex.Lock()
	pass, first := b.pass, b.first
	b.mutex.Unlock()
	var failed error
	for i := range b.token.Bytes {
		at := (first + i) % len(b.token.Bytes)
		address := b.token.Bytes[at]
		u := url.URL{Scheme: "https", Host: address, Path: path, RawQuery: query.Encode()}
		ctx, cancel := context.WithCancel(ctx)
		dead := time.AfterFunc(deadAfter, cancel)
		end := func() { dead.Stop(); cancel() }
		r, err := http.NewRequestWithContext(ctx, method, u.String(), nil)
		if err != nil {
			end()
			return nil, err
		}
		if body != nil {
			from, length := body()
			r.Body, r.ContentLength = &alive{from: io.NopCloser(from), dead: dead, end: func() {}}, length
			if length == 0 {
				r.Body = http.NoBody
			}
		}
		for key, values := range header {
			r.Header[key] = values
		}
		r.SetBasicAuth(b.token.Name, pass)
		began := time.Now()
		answer, err := b.client.Do(r)
		b.asked(method+" "+strings.Split(path, "/")[1], began, err)
		if err != nil {
			end()
			failed = errors.Join(failed, err)
			continue
		}
		answer.Body = &alive{from: answer.Body, dead: dead, end: end}
		b.mutex.Lock()
		b.first = at
		b.mutex.Unlock()
		if answer.StatusCode < 300 {
			return answer, nil
		}
		text, _ := io.ReadAll(io.LimitReader(answer.Body, 1<<10))
		answer.Body.Close()
		return nil, &answered{answer.StatusCode, string(text)}
	}
	return nil, failed
}

// deadAfter is how long nothing may come over the line, or go: then it is taken for dead, and tried again.
const deadAfter = 90 * time.Second

// alive notes that something comes or goes.
type alive struct {
	from io.ReadCloser
	dead *time.Timer
	end  func()
}

func (a *alive) Read(p []byte) (int, error) {
	a.dead.Reset(deadAfter)
	return a.from.Read(p)
}

func (a *alive) Close() error {
	a.end()
	return a.from.Close()
}

// answered is an answer of the house that is no good one.
type answered struct {
	status int
	text   string
}

func (a *answered) Error() string { return fmt.Sprintf("the house says %d: %s", a.status, a.text) }

// mostErrand is how long an errand may be, in bytes.
const mostErrand = 256 << 20

// errand fetches an errand.
func (b *bytesOf) errand(ctx context.Context, lease int64, into *wire.Errand) error {
	return patiently(ctx, func() error {
		answer, err := b.ask(ctx, http.MethodGet, "/errand/"+strconv.FormatInt(lease, 10), nil, nil, nil)
		if err != nil {
			return err
		}
		defer answer.Body.Close()
		return json.NewDecoder(io.LimitReader(answer.Body, mostErrand)).Decode(into)
	})
}

// mostTries is how often something is tried over a bad line.
const mostTries = 6

// patiently tries something again, a little later each time, as long as the line, or the house, is what is wrong.
func patiently(ctx context.Context, try func() error) error {
	for tries := 0; ; tries++ {
		err := try()
		var said *answered
		final := errors.As(err, &said) && said.status != http.StatusUnauthorized &&
			said.status != http.StatusServiceUnavailable
		if err == nil || final || tries == mostTries || ctx.Err() != nil {
			return err
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Duration(1<<tries) * 200 * time.Millisecond):
		}
	}
}

// cachePath returns where a file that was fetched is kept. Its name keeps its ending, by which programs tell what it
// is.
func cachePath(cache string, r wire.Read) string {
	sum := sha256.Sum256([]byte(r.SHA256 + r.Name)) // which is a name of a file, whatever the house says
	name := hex.EncodeToString(sum[:])
	return filepath.Join(cache, name[:2], name[2:], filepath.Base(filepath.Clean("/"+r.Name)))
}

// fetch returns where a file is on this machine, which is fetched to a path if it is not there yet. What was fetched of
// it before stays.
func (b *bytesOf) fetch(ctx context.Context, path string, r wire.Read) (string, error) {
	b.mutex.Lock()
	one := b.busy[r.SHA256]
	if one == nil {
		one = &sync.Mutex{}
		b.busy[r.SHA256] = one
	}
	b.mutex.Unlock()
	one.Lock()
	defer one.Unlock()
	if b.isThere(path, r) {
		return path, b.used(path)
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", err
	}
	part := path + ".fetched"
	if err := patiently(ctx, func() error { return b.fetchInto(ctx, part, r) }); err != nil {
		return "", err
	}
	if err := os.Rename(part, path); err != nil {
		return "", err
	}
	return path, b.used(path)
}

// isThere reports whether a file is there that was fetched. It is held against its hash when it is used first since the
// node began, and when it was written to since.
func (b *bytesOf) isThere(path string, r wire.Read) bool {
	f, info, err := house.OpenPlain(path)
	if err != nil {
		return false
	}
	defer f.Close()
	b.mutex.Lock()
	read, known := b.read[path]
	b.mutex.Unlock()
	if known && read.Equal(info.ModTime()) && info.Size() == r.Bytes {
		return true
	}
	if sum, err := house.SumOf(f); err == nil && sum.SHA256 == r.SHA256 && sum.Bytes == r.Bytes {
		return true
	}
	_ = os.Remove(path)
	return false
}

// used notes that a file, which is what its hash says, is used now: what was not used for longest is removed first.
func (b *bytesOf) used(path string) error {
	now := time.Now()
	if err := os.Chtimes(path, now, now); err != nil {
		return err
	}
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	b.mutex.Lock()
	defer b.mutex.Unlock()
	if len(b.read) >= mostRead { // of which many are gone
		clear(b.read)
	}
	b.read[path] = info.ModTime()
	return nil
}

// mostRead is of how many files it is known that they are what their hashes say.
const mostRead = 10_000

// fetchInto fetches what is missing of a file.
func (b *bytesOf) fetchInto(ctx context.Context, part string, r wire.Read) error {
	f, err := os.OpenFile(part, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return err
	}
	defer f.Close()
	at, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return err
	}
	if at < r.Bytes {
		header := http.Header{"Range": {fmt.Sprintf("bytes=%d-", at)}, "If-Range": {strconv.Quote(r.SHA256)}}
		answer, err := b.ask(ctx, http.MethodGet, "/bytes/"+r.SHA256, nil, header, nil)
		if err != nil {
			return err
		}
		defer answer.Body.Close()
		if answer.StatusCode != http.StatusPartialContent {
			at = 0
		}
		if _, err := f.Seek(at, io.SeekStart); err != nil {
			return err
		}
		if _, err := io.Copy(f, io.LimitReader(answer.Body, r.Bytes-at+1)); err != nil {
			return err
		}
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	sum, err := house.SumOf(f)
	if err == nil && (sum.SHA256 != r.SHA256 || sum.Bytes != r.Bytes) {
		err = errors.Join(errors.New("what was fetched is not what its hash says"), os.Remove(part))
	}
	return errors.Join(err, f.Sync())
}

// pieceBytes is how much of a file is sent at once.
const pieceBytes = 8 << 20

// send sends a file, from where the house has it.
func (b *bytesOf) send(ctx context.Context, lease int64, made wire.Made, path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	address := fmt.Sprintf("/file/%d/%d", lease, made.Write)
	answer, err := b.ask(ctx, http.MethodGet, address, nil, nil, nil)
	if err != nil {
		return err
	}
	answer.Body.Close()
	at, err := strconv.ParseInt(answer.Header.Get(wire.HaveHeader), 10, 64)
	if err != nil || at < 0 || at > made.Bytes {
		at = 0
	}
	for {
		n := min(pieceBytes, made.Bytes-at)
		query := url.Values{"at": {strconv.FormatInt(at, 10)}}
		if at+n == made.Bytes {
			query.Set("sum", made.SHA256)
		}
		answer, err := b.ask(ctx, http.MethodPut, address, query, nil, func() (io.Reader, int64) {
			return io.NewSectionReader(f, at, n), n
		})
		if err != nil {
			return err
		}
		answer.Body.Close()
		if at += n; at >= made.Bytes {
			return nil
		}
	}
}

func (n *Node) cacheFolder() string { return filepath.Join(n.Scratch, "fetched") }

// trim removes what was fetched and not used for longest, until it takes no more than it may. What is used now stays.
func (n *Node) trim() {
	n.trimming.Lock()
	defer n.trimming.Unlock()
	type kept struct {
		path  string
		bytes int64
		at    time.Time
	}
	var all []kept
	sum := int64(0)
	paths, _ := filepath.Glob(filepath.Join(n.cacheFolder(), "*", "*", "*"))
	for _, path := range paths {
		if info, err := os.Stat(path); err == nil {
			all = append(all, kept{path, info.Size(), info.ModTime()})
			sum += info.Size()
		}
	}
	slices.SortFunc(all, func(a, b kept) int { return a.at.Compare(b.at) })
	for _, k := range all {
		if sum <= n.Cache {
			return
		}
		if !n.inUse(k.path) {
			if os.RemoveAll(filepath.Dir(k.path)) == nil {
				sum -= k.bytes
			}
		}
	}
}

// hold says that files are in use, until what it returns is called.
func (n *Node) hold(paths []string) (release func()) {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	for _, path := range paths {
		n.reading[path]++
	}
	return func() {
		n.mutex.Lock()
		defer n.mutex.Unlock()
		for _, path := range paths {
			if n.reading[path]--; n.reading[path] <= 0 {
				delete(n.reading, path)
			}
		}
	}
}

func (n *Node) inUse(path string) bool {
	n.mutex.Lock()
	defer n.mutex.Unlock()
	return n.reading[path] > 0
}
