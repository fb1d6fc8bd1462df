// Package intime is for tests: it finds computations that take longer than the length of
// their input bounds.
package intime

import (
	"runtime"
	"syscall"
	"testing"
	"time"
)

// perPiece is how long 64 KiB may take of the processor's time.
const perPiece = 100 * time.Millisecond

// Do runs a computation on an input of so many bytes, and fails where it takes more of the
// processor's time than 100 ms for each 64 KiB begun, three times in a row.
func Do(t *testing.T, size int, do func()) {
	t.Helper()
	most := time.Duration(1+size>>16) * perPiece
	var took time.Duration
	for range 3 {
		if took = processor(do); took <= most {
			return
		}
	}
	t.Fatalf("%d bytes take %s, want %s at most", size, took, most)
}

// processor gives how much of the processor's time do takes on its own thread: what else
// the machine does counts for nothing.
func processor(do func()) time.Duration {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	start := threadTime()
	do()
	return threadTime() - start
}

const thisThread = 1 // RUSAGE_THREAD, of getrusage(2) on Linux

func threadTime() time.Duration {
	var use syscall.Rusage
	if err := syscall.Getrusage(thisThread, &use); err != nil {
		return 0
	}
	return time.Duration(use.Utime.Nano() + use.Stime.Nano())
}
