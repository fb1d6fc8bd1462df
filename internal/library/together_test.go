package library

import (
	"context"
	"errors"
	"sync"
	"testing"
	"testing/synctest"
	"time"
)

func TestTogether(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var sizes []int
		tg := &together[int, int]{do: func(_ context.Context, ins []int) ([]int, error) {
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
				got, err := tg.call(t.Context(), in)
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

// Whoever leaves does not take the others with them.
func TestTogetherOutlivesOneCaller(t *testing.T) {
	tg := &together[int, int]{do: func(ctx context.Context, ins []int) ([]int, error) { return ins, ctx.Err() }}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if got, err := tg.call(ctx, 7); got != 7 || err != nil {
		t.Errorf("got %d, %v", got, err)
	}
}
