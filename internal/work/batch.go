package work

import (
	"context"
	"fmt"
	"runtime/debug"
	"sync"
	"time"
)

// Batch has calls that are made at the same time done at once. While some are under
// way those that come wait, and then go together. It starts no goroutine: one of the
// callers does it for all, and the first that still waits goes on.
type Batch[In, Out any] struct {
	// Do gives an Out for each In, or an error for all. What it panics with is an
	// error for all, too.
	Do func(context.Context, []In) ([]Out, error)

	mu      sync.Mutex
	waiting []*call[In, Out]
	busy    bool
}

// call is one call among others.
type call[In, Out any] struct {
	in   In
	out  Out
	err  error
	turn chan bool // whether this one is to do it for all, or it is done
}

const (
	mostAtOnce  = 64
	batchWithin = 10 * time.Second
)

// Call has in done, alone or with others, and waits for it no longer than its context
// lasts. What others wait for as well does not end with one caller's patience.
func (b *Batch[In, Out]) Call(ctx context.Context, in In) (out Out, err error) {
	if err := ctx.Err(); err != nil {
		return out, err
	}
	c := &call[In, Out]{in: in, turn: make(chan bool, 1)}
	b.mu.Lock()
	b.waiting = append(b.waiting, c)
	leads := !b.busy
	b.busy = true
	b.mu.Unlock()
	if !leads {
		select {
		case leads = <-c.turn:
		case <-ctx.Done():
			return b.leave(ctx, c)
		}
	}
	if leads {
		b.lead(ctx)
	}
	return c.out, c.err
}

// leave takes a call out of those that wait. One that is under way is left to end; one
// whose turn it has just become hands that on.
func (b *Batch[In, Out]) leave(ctx context.Context, c *call[In, Out]) (out Out, err error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for i, w := range b.waiting {
		if w == c {
			b.waiting = append(b.waiting[:i:i], b.waiting[i+1:]...)
			break
		}
	}
	select {
	case leads := <-c.turn:
		if leads {
			b.handOn()
		}
	default:
	}
	return out, ctx.Err()
}

// lead does what waits, the caller's own first, and hands the lead on.
func (b *Batch[In, Out]) lead(ctx context.Context) {
	b.mu.Lock()
	batch := b.waiting[:min(len(b.waiting), mostAtOnce)]
	b.waiting = append([]*call[In, Out]{}, b.waiting[len(batch):]...)
	b.mu.Unlock()
	ins := make([]In, len(batch))
	for i, c := range batch {
		ins[i] = c.in
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), batchWithin)
	defer cancel()
	outs, err := b.do(ctx, ins)
	for i, c := range batch {
		if c.err = err; err == nil {
			c.out = outs[i]
		}
	}
	for _, c := range batch[1:] {
		c.turn <- false
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.handOn()
}

// handOn gives the lead to the first that waits, under the lock.
func (b *Batch[In, Out]) handOn() {
	if b.busy = len(b.waiting) > 0; b.busy {
		b.waiting[0].turn <- true
	}
}

func (b *Batch[In, Out]) do(ctx context.Context, ins []In) (outs []Out, err error) {
	defer func() {
		if what := recover(); what != nil {
			err = &Panicked{what, debug.Stack()}
		}
	}()
	return b.Do(ctx, ins)
}

// Panicked is the error of what panicked.
type Panicked struct {
	What  any
	Stack []byte
}

func (p *Panicked) Error() string { return fmt.Sprintf("panic: %v\n%s", p.What, p.Stack) }
