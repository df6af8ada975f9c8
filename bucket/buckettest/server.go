// Package buckettest is a store of objects that stands in for one that speaks the API of S3, for tests.
package buckettest

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
)

// A Store is such a store, with one bucket.
type Store struct {
	URL     string // of the bucket, for bucket.Open
	Backend *s3mem.Backend
	Down    atomic.Bool  // it answers nobody
	Asked   atomic.Int64 // requests
	Forgets atomic.Bool  // it overwrites what it has, although it is told not to
}

// Name is what its bucket is called.
const Name = "reels"

// New starts a store, which ends with the test. The environment gets a key for it.
func New(t testing.TB) *Store {
	t.Helper()
	s := &Store{Backend: s3mem.New()}
	if err := s.Backend.CreateBucket(Name); err != nil {
		t.Fatal(err)
	}
	fake := gofakes3.New(s.Backend, gofakes3.WithLogger(gofakes3.DiscardLog())).Server()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s.Asked.Add(1)
		if s.Down.Load() {
			http.Error(w, "down", http.StatusServiceUnavailable)
			return
		}
		if s.Forgets.Load() {
			r.Header.Del("If-None-Match")
		}
		fake.ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	for key, value := range map[string]string{
		"AWS_ACCESS_KEY_ID": "key", "AWS_SECRET_ACCESS_KEY": "secret", "AWS_EC2_METADATA_DISABLED": "true",
		"AWS_CONFIG_FILE": "/dev/null", "AWS_SHARED_CREDENTIALS_FILE": "/dev/null", "AWS_MAX_ATTEMPTS": "1",
	} {
		t.Setenv(key, value)
	}
	s.URL = "s3://" + Name + "?region=test&use_path_style=true&endpoint=" + server.URL
	return s
}

// Get returns an object, "" if there is none.
func (s *Store) Get(t testing.TB, name string) string {
	t.Helper()
	o, err := s.Backend.GetObject(Name, name, nil)
	if err != nil {
		return ""
	}
	defer o.Contents.Close()
	text, err := io.ReadAll(o.Contents)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// Set overwrites an object, as another program might.
func (s *Store) Set(t testing.TB, name, text string) {
	t.Helper()
	_, err := s.Backend.PutObject(Name, name, map[string]string{}, strings.NewReader(text), int64(len(text)), nil)
	if err != nil {
		t.Fatal(err)
	}
}

// Names returns the names of all objects.
func (s *Store) Names(t testing.TB) (all []string) {
	t.Helper()
	list, err := s.Backend.ListBucket(Name, &gofakes3.Prefix{}, gofakes3.ListBucketPage{})
	if err != nil {
		t.Fatal(err)
	}
	for _, o := range list.Contents {
		all = append(all, o.Key)
	}
	return all
}
