// Package waiting does costly work for as long as somebody waits for it. Those who want the same share it; when the
// last of them has gone, it ends. Whoever came last is served first: of a page that somebody has left already nothing
// is made before what is looked at now.
//
//	line := waiting.NewLine(1)
//	pictures := waiting.NewShelf(20, 0, nil)
//	picture, err := pictures.Get(ctx, "quay 1001", func(ctx context.Context) ([]byte, error) {
//		return waiting.In(ctx, line, func() ([]byte, error) { return render(ctx) })
//	})
package waiting

import (
	"context"
	"fmt"
	"slices"
	"sync"
)

// A Line lets only so many at a time go on. Of those that wait it takes the newest.
type Line struct {
	mutex   sync.Mutex
	free    int
	waiting []chan struct{} // the newest is last
}

// NewLine returns a line that lets n go on at a time.
func NewLine(n int) *Line { return &Line{free: n} }

// Take waits for a turn, unless ctx ends before. The turn is given back with Leave.
func (l *Line) Take(ctx context.Context) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	l.mutex.Lock()
	if l.free > 0 {
		l.free--
		l.mutex.Unlock()
		return nil
	}
	turn := make(chan struct{})
	l.waiting = append(l.waiting, turn)
	l.mutex.Unlock()
	select {
	case <-turn:
		return nil
	case <-ctx.Done():
	}
	l.mutex.Lock()
	i := slices.Index(l.waiting, turn)
	if i >= 0 {
		l.waiting = slices.Delete(l.waiting, i, i+1)
	}
	l.mutex.Unlock()
	if i < 0 { // it was given meanwhile
		l.Leave()
	}
	return ctx.Err()
}

// Leave gives a turn back.
func (l *Line) Leave() {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if last := len(l.waiting) - 1; last >= 0 {
		close(l.waiting[last])
		l.waiting = l.waiting[:last]
		return
	}
	l.free++
}

// In does work when its turn has come.
func In[T any](ctx context.Context, l *Line, work func() (T, error)) (T, error) {
	if err := l.Take(ctx); err != nil {
		var none T
		return none, err
	}
	defer l.Leave()
	return work()
}

// A Shelf keeps what was made last, by keys.
type Shelf[T any] struct {
	most      int
	mostBytes int64
	size      func(T) int64

	mutex sync.Mutex
	kept  []item[T] // the one used last stands last
	bytes int64
	calls map[string]*call[T]
}

type item[T any] struct {
	key   string
	thing T
	bytes int64
}

// A call is the making of one thing.
type call[T any] struct {
	waiters int
	cancel  context.CancelFunc
	done    chan struct{}
	thing   T
	err     error
}

// NewShelf returns a shelf for so many things and, if size is given, so many bytes. One thing is kept however large it
// is.
func NewShelf[T any](most int, mostBytes int64, size func(T) int64) *Shelf[T] {
	return &Shelf[T]{most: most, mostBytes: mostBytes, size: size, calls: map[string]*call[T]{}}
}

// Get returns what is kept under a key, and has it made if it is not there. The context that make gets ends when nobody
// waits any more.
func (s *Shelf[T]) Get(ctx context.Context, key string, make func(ctx context.Context) (T, error)) (T, error) {
	s.mutex.Lock()
	if i := slices.IndexFunc(s.kept, func(k item[T]) bool { return k.key == key }); i >= 0 {
		found := s.kept[i]
		s.kept = append(slices.Delete(s.kept, i, i+1), found)
		s.mutex.Unlock()
		return found.thing, nil
	}
	c := s.calls[key]
	if c == nil {
		c = s.begin(ctx, key, make)
	}
	c.waiters++
	s.mutex.Unlock()
	select {
	case <-c.done:
		return c.thing, c.err
	case <-ctx.Done():
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if c.waiters--; c.waiters == 0 {
		c.cancel()
		if s.calls[key] == c { // the next one who asks begins anew
			delete(s.calls, key)
		}
	}
	var none T
	return none, ctx.Err()
}

// begin has something made.
func (s *Shelf[T]) begin(ctx context.Context, key string, work func(ctx context.Context) (T, error)) *call[T] {
	ctx, cancel := context.WithCancel(context.WithoutCancel(ctx))
	c := &call[T]{cancel: cancel, done: make(chan struct{})}
	s.calls[key] = c
	go func() {
		defer cancel()
		defer close(c.done)
		defer func() {
			if r := recover(); r != nil {
				c.err = fmt.Errorf("it broke down: %v", r)
			}
			s.mutex.Lock()
			defer s.mutex.Unlock()
			if s.calls[key] == c {
				delete(s.calls, key)
			}
			if c.err == nil {
				s.keep(key, c.thing)
			}
		}()
		c.thing, c.err = work(ctx)
	}()
	return c
}

// keep puts a thing on the shelf, and takes off what was not used for longest.
func (s *Shelf[T]) keep(key string, thing T) {
	if slices.ContainsFunc(s.kept, func(k item[T]) bool { return k.key == key }) {
		return
	}
	bytes := int64(0)
	if s.size != nil {
		bytes = s.size(thing)
	}
	s.kept, s.bytes = append(s.kept, item[T]{key, thing, bytes}), s.bytes+bytes
	for len(s.kept) > 1 && (len(s.kept) > s.most || s.size != nil && s.bytes > s.mostBytes) {
		s.bytes -= s.kept[0].bytes
		s.kept = slices.Delete(s.kept, 0, 1)
	}
}
