package work

import (
	"context"
	"errors"
	"sync"
	"testing"
	"testing/synctest"
	"time"
)

func TestBatch(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var sizes []int
		b := &Batch[int, int]{Do: func(_ context.Context, ins []int) ([]int, error) {
			sizes = append(sizes, len(ins))
			time.Sleep(time.Second)
			outs := make([]int, len(ins))
			for i, in := range ins {
				if in < 0 {
					return nil, errors.New("below zero")
				}
				outs[i] = 10 * in
			}
			return outs, nil
		}}
		var wg sync.WaitGroup
		call := func(in int) {
			wg.Go(func() {
				got, err := b.Call(t.Context(), in)
				if in < 0 != (err != nil) || err == nil && got != 10*in {
					t.Errorf("%d gives %d, %v", in, got, err)
				}
			})
			synctest.Wait()
		}
		for in := range 200 {
			call(in)
		}
		wg.Wait()
		// The first goes alone, and those that came meanwhile together, as many as may.
		if want := []int{1, 64, 64, 64, 7}; len(sizes) != len(want) || sizes[0] != 1 || sizes[1] != 64 || sizes[4] != 7 {
			t.Errorf("they went as %v, want %v", sizes, want)
		}
		sizes = nil
		call(-1)
		wg.Wait()
		call(3)
		wg.Wait()
		if len(sizes) != 2 {
			t.Errorf("after an error they went as %v, want one by one", sizes)
		}
	})
}

// Whoever leaves while others are under way waits no longer, and takes nobody along.
func TestWhoeverLeavesABatchWaitsNoLonger(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		b := &Batch[int, int]{Do: func(_ context.Context, ins []int) ([]int, error) {
			time.Sleep(time.Second)
			return ins, nil
		}}
		var wg sync.WaitGroup
		for in := range 3 {
			wg.Go(func() {
				if got, err := b.Call(t.Context(), in); got != in || err != nil {
					t.Errorf("%d gives %d, %v", in, got, err)
				}
			})
			synctest.Wait()
			if in != 0 {
				continue
			}
			wg.Go(func() {
				began := time.Now()
				ctx, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
				defer cancel()
				if _, err := b.Call(ctx, 9); !errors.Is(err, context.DeadlineExceeded) || time.Since(began) != 100*time.Millisecond {
					t.Errorf("who leaves gets %v after %s", err, time.Since(began))
				}
			})
			synctest.Wait()
		}
		wg.Wait()
	})
}

// What panics is an error for those who called, and the next ones are served.
func TestABatchSurvivesAPanic(t *testing.T) {
	b := &Batch[int, int]{Do: func(_ context.Context, ins []int) ([]int, error) {
		if ins[0] < 0 {
			panic("below zero")
		}
		return ins, nil
	}}
	var panicked *Panicked
	if _, err := b.Call(t.Context(), -1); !errors.As(err, &panicked) {
		t.Errorf("a panic gives %v", err)
	}
	if got, err := b.Call(t.Context(), 3); got != 3 || err != nil {
		t.Errorf("after a panic: %d, %v", got, err)
	}
}
