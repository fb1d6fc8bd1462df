// Package jobs does the work that nobody waits for: what is to be published at a time,
// what channels are to be told, what drafts are found by, and the clean-up. Each kind
// has a loop of its own, so that one that hangs holds up no other. What is to be done
// stands in the database, where several services share it.
package jobs

import (
	"context"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"
)

// Job is one kind of work, done again and again: at least so often, and at once when it
// is woken.
type Job struct {
	name  string
	every time.Duration
	do    func(context.Context) error
	wake  chan struct{}
	ended func() // waits for what do has begun, when everything ends
}

// New gives a job. What do panics with is an error, as what it returns.
func New(name string, every time.Duration, do func(context.Context) error) *Job {
	return &Job{name, every, do, make(chan struct{}, 1), func() {}}
}

// Name is what the job is called.
func (j *Job) Name() string { return j.name }

// Wake has the job done at once, or once more if it is being done.
func (j *Job) Wake() {
	select {
	case j.wake <- struct{}{}:
	default: // it is to be done anyway
	}
}

// Watch is told of each time that a job is begun, and of how it ended.
type Watch func(ctx context.Context, job string) (of context.Context, ended func(error))

// Run does jobs, each in a loop of its own, until ctx ends and all of them have ended.
// Errors are logged, and the job is done again the next time.
func Run(ctx context.Context, log *slog.Logger, jobs ...*Job) {
	RunWatched(ctx, log, func(ctx context.Context, _ string) (context.Context, func(error)) { return ctx, func(error) {} }, jobs...)
}

// RunWatched is Run with somebody who watches.
func RunWatched(ctx context.Context, log *slog.Logger, watch Watch, jobs ...*Job) {
	var loops sync.WaitGroup
	for _, j := range jobs {
		loops.Go(func() { j.loop(ctx, log, watch) })
	}
	loops.Wait()
}

func (j *Job) loop(ctx context.Context, log *slog.Logger, watch Watch) {
	every := time.NewTicker(j.every)
	defer every.Stop()
	defer j.ended()
	for {
		of, ended := watch(ctx, j.name)
		err := j.once(of)
		ended(err)
		if err != nil && ctx.Err() == nil {
			log.ErrorContext(of, "a job failed, and is done again", "job", j.name, "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		case <-j.wake:
		}
	}
}

func (j *Job) once(ctx context.Context) error { return recovered(func() error { return j.do(ctx) }) }

// recovered gives what do panics with as an error.
func recovered(do func() error) (err error) {
	defer func() {
		if what := recover(); what != nil {
			err = fmt.Errorf("panic: %v\n%s", what, debug.Stack())
		}
	}()
	return do()
}
