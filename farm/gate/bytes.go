package gate

import (
	"crypto/subtle"
	"errors"
	"io"
	"net/http"
	"os"
	"strconv"
	"sync"
	"time"

	"github.com/prometheus/client_golang/prometheus"

	"reelhouse/farm"
	"reelhouse/farm/wire"
	"reelhouse/house"
	"reelhouse/store"
)

// handler serves bytes to nodes, and takes theirs.
func (g *Gate) handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /errand/{lease}", g.forNode(g.giveErrand))
	mux.HandleFunc("GET /bytes/{sum}", g.forNode(g.giveBytes))
	mux.HandleFunc("GET /file/{lease}/{write}", g.forNode(g.tellFile))
	mux.HandleFunc("PUT /file/{lease}/{write}", g.forNode(g.takeFile))
	return mux
}

// forNode lets a node in that has the pass of its last hello.
func (g *Gate) forNode(serve func(w http.ResponseWriter, r *http.Request, o *outpost)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		name, pass, _ := r.BasicAuth()
		o := g.find(name)
		if o == nil || subtle.ConstantTimeCompare([]byte(pass), []byte(o.passNow())) != 1 {
			http.Error(w, "say hello first", http.StatusUnauthorized)
			return
		}
		serve(w, r, o)
	}
}

func (o *outpost) passNow() string {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.pass
}

