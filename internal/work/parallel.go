package work

import (
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// AtOnce computes something of each of all, as many at once as there are processors. A
// panic of one of them is the caller's.
func AtOnce[In, Out any](all []In, compute func(In) Out) []Out {
	outs := make([]Out, len(all))
	var next atomic.Int64
	var panicked atomic.Pointer[Panicked]
	var wg sync.WaitGroup
	for range min(len(all), runtime.GOMAXPROCS(0)) {
		wg.Go(func() {
			defer func() {
				if what := recover(); what != nil {
					panicked.CompareAndSwap(nil, &Panicked{what, debug.Stack()})
				}
			}()
			for i := int(next.Add(1)) - 1; i < len(all) && panicked.Load() == nil; i = int(next.Add(1)) - 1 {
				outs[i] = compute(all[i])
			}
		})
	}
	wg.Wait()
	if p := panicked.Load(); p != nil {
		panic(p)
	}
	return outs
}
