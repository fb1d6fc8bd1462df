package shared_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"goldshelf/internal/shared"
)

// However many want the same, it is worked out once; each waits for as long as they want to, and
// the one who began it may leave.
func TestSharedIsWorkedOutOnce(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		var s shared.Work[int]
		var times atomic.Int32
		slow := func(ctx context.Context) (int, error) {
			times.Add(1)
			select {
			case <-time.After(time.Minute):
				return 7, nil
			case <-ctx.Done():
				return 0, ctx.Err()
			}
		}
		var all sync.WaitGroup
		for i := range 20 {
			all.Go(func() {
				ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
				if i%2 == 0 {
					ctx, cancel = context.WithTimeout(t.Context(), time.Second)
				}
				defer cancel()
				began := time.Now()
				got, err := s.Do(ctx, "a", 10*time.Minute, slow)
				took := time.Since(began)
				if i%2 == 0 && (!errors.Is(err, context.DeadlineExceeded) || took != time.Second) || i%2 == 1 && (got != 7 || err != nil || took != time.Minute) {
					t.Errorf("%d: got %d, %v after %s", i, got, err, took)
				}
			})
		}
		all.Wait()
		if n := times.Load(); n != 1 {
			t.Errorf("it was worked out %d times", n)
		}
		if _, err := s.Do(t.Context(), "a", time.Second, slow); !errors.Is(err, context.DeadlineExceeded) {
			t.Errorf("it took longer than its time: %v", err)
		}
		if _, err := s.Do(t.Context(), "a", time.Second, func(context.Context) (int, error) { panic("poisoned") }); err == nil || !strings.Contains(err.Error(), "poisoned") {
			t.Errorf("got %v", err)
		}
	})
}
