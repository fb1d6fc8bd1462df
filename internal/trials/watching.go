package trials

import (
	"context"
	"time"

	"goldshelf/api"
	"goldshelf/internal/access"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// How often a trial that is watched is looked at, and how often whoever watches is told that
// nothing is new.
const (
	lookEvery = 400 * time.Millisecond
	pingEvery = 15 * time.Second
)

// Progress is how far a trial has come.
type Progress struct {
	api.TrialItem
	Number int  // grows with each reply that ends or is looked at
	Same   bool // nothing is new
}

func progressOf(t store.Trial) Progress {
	return Progress{TrialItem: item(t), Number: t.Replies - t.Awaited + t.Done - t.Unchecked + 1}
}

// Watch tells how far a trial has come whenever that has changed since a number, and at last
// returns how it ended. Who listens is asked again each time that the trial is looked at: it
// returns the caller as they are now, or why they may listen no longer.
func (s *Service) Watch(ctx context.Context, listener func(context.Context) (work.Caller, error), id string, at int, tell func(Progress) error) (Progress, error) {
	quiet := time.Now()
	for {
		by, err := listener(ctx)
		if err != nil {
			return Progress{}, err
		}
		t, err := work.See(ctx, s.db, func(v work.View) (store.Trial, error) {
			t, err := access.SeeTrial(v.Reader, by, id)
			return t.Trial, err
		})
		if err != nil {
			return Progress{}, err
		}
		now := progressOf(t)
		if t.Awaited == 0 && t.Unchecked == 0 {
			return now, nil
		}
		switch {
		case now.Number != at:
			at, quiet = now.Number, time.Now()
			err = tell(now)
		case time.Since(quiet) >= pingEvery:
			quiet = time.Now()
			err = tell(Progress{Number: at, Same: true})
		}
		if err != nil {
			return now, err
		}
		select {
		case <-ctx.Done():
			return now, ctx.Err()
		case <-time.After(lookEvery):
		}
	}
}
