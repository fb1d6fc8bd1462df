package work

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"time"

	"goldshelf/internal/store"
)

// itemWithin is how long a job may take over one item.
const itemWithin = time.Minute

// mostReason is how many bytes of a reason are kept.
const mostReason = 4000

// Each does something for each of a job's items by itself. An item whose doing fails, panics or
// takes longer than a minute is set aside with the reason, and the others are done; it is tried
// again later. The error is one that is of no item: the database does not answer, or ctx has ended.
// It gives how many were done.
func Each[T any](ctx context.Context, db *DB, job string, items []T, name func(T) string, do func(context.Context, T) error) (done int, err error) {
	for _, item := range items {
		err := within(ctx, item, do)
		if ctx.Err() != nil {
			return done, ctx.Err()
		}
		if errors.Is(err, store.ErrAway) || errors.Is(err, store.ErrTryAgain) {
			return done, err
		}
		if keepErr := keepAside(ctx, db, job, name(item), err); keepErr != nil {
			return done, errors.Join(err, keepErr)
		}
		if err == nil {
			done++
		}
	}
	return done, nil
}

func within[T any](ctx context.Context, item T, do func(context.Context, T) error) (err error) {
	ctx, cancel := context.WithTimeoutCause(ctx, itemWithin, fmt.Errorf("it took longer than %s", itemWithin))
	defer cancel()
	defer func() {
		if what := recover(); what != nil {
			err = fmt.Errorf("panic: %v\n%s", what, debug.Stack())
		}
	}()
	if err = do(ctx, item); err != nil && ctx.Err() != nil {
		err = context.Cause(ctx)
	}
	return err
}

// keepAside keeps how an item has ended: that it is set aside, or nothing more of it.
func keepAside(ctx context.Context, db *DB, job, item string, failed error) error {
	if failed != nil {
		reason := failed.Error()
		return Run(ctx, db, Service(), func(u *Unit) error { return u.SetAside(job, item, reason[:min(len(reason), mostReason)]) })
	}
	was, err := Ask(ctx, db, func(v View) (bool, error) { return v.WasAside(job, item) })
	if err != nil || !was {
		return err
	}
	return Run(ctx, db, Service(), func(u *Unit) error { return u.DropAside(job, item) })
}

// EachOf is [Each] for items that are quickly done together: they are done one by one only where
// that fails.
func EachOf[T any](ctx context.Context, db *DB, job string, items []T, name func(T) string, do func(context.Context, []T) error) error {
	err := within(ctx, items, do)
	if err == nil || ctx.Err() != nil || errors.Is(err, store.ErrAway) || errors.Is(err, store.ErrTryAgain) {
		return err
	}
	_, err = Each(ctx, db, job, items, name, func(ctx context.Context, item T) error { return do(ctx, []T{item}) })
	return err
}

// CountAside gives how many items of each job are set aside.
func (d *DB) CountAside(ctx context.Context) ([]store.AsideCount, error) {
	return Ask(ctx, d, func(v View) ([]store.AsideCount, error) { return v.CountAside() })
}
