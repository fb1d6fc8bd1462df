package server

import (
	"errors"
	"net"
	"net/netip"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

const (
	headWithin  = 10 * time.Second // a request's head comes within
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

// listener accepts so many connections at once. Where there is no room, a connection that nobody
// has signed in over makes room for the next: the oldest of the address that has most of them.
// So nobody keeps others out by holding connections, and those who signed in keep theirs. When
// the machine has run out of something it waits, and goes on.
type listener struct {
	net.Listener
	room chan struct{}
	done chan struct{}
	end  sync.Once

	mu   sync.Mutex
	open map[*connection]bool
}

func limited(l net.Listener, most int) *listener {
	return &listener{Listener: l, room: make(chan struct{}, most), done: make(chan struct{}), open: map[*connection]bool{}}
}

// Accept gives the next connection, or the error that the listener ended with.
func (l *listener) Accept() (net.Conn, error) {
	for wait := 5 * time.Millisecond; ; wait = min(2*wait, time.Second) {
		c, err := l.Listener.Accept()
		if err == nil {
			return l.enter(c)
		}
		if !passing(err) {
			return nil, err
		}
		select {
		case <-time.After(wait):
		case <-l.done:
			return nil, net.ErrClosed
		}
	}
}

// enter waits for room for a connection, and makes it where it can.
func (l *listener) enter(c net.Conn) (net.Conn, error) {
	select {
	case l.room <- struct{}{}:
	default:
		l.evict()
		select {
		case l.room <- struct{}{}:
		case <-l.done:
			c.Close()
			return nil, net.ErrClosed
		}
	}
	own := &connection{Conn: c, since: time.Now(), within: writeWithin}
	own.leave = sync.OnceFunc(func() {
		l.mu.Lock()
		delete(l.open, own)
		l.mu.Unlock()
		<-l.room
	})
	l.mu.Lock()
	l.open[own] = true
	l.mu.Unlock()
	return own, nil
}

// evict closes the oldest connection of the address that has most of those over which nobody has
// signed in, if there is one.
func (l *listener) evict() {
	l.mu.Lock()
	of := map[string]int{}
	for c := range l.open {
		if !c.known.Load() {
			of[c.address()]++
		}
	}
	var worst *connection
	for c := range l.open {
		if c.known.Load() {
			continue
		}
		if worst == nil || of[c.address()] > of[worst.address()] || of[c.address()] == of[worst.address()] && c.since.Before(worst.since) {
			worst = c
		}
	}
	l.mu.Unlock()
	if worst != nil {
		worst.Close()
	}
}

// Close ends it.
func (l *listener) Close() error {
	l.end.Do(func() { close(l.done) })
	return l.Listener.Close()
}

// crowded says whether connections should not be kept for later.
func (l *listener) crowded() bool { return len(l.room) > cap(l.room)/2 }

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
	since  time.Time
	known  atomic.Bool // somebody has signed in over it
}

// address is where a connection comes from, without its port. Of IPv6 it is the network of 64
// bits, which is one customer's.
func (c *connection) address() string {
	at, err := netip.ParseAddrPort(c.RemoteAddr().String())
	if err != nil {
		return ""
	}
	own := at.Addr().Unmap()
	if own.Is4() {
		return own.String()
	}
	network, err := own.Prefix(64)
	if err != nil {
		return own.String()
	}
	return network.String()
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
