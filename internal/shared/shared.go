// Package shared works out once what several want at the same moment.
package shared

import (
	"context"
	"fmt"
	"runtime/debug"
	"time"

	"golang.org/x/sync/singleflight"
)

// Work works something out once for all who want it at the same moment. What comes of it may
// not depend on who asks. It goes on when whoever began it has left, for its own time; everybody
// waits for as long as their own context lasts. The zero Work has nothing under way.
type Work[T any] struct{ group singleflight.Group }

// Do gives what a key stands for, which do works out within a time. A panic of do is an error.
func (w *Work[T]) Do(ctx context.Context, key string, within time.Duration, do func(context.Context) (T, error)) (out T, err error) {
	result := w.group.DoChan(key, func() (_ any, err error) {
		own, cancel := context.WithTimeout(context.Background(), within)
		defer cancel()
		defer func() {
			if what := recover(); what != nil {
				err = fmt.Errorf("panic: %v\n%s", what, debug.Stack())
			}
		}()
		return do(own)
	})
	select {
	case <-ctx.Done():
		return out, ctx.Err()
	case r := <-result:
		if r.Err != nil {
			return out, r.Err
		}
		return r.Val.(T), nil
	}
}
