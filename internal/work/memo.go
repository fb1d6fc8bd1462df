package work

import (
	"context"
	"sync"
	"time"
)

const (
	mostMemo   = 24
	rememberBy = 600              // times as long as it took to read
	longest    = 12 * time.Minute // that anything is remembered; it is read ahead before that
)

// Memo remembers what was read, for longer the longer that took: in a small library what is
// shown is what is there, and in a large one nobody waits twice for the same. The zero Memo is
// empty. What several ask for at once is read once.
type Memo[K comparable, V any] struct {
	mu  sync.Mutex
	all map[K]*remembered[V]
}

type remembered[V any] struct {
	mu    sync.Mutex
	v     V
	until time.Time
}

// Get gives what a key stands for, which read reads where it is not remembered.
func (m *Memo[K, V]) Get(ctx context.Context, key K, read func(context.Context, K) (V, error)) (V, error) {
	r := m.entry(key)
	r.mu.Lock()
	defer r.mu.Unlock()
	began := time.Now()
	if began.Before(r.until) {
		return r.v, nil
	}
	v, err := read(ctx, key)
	if err != nil {
		return v, err
	}
	r.v, r.until = v, time.Now().Add(min(longest, rememberBy*time.Since(began)))
	return v, nil
}

func (m *Memo[K, V]) entry(key K) *remembered[V] {
	m.mu.Lock()
	defer m.mu.Unlock()
	if r, is := m.all[key]; is {
		return r
	}
	if m.all == nil || len(m.all) >= mostMemo {
		m.all = map[K]*remembered[V]{}
	}
	r := &remembered[V]{}
	m.all[key] = r
	return r
}
