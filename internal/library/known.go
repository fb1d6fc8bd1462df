package library

import (
	"crypto/sha256"
	"sync"
	"time"

	"goldshelf/internal/store"
)

const (
	knownFor  = time.Second
	mostKnown = 4096
)

// known remembers for a second who holds which token, since a program that asks at
// all asks often. What this service changes of people and tokens it forgets at
// once; another one on the same database is heard of within that second.
type known struct {
	mu    sync.Mutex
	all   map[tokenSum]knownHolder
	times int // that it has forgotten all
}

// tokenSum is what is kept of a token: its hash.
type tokenSum [sha256.Size]byte

type knownHolder struct {
	store.Holder
	since time.Time
}

// find gives who holds a token, if that is remembered, or else what keep is to be
// told when it has been looked up.
func (k *known) find(token tokenSum, now time.Time) (h store.Holder, ok bool, times int) {
	k.mu.Lock()
	defer k.mu.Unlock()
	found, ok := k.all[token]
	ok = ok && now.Sub(found.since) < knownFor && now.Before(found.Expires)
	return found.Holder, ok, k.times
}

// keep remembers who holds a token. What was looked up before all was forgotten
// may no longer be true, and is not kept.
func (k *known) keep(token tokenSum, h store.Holder, now time.Time, times int) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if times != k.times {
		return
	}
	if k.all == nil || len(k.all) >= mostKnown {
		k.all = map[tokenSum]knownHolder{}
	}
	k.all[token] = knownHolder{h, now}
}

// forget is for when people or tokens have changed.
func (k *known) forget() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.all = nil
	k.times++
}
