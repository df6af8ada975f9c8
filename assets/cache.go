package assets

import (
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"
)

// A cache holds what was read last, by keys: so many things, and if size is given so many bytes of them, but always
// one. What several want at once is read once.
type cache[T any] struct {
	mostBytes int64
	size      func(T) int64
	flight    singleflight.Group

	mutex sync.Mutex
	kept  *lru.Cache[string, T]
}

func newCache[T any](most int, mostBytes int64, size func(T) int64) *cache[T] {
	kept, err := lru.New[string, T](most)
	if err != nil {
		panic(err) // most is above 0
	}
	return &cache[T]{mostBytes: mostBytes, size: size, kept: kept}
}

// get returns what is held under a key, and has it read if it is not there.
func (c *cache[T]) get(key string, read func() (T, error)) (T, error) {
	if thing, ok := c.kept.Get(key); ok {
		return thing, nil
	}
	thing, err, _ := c.flight.Do(key, func() (any, error) {
		thing, err := read()
		if err == nil {
			c.add(key, thing)
		}
		return thing, err
	})
	return thing.(T), err
}

// add holds a thing, and lets go of what was not used for longest.
func (c *cache[T]) add(key string, thing T) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.kept.Add(key, thing)
	if c.size == nil {
		return
	}
	for c.kept.Len() > 1 {
		bytes := int64(0)
		for _, other := range c.kept.Values() {
			bytes += c.size(other)
		}
		if bytes <= c.mostBytes {
			return
		}
		c.kept.RemoveOldest()
	}
}
