package asking

import (
	"context"
	"strings"
	"sync"
	"time"

	"goldshelf/internal/store"
)

// live has the replies that this service asks for now, for those who watch them.
type live struct {
	mu    sync.Mutex
	all   map[string]*liveReply
	begun chan struct{} // closed when one more is asked for, and made anew; nil while nobody waits
}

// liveReply is a reply as far as it has come.
type liveReply struct {
	attempt int
	cancel  func()

	mu      sync.Mutex
	so      strings.Builder
	kept    int           // bytes of that which the row has
	over    bool          // by somebody's wish
	changed chan struct{} // closed at each change, and made anew
}

func (l *live) begin(id string, attempt int, cancel func()) *liveReply {
	r := &liveReply{attempt: attempt, cancel: cancel, changed: make(chan struct{})}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.all == nil {
		l.all = map[string]*liveReply{}
	}
	l.all[id] = r
	if l.begun != nil {
		close(l.begun)
		l.begun = nil
	}
	return r
}

// wait waits until a reply is asked for by this service, or for so long.
func (l *live) wait(ctx context.Context, id string, long time.Duration) {
	timeout := time.NewTimer(long)
	defer timeout.Stop()
	for {
		l.mu.Lock()
		if l.all[id] != nil {
			l.mu.Unlock()
			return
		}
		if l.begun == nil {
			l.begun = make(chan struct{})
		}
		begun := l.begun
		l.mu.Unlock()
		select {
		case <-begun:
		case <-timeout.C:
			return
		case <-ctx.Done():
			return
		}
	}
}

func (l *live) end(id string, r *liveReply) {
	l.mu.Lock()
	if l.all[id] == r {
		delete(l.all, id)
	}
	l.mu.Unlock()
	r.tell()
}

func (l *live) of(id string) *liveReply {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.all[id]
}

// held gives all replies that are asked for now, with what has come since it was last given.
func (l *live) held() (all []store.Held) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for id, r := range l.all {
		h := store.Held{ID: id, Attempt: r.attempt}
		r.mu.Lock()
		if so := r.so.String(); len(so) > r.kept {
			h.Text, r.kept = &so, len(so)
		}
		r.mu.Unlock()
		all = append(all, h)
	}
	return all
}

// stopAttempt ends an attempt at a reply, if this service makes it.
func (l *live) stopAttempt(id string, attempt int) {
	if r := l.of(id); r != nil && r.attempt == attempt {
		r.markStopped()
		r.cancel()
	}
}

// stop ends the asking for a reply, if this service does it.
func (l *live) stop(id string) {
	if r := l.of(id); r != nil {
		r.markStopped()
		r.cancel()
	}
}

// kept tells those who watch a reply that it is kept.
func (l *live) kept(id string) {
	if r := l.of(id); r != nil {
		r.tell()
	}
}

func (r *liveReply) add(piece string) {
	r.mu.Lock()
	r.so.WriteString(piece)
	r.mu.Unlock()
	r.tell()
}

func (r *liveReply) text() string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.so.String()
}

func (r *liveReply) markStopped() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.over = true
}

func (r *liveReply) stopped() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.over
}

func (r *liveReply) tell() {
	r.mu.Lock()
	defer r.mu.Unlock()
	close(r.changed)
	r.changed = make(chan struct{})
}

// since gives what has come from a place in the text on, and what is closed at the next change.
func (r *liveReply) since(at int) (piece string, changed <-chan struct{}) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if so := r.so.String(); at < len(so) {
		piece = so[at:]
	}
	return piece, r.changed
}

// lookEvery is how often a reply that another service asks for is looked at.
const lookEvery = 250 * time.Millisecond

// pingEvery is how often somebody who watches is told that there is nothing new: so it is
// noticed where they have gone.
const pingEvery = 15 * time.Second

// Watch gives a reply piece by piece, from a place in its text on, and at last as it ended.
// What is read tells how far it is, to those who may see it. A piece without text says that
// the reply is still awaited. A reply that is asked for again begins anew: its pieces are then
// from 0 on.
func (a *Asking) Watch(ctx context.Context, id string, at int, read func() (store.Reply, error), piece func(Piece) error) (store.Reply, error) {
	for looks := 1; ; looks++ {
		if r := a.live.of(id); r != nil {
			// Whose it is has not been asked yet: what is read says so.
			if _, err := read(); err != nil {
				return store.Reply{}, err
			}
			if err := a.follow(ctx, id, r, &at, read, piece); err != nil {
				return store.Reply{}, err
			}
		}
		now, err := read()
		if err != nil {
			return now, err
		}
		if at > len(now.Text) {
			at = 0
		}
		if at < len(now.Text) {
			if err := piece(Piece{At: at, Text: now.Text[at:]}); err != nil {
				return now, err
			}
			at = len(now.Text)
		}
		if now.Ended() {
			return now, nil
		}
		if looks%int(pingEvery/lookEvery) == 0 {
			if err := piece(Piece{At: at}); err != nil {
				return now, err
			}
		}
		if a.live.wait(ctx, id, lookEvery); ctx.Err() != nil {
			return now, ctx.Err()
		}
	}
}

// Piece is a part of a reply's text that comes at a place, in bytes.
type Piece struct {
	At   int
	Text string
}

// checkEvery is how often a listener is checked while a reply comes: a stream ends at most two
// seconds after its listener lost the right to it.
const checkEvery = time.Second

// follow passes a reply's pieces on until this service asks for it no longer, or until read
// says that the listener may see it no longer.
func (a *Asking) follow(ctx context.Context, id string, r *liveReply, at *int, read func() (store.Reply, error), piece func(Piece) error) error {
	if *at > len(r.text()) {
		*at = 0
	}
	checked, told := time.Now(), time.Now()
	for {
		if time.Since(checked) >= checkEvery {
			if _, err := read(); err != nil {
				return err
			}
			checked = time.Now()
		}
		text, changed := r.since(*at)
		if text != "" {
			if err := piece(Piece{At: *at, Text: text}); err != nil {
				return err
			}
			*at, told = *at+len(text), time.Now()
		}
		if a.live.of(id) != r {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-changed:
		case <-time.After(checkEvery):
			if time.Since(told) < pingEvery {
				continue
			}
			if err := piece(Piece{At: *at}); err != nil {
				return err
			}
			told = time.Now()
		}
	}
}