// giveErrand gives an errand to the node that has its lease.
func (g *Gate) giveErrand(w http.ResponseWriter, r *http.Request, o *outpost) {
	lease, err := strconv.ParseInt(r.PathValue("lease"), 10, 64)
	e := o.errand(lease)
	if err != nil || e == nil {
		http.Error(w, "the node does not have that lease", http.StatusNotFound)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write(e.text)
}

// giveBytes gives a file that an errand of the node reads, from anywhere in it.
func (g *Gate) giveBytes(w http.ResponseWriter, r *http.Request, o *outpost) {
	sum := r.PathValue("sum")
	path := ""
	o.mutex.Lock()
	for _, e := range o.errands {
		if read, there := e.reads[sum]; there {
			path = read.path
		}
	}
	o.mutex.Unlock()
	if path == "" {
		_ = o.refuse("it asked for a file that none of its errands reads")
		http.Error(w, "no errand of the node reads that", http.StatusForbidden)
		return
	}
	f, info, err := house.OpenPlain(path)
	if err != nil {
		http.Error(w, "it cannot be read just now", http.StatusServiceUnavailable)
		return
	}
	defer f.Close()
	w.Header().Set("ETag", strconv.Quote(sum))
	w.Header().Set("Content-Type", "application/octet-stream")
	counted := countingReader{f, g.figures.bytes.WithLabelValues("to nodes")}
	http.ServeContent(w, r, "", info.ModTime(), counted)
}

// tellFile says how much there is of a file that is being sent.
func (g *Gate) tellFile(w http.ResponseWriter, r *http.Request, o *outpost) {
	_, file := o.fileFor(w, r)
	if file == nil {
		return
	}
	file.mutex.Lock()
	defer file.mutex.Unlock()
	have := int64(0)
	if info, err := os.Stat(farm.SentPath(file.path)); err == nil {
		have = info.Size()
	}
	w.Header().Set(wire.HaveHeader, strconv.FormatInt(have, 10))
}

// fileFor returns the file that a request names; nil if that was answered by an error.
func (o *outpost) fileFor(w http.ResponseWriter, r *http.Request) (*errand, *writeFile) {
	e, file, err := o.fileAt(r.PathValue("lease"), r.PathValue("write"))
	switch {
	case errors.Is(err, errNotYet):
		http.Error(w, err.Error(), http.StatusServiceUnavailable)
	case err != nil:
		http.Error(w, err.Error(), http.StatusNotFound)
	}
	return e, file
}

// takeFile takes a piece of a file. Pieces come in their order; the last one says what all of it has to be.
func (g *Gate) takeFile(w http.ResponseWriter, r *http.Request, o *outpost) {
	e, file := o.fileFor(w, r)
	if file == nil {
		return
	}
	at, err := strconv.ParseInt(r.URL.Query().Get("at"), 10, 64)
	if err != nil || at < 0 {
		http.Error(w, "at which byte the piece begins is missing", http.StatusBadRequest)
		return
	}
	// A line that is dead without a word keeps the file from the next one for a lease's time, and no longer.
	control := http.NewResponseController(w)
	body := readerFunc(func(p []byte) (int, error) {
		if err := control.SetReadDeadline(time.Now().Add(g.Lease)); err != nil {
			return 0, err
		}
		n, err := r.Body.Read(p)
		g.figures.bytes.WithLabelValues("from nodes").Add(float64(n))
		return n, err
	})
	defer func() { _ = control.SetReadDeadline(time.Time{}) }()
	file.mutex.Lock()
	defer file.mutex.Unlock()
	if e.over() {
		http.Error(w, "the errand has ended", http.StatusNotFound)
		return
	}
	status, err := file.take(body, at, r.URL.Query().Get("sum"))
	if status == http.StatusForbidden {
		err = o.refuse("%s: %w", plainName(file.path), err)
	}
	if err != nil {
		http.Error(w, err.Error(), status)
	}
}

// countingReader counts what is read.
type countingReader struct {
	io.ReadSeeker
	bytes prometheus.Counter
}

func (c countingReader) Read(p []byte) (int, error) {
	n, err := c.ReadSeeker.Read(p)
	c.bytes.Add(float64(n))
	return n, err
}

type readerFunc func(p []byte) (int, error)

func (f readerFunc) Read(p []byte) (int, error) { return f(p) }

// take takes a piece of a file that begins at a byte. If sum is not "", it is the last one, and says what all of the
// file has to be.
func (f *writeFile) take(from io.Reader, at int64, sum string) (status int, err error) {
	if at > f.most {
		return http.StatusForbidden, tooLarge(f.most)
	}
	if f.done != nil {
		return http.StatusOK, nil // sent twice
	}
	out, err := os.OpenFile(farm.SentPath(f.path), os.O_RDWR|os.O_CREATE, 0o644)
	if err != nil {
		return http.StatusInsufficientStorage, err
	}
	defer out.Close()
	info, err := out.Stat()
	if err != nil {
		return http.StatusInsufficientStorage, err
	}
	if at > info.Size() {
		return http.StatusConflict, errors.New("what stands before it is missing; ask how much is there")
	}
	if _, err := out.Seek(at, io.SeekStart); err != nil {
		return http.StatusInsufficientStorage, err
	}
	n, err := io.Copy(out, io.LimitReader(from, f.most-at+1))
	if at+n > f.most {
		_ = os.Remove(farm.SentPath(f.path))
		return http.StatusForbidden, tooLarge(f.most)
	}
	if err != nil {
		return http.StatusInsufficientStorage, err
	}
	if sum == "" {
		return http.StatusOK, nil
	}
	if err := errors.Join(out.Truncate(at+n), out.Sync()); err != nil {
		return http.StatusInsufficientStorage, err
	}
	is, err := sumOf(out)
	if err != nil {
		return http.StatusInsufficientStorage, err
	}
	if is.SHA256 != sum {
		_ = os.Remove(farm.SentPath(f.path))
		return http.StatusForbidden, errors.New("it is not what its hash says")
	}
	// Only now it gets the name that is judged: nobody has it open any more who could write on.
	if err := errors.Join(out.Close(), os.Rename(farm.SentPath(f.path), f.path)); err != nil {
		return http.StatusInsufficientStorage, err
	}
	f.done = &wire.Made{Bytes: is.Bytes, SHA256: is.SHA256}
	return http.StatusOK, nil
}

func tooLarge(most int64) error {
	return errors.New("it is larger than the " + strconv.FormatInt(most>>20, 10) + " MB that it may have")
}

// sums are the hashes of files that nodes read, which are taken once as long as the files do not change.
type sums struct {
	mutex sync.Mutex
	known map[string]knownSum
}

type knownSum struct {
	bytes int64
	time  time.Time
	sum   store.File
}

// mostSums is how many are known; then it begins anew.
const mostSums = 10_000

// of returns the size and hash of a file.
func (s *sums) of(path string) (store.File, error) {
	f, info, err := house.OpenPlain(path)
	if err != nil {
		return store.File{}, err
	}
	defer f.Close()
	s.mutex.Lock()
	k, there := s.known[path]
	s.mutex.Unlock()
	if there && k.bytes == info.Size() && k.time.Equal(info.ModTime()) {
		return k.sum, nil
	}
	sum, err := sumOf(f)
	if err != nil {
		return sum, err
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.known == nil || len(s.known) >= mostSums {
		s.known = map[string]knownSum{}
	}
	s.known[path] = knownSum{info.Size(), info.ModTime(), sum}
	return sum, nil
}

// sumOf reads a file from its beginning.
func sumOf(f io.ReadSeeker) (store.File, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return store.File{}, err
	}
	return house.SumOf(f)
}
