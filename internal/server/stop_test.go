package server

import (
	"net"
	"strings"
	"testing"
	"time"
)

// A connection over which nothing is asked, as clients keep them for later, does
// not keep the service from stopping.
func TestAnIdleConnectionHoldsNothingUp(t *testing.T) {
	t.Parallel()
	var idle net.Conn
	var asked time.Time
	t.Cleanup(func() { // after the world's own, which stops the service
		if took := time.Since(asked); took > 10*time.Second {
			t.Errorf("stopping took %s", took)
		}
		idle.Close()
	})
	w := newWorld(t)
	var err error
	if idle, err = net.Dial("tcp", strings.TrimPrefix(w.url, "http://")); err != nil {
		t.Fatal(err)
	}
	w.as("reader")
	asked = time.Now()
}
