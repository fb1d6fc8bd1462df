package work

import (
	"crypto/sha256"
	"sync"
	"time"
)

const (
	knownFor  = time.Second
	mostKnown = 4096
)

// Known remembers for a second what belongs to a secret, by its hash, since a program that
// asks at all asks often. What this service changes it forgets at once, what another one on
// the same database changes as soon as it hears of it (see [Memory]), and within that second
// if it does not. The zero Known is empty.
type Known[V any] struct {
	mu    sync.Mutex
	all   map[[sha256.Size]byte]known[V]
	times int // that it has forgotten all
}

type known[V any] struct {
	v     V
	until time.Time
}

// Find gives what belongs to a secret, if that is remembered, or else what Keep is to be told
// when it has been looked up.
func (k *Known[V]) Find(sum [sha256.Size]byte, now time.Time) (v V, ok bool, times int) {
	k.mu.Lock()
	defer k.mu.Unlock()
	found, ok := k.all[sum]
	return found.v, ok && now.Before(found.until), k.times
}

// Keep remembers what belongs to a secret, no longer than it lasts. What was looked up before
// all was forgotten may no longer be true, and is not kept.
func (k *Known[V]) Keep(sum [sha256.Size]byte, v V, lasts, now time.Time, times int) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if times != k.times {
		return
	}
	if k.all == nil || len(k.all) >= mostKnown {
		k.all = map[[sha256.Size]byte]known[V]{}
	}
	until := now.Add(knownFor)
	if lasts.Before(until) {
		until = lasts
	}
	k.all[sum] = known[V]{v, until}
}

// Forget is for when something of it has changed.
func (k *Known[V]) Forget() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.all = nil
	k.times++
}
