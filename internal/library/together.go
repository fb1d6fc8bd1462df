package library

import (
	"context"
	"sync"
	"time"
)

// together has calls that are made at the same time done at once. While some are
// under way those that come wait, and then go together. It starts no goroutine:
// one of the callers does it for all, and the first that still waits goes on.
type together[In, Out any] struct {
	do func(context.Context, []In) ([]Out, error) // an Out for each In, or an error for all

	mu      sync.Mutex
	waiting []*joint[In, Out] // the first of them is the one at work, if any is
	busy    bool
}

// joint is one call among others.
type joint[In, Out any] struct {
	in   In
	out  Out
	err  error
	turn chan bool // whether this one is to do it for all, or it is done
}

const (
	mostTogetherAtOnce = 64
	togetherWithin     = 10 * time.Second
)

// call has in done, alone or with others, and waits for it: what others wait for
// as well does not end with one caller's patience.
func (t *together[In, Out]) call(ctx context.Context, in In) (Out, error) {
	c := &joint[In, Out]{in: in, turn: make(chan bool, 1)}
	t.mu.Lock()
	t.waiting = append(t.waiting, c)
	leads := !t.busy
	t.busy = true
	t.mu.Unlock()
	if leads || <-c.turn {
		t.lead(ctx)
	}
	return c.out, c.err
}

// lead does what waits, the caller's own first, and hands the lead on.
func (t *together[In, Out]) lead(ctx context.Context) {
	t.mu.Lock()
	batch := t.waiting[:min(len(t.waiting), mostTogetherAtOnce)]
	t.waiting = append([]*joint[In, Out]{}, t.waiting[len(batch):]...)
	t.mu.Unlock()
	ins := make([]In, len(batch))
	for i, c := range batch {
		ins[i] = c.in
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), togetherWithin)
	defer cancel()
	outs, err := t.do(ctx, ins)
	for i, c := range batch {
		if c.err = err; err == nil {
			c.out = outs[i]
		}
	}
	for _, c := range batch[1:] {
		c.turn <- false
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.busy = len(t.waiting) > 0; t.busy {
		t.waiting[0].turn <- true
	}
}
