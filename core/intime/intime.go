// Package intime is for tests: it finds computations that take longer than the length of
// their input bounds.
package intime

import (
	"testing"
	"time"
)

// perPiece is how long 64 KiB may take.
const perPiece = 100 * time.Millisecond

// Do runs a computation on an input of so many bytes, and fails where it takes longer
// than 100 ms for each 64 KiB begun, three times in a row: once may be the machine's.
func Do(t *testing.T, size int, do func()) {
	t.Helper()
	most := time.Duration(1+size>>16) * perPiece
	var took time.Duration
	for range 3 {
		start := time.Now()
		do()
		if took = time.Since(start); took <= most {
			return
		}
	}
	t.Fatalf("%d bytes take %s, want %s at most", size, took, most)
}
