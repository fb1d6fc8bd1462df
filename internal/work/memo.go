package work

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"goldshelf/internal/shared"
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
	reading shared.Work[V]
	kept    atomic.Pointer[kept[V]]
}

type kept[V any] struct {
	v     V
	until time.Time
}

// readWithin is how long reading something may take.
const readWithin = 3 * time.Minute

// Get gives what a key stands for, which read reads where it is not remembered: for all who ask
// at the same time once, on none of their contexts.
func (m *Memo[K, V]) Get(ctx context.Context, key K, read func(context.Context, K) (V, error)) (V, error) {
	r := m.entry(key)
	if k := r.kept.Load(); k != nil && time.Now().Before(k.until) {
		return k.v, nil
	}
	return r.reading.Do(ctx, "", readWithin, func(ctx context.Context) (V, error) {
		began := time.Now()
		if k := r.kept.Load(); k != nil && began.Before(k.until) { // since this one looked
			return k.v, nil
		}
		v, err := read(ctx, key)
		if err == nil {
			r.kept.Store(&kept[V]{v, time.Now().Add(min(longest, rememberBy*time.Since(began)))})
		}
		return v, err
	})
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
