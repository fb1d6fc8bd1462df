package server

import (
	"errors"
	"net"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

const (
	writeWithin = 30 * time.Second // a reader takes the next piece within
	piece       = 64 << 10         // bytes

	mostConnections = 4096
	ownDescriptors  = 48 // what the service itself keeps open: its database, files, logs
)

// connectionsAllowed is how many callers may be connected, so that descriptors are left
// for the service itself.
func connectionsAllowed() int {
	var limit syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit); err != nil {
		return mostConnections
	}
	return max(4, int(min(limit.Cur, mostConnections+ownDescriptors))-ownDescriptors)
}

// listener accepts so many connections at once; others wait in the system's queue. When
// the machine has run out of something it waits too, and goes on.
type listener struct {
	net.Listener
	room chan struct{}
	open atomic.Int64
	done chan struct{}
	end  sync.Once
}

func limited(l net.Listener, most int) *listener {
	return &listener{Listener: l, room: make(chan struct{}, most), done: make(chan struct{})}
}

// Accept gives the next connection, or the error that the listener ended with.
func (l *listener) Accept() (net.Conn, error) {
	select {
	case l.room <- struct{}{}:
	case <-l.done:
		return nil, net.ErrClosed
	}
	for wait := 5 * time.Millisecond; ; wait = min(2*wait, time.Second) {
		c, err := l.Listener.Accept()
		if err == nil {
			l.open.Add(1)
			return &connection{Conn: c, leave: sync.OnceFunc(func() { l.open.Add(-1); <-l.room }), within: writeWithin}, nil
		}
		if !passing(err) {
			<-l.room
			return nil, err
		}
		select {
		case <-time.After(wait):
		case <-l.done:
			<-l.room
			return nil, net.ErrClosed
		}
	}
}

// Close ends it.
func (l *listener) Close() error {
	l.end.Do(func() { close(l.done) })
	return l.Listener.Close()
}

// crowded says whether connections should not be kept for later.
func (l *listener) crowded() bool { return int(l.open.Load()) > cap(l.room)/2 }

// passing says whether an error of Accept goes away by itself.
func passing(err error) bool {
	for _, e := range []error{syscall.EMFILE, syscall.ENFILE, syscall.ENOBUFS, syscall.ENOMEM, syscall.ECONNABORTED, syscall.EINTR} {
		if errors.Is(err, e) {
			return true
		}
	}
	return false
}

// connection cuts off a reader who does not take what is sent: each piece has its own
// time, so that a long answer or a stream may take as long as it needs.
type connection struct {
	net.Conn
	leave  func()
	within time.Duration // the next piece is taken
}

// Write sends data piece by piece.
func (c *connection) Write(data []byte) (n int, err error) {
	for len(data) > 0 {
		now := data[:min(piece, len(data))]
		if err := c.SetWriteDeadline(time.Now().Add(c.within)); err != nil {
			return n, err
		}
		m, err := c.Conn.Write(now)
		n += m
		if err != nil {
			return n, err
		}
		data = data[len(now):]
	}
	return n, nil
}

// Close ends the connection and makes room for another.
func (c *connection) Close() error {
	c.leave()
	return c.Conn.Close()
}
