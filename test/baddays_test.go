package test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/internal/pgserver"
	"goldshelf/test/run"
)

// Bad days: processes that are killed, frozen and starved, and connections that are cut
// at the worst moment. Each is one round here; with GOLDSHELF_SOAK, a duration, each goes
// on for so long, and says what it has seen.

// rounds does a round once, or for as long as the soak lasts.
func rounds(t *testing.T, round func(n int)) {
	t.Helper()
	soak, _ := time.ParseDuration(os.Getenv("GOLDSHELF_SOAK")) // without one it is a single round
	start := time.Now()
	n := 0
	for {
		round(n)
		if n++; t.Failed() || time.Since(start) >= soak {
			break
		}
	}
	t.Logf("%d rounds in %s", n, time.Since(start).Round(time.Second))
}

// load is what several writers say under one entry while something happens: each comment
// that was answered must be there once, and each other one at most once.
type load struct {
	url      atomic.Value
	token    string
	said     sync.Map // text → whether it was answered
	answered atomic.Int64
	failed   atomic.Int64
	slowest  atomic.Int64 // of an answer, in nanoseconds
	longest  atomic.Int64 // without any answer
	last     atomic.Int64
	stop     chan struct{}
	ended    sync.WaitGroup
}

const spokenOf = "meter-dispute-reply"

// speak has writers say things until the load is ended.
func speak(t *testing.T, at string, round, writers int) *load {
	t.Helper()
	c := &client.Client{Server: at}
	if _, err := c.SignIn(t.Context(), "curator", demo.Password); err != nil {
		t.Fatal(err)
	}
	l := &load{token: c.Token, stop: make(chan struct{})}
	l.url.Store(at)
	l.last.Store(time.Now().UnixNano())
	for w := range writers {
		l.ended.Go(func() {
			for k := 0; ; k++ {
				select {
				case <-l.stop:
					return
				default:
				}
				text := fmt.Sprintf("round %d writer %d says %d", round, w, k)
				l.said.Store(text, false)
				start := time.Now()
				c := &client.Client{Server: l.url.Load().(string), Token: l.token}
				if _, err := c.AddComment(context.Background(), spokenOf, api.NewComment{Text: text}); err != nil {
					l.failed.Add(1)
					time.Sleep(100 * time.Millisecond)
					continue
				}
				l.said.Store(text, true)
				l.answered.Add(1)
				now := time.Now()
				raise(&l.slowest, int64(now.Sub(start)))
				raise(&l.longest, now.UnixNano()-l.last.Swap(now.UnixNano()))
			}
		})
	}
	return l
}

func raise(to *atomic.Int64, n int64) {
	for {
		was := to.Load()
		if n <= was || to.CompareAndSwap(was, n) {
			return
		}
	}
}

// until waits for so many more answers.
func (l *load) until(t *testing.T, more int64, within time.Duration) {
	t.Helper()
	want := l.answered.Load() + more
	for end := time.Now().Add(within); l.answered.Load() < want; time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("%d answers came within %s, want %d more than %d", l.answered.Load(), within, more, want-more)
		}
	}
}

// end ends the load and holds what was answered against what is there.
func (l *load) end(t *testing.T, what string) {
	t.Helper()
	close(l.stop)
	l.ended.Wait()
	c := &client.Client{Server: l.url.Load().(string), Token: l.token}
	there, err := c.Comments(t.Context(), spokenOf, 0)
	if err != nil {
		t.Fatal(err)
	}
	times := map[string]int{}
	for _, it := range there.Items {
		times[it.Text]++
	}
	lost, twice, all := 0, 0, 0
	l.said.Range(func(text, answered any) bool {
		all++
		switch n := times[text.(string)]; {
		case n > 1:
			twice++
		case n == 0 && answered.(bool):
			lost++
		}
		return true
	})
	if lost > 0 || twice > 0 {
		t.Errorf("%s: of %d that were answered %d are lost, and %d are there twice", what, l.answered.Load(), lost, twice)
	}
	if v, err := c.VerifyAudit(t.Context(), ""); err != nil || v.Broken != 0 {
		t.Errorf("%s: the record afterwards: %+v, %v", what, v, err)
	}
	t.Logf("%s: %d answered, %d refused or lost on the way, 0 lost of those answered, 0 twice; the slowest took %s, and for %s none came",
		what, l.answered.Load(), l.failed.Load(), time.Duration(l.slowest.Load()).Round(time.Millisecond), time.Duration(l.longest.Load()).Round(time.Millisecond))
}

// A private PostgreSQL that dies is started again by the service, and writers go on by
// themselves.
func TestBadDayADeadDatabase(t *testing.T) {
	t.Parallel()
	s, dir := aloneIn(t)
	rounds(t, func(n int) {
		l := speak(t, s.URL, n, 4)
		l.until(t, 20, 20*time.Second)
		if err := killDatabase(dir); err != nil {
			t.Fatal(err)
		}
		l.until(t, 20, 40*time.Second)
		l.end(t, "the database was killed")
		if os.Getenv("GOLDSHELF_SOAK") != "" {
			time.Sleep(time.Minute) // it has run steadily by then
		}
	})
	if !strings.Contains(s.Log(), "PostgreSQL runs again") {
		t.Error("the log does not say that PostgreSQL was started again")
	}
}

// A database that is frozen is told as busy, not as a fault, and is gone on with.
func TestBadDayAFrozenDatabase(t *testing.T) {
	t.Parallel()
	s, dir := aloneIn(t)
	rounds(t, func(n int) {
		l := speak(t, s.URL, n, 4)
		l.until(t, 10, 20*time.Second)
		thaw := freeze(t, dir)
		start := time.Now()
		res, err := http.Get(s.URL + "/readyz")
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if took := time.Since(start); res.StatusCode != http.StatusServiceUnavailable || res.Header.Get("Retry-After") == "" || took > 2*time.Second {
			t.Errorf("frozen, readyz answers %d after %s", res.StatusCode, took)
		}
		time.Sleep(3 * time.Second)
		thaw()
		l.until(t, 10, 40*time.Second)
		l.end(t, "the database was frozen")
	})
	if strings.Contains(s.Log(), "status=500") {
		t.Errorf("a request was answered with 500:\n%s", s.Log())
	}
}

// freeze stops every process of a database server, until it is thawed.
func freeze(t *testing.T, dir string) (thaw func()) {
	t.Helper()
	pg, runs := pgserver.Running(dir)
	if !runs {
		t.Fatal("there is no database server")
	}
	out, err := exec.Command("pgrep", "-P", strconv.Itoa(pg.PID())).Output()
	if err != nil {
		t.Fatal(err)
	}
	all := []int{pg.PID()}
	for field := range strings.FieldsSeq(string(out)) {
		if pid, err := strconv.Atoi(field); err == nil {
			all = append(all, pid)
		}
	}
	for _, pid := range all {
		if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil && !errors.Is(err, syscall.ESRCH) {
			t.Fatal(err)
		}
	}
	thaw = sync.OnceFunc(func() {
		for _, pid := range all {
			_ = syscall.Kill(pid, syscall.SIGCONT) // one that is gone needs none
		}
	})
	t.Cleanup(thaw)
	return thaw
}

// A connection that is cut when a change is committed leaves it done once or not at all:
// whoever sends it again under the same key gets the one answer.
func TestBadDayCutAtTheCommit(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	pg, err := pgserver.Start(t.Context(), dir, pgserver.Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := pg.Stop(); err != nil {
			t.Error(err)
		}
	})
	p := proxyTo(t, pg.URL("goldshelf"))
	s, err := run.Serve(filepath.Join(t.TempDir(), "none"), "--demo", "--database-url", p.url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	rounds(t, func(n int) {
		l := speak(t, s.URL, n, 4)
		for range 10 {
			l.until(t, 3, 30*time.Second)
			p.cut.Add(1)
		}
		l.until(t, 10, 30*time.Second)
		l.end(t, "connections were cut at the commit")
	})
	if p.cuts.Load() < 10 {
		t.Errorf("only %d connections were cut", p.cuts.Load())
	}
	if strings.Contains(s.Log(), "status=500") {
		t.Errorf("a request was answered with 500:\n%s", s.Log())
	}
}

// proxy stands before a database and cuts connections.
type proxy struct {
	url  string
	cut  atomic.Int64 // how many more are to be cut when they commit
	cuts atomic.Int64 // how many were
}

func proxyTo(t *testing.T, database string) *proxy {
	t.Helper()
	to, err := url.Parse(database)
	if err != nil {
		t.Fatal(err)
	}
	target := to.Host
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	to.Host = l.Addr().String()
	p := &proxy{url: to.String()}
	var open sync.WaitGroup
	open.Go(func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			open.Go(func() { p.pass(c, target) })
		}
	})
	t.Cleanup(func() { l.Close() })
	return p
}

// pass carries one connection. Told to cut, it lets a commit through to the database, and
// nothing of its answer back.
func (p *proxy) pass(c net.Conn, target string) {
	defer c.Close()
	d, err := net.Dial("tcp", target)
	if err != nil {
		return
	}
	defer d.Close()
	var silent atomic.Bool
	go func() {
		buf := make([]byte, 64<<10)
		for {
			n, err := d.Read(buf)
			if err != nil || silent.Load() {
				c.Close()
				return
			}
			if _, err := c.Write(buf[:n]); err != nil {
				d.Close()
				return
			}
		}
	}()
	buf := make([]byte, 64<<10)
	for {
		n, err := c.Read(buf)
		if err != nil {
			return
		}
		commits := bytes.Contains(bytes.ToLower(buf[:n]), []byte("commit\x00"))
		if commits && p.takeCut() {
			silent.Store(true)
			_, _ = d.Write(buf[:n])
			time.Sleep(50 * time.Millisecond) // it is done by then
			p.cuts.Add(1)
			return
		}
		if _, err := d.Write(buf[:n]); err != nil {
			return
		}
	}
}

func (p *proxy) takeCut() bool {
	for {
		n := p.cut.Load()
		if n == 0 {
			return false
		}
		if p.cut.CompareAndSwap(n, n-1) {
			return true
		}
	}
}

// A service that runs out of descriptors waits and goes on: nobody needs a sign-in to
// open connections.
func TestBadDayOutOfDescriptors(t *testing.T) {
	t.Parallel()
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	s, err := run.ServeWithin(dir, "ulimit -n 64", "--demo")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	host := strings.TrimPrefix(s.URL, "http://")
	rounds(t, func(int) {
		var open []net.Conn
		for range 100 {
			c, err := net.DialTimeout("tcp", host, time.Second)
			if err != nil {
				break
			}
			fmt.Fprintf(c, "GET /healthz HTTP/1.1\r\nHost: %s\r\n\r\n", host)
			open = append(open, c)
		}
		time.Sleep(time.Second)
		for _, c := range open {
			c.Close()
		}
		c := &client.Client{Server: s.URL}
		for end := time.Now().Add(20 * time.Second); ; time.Sleep(100 * time.Millisecond) {
			_, err := c.Welcome(t.Context())
			if err == nil {
				break
			}
			if time.Now().After(end) {
				t.Fatalf("afterwards it does not answer: %v", err)
			}
		}
	})
}

// What nobody may send is not kept in memory: not a body without a sign-in, nor one that
// is read too slowly.
func TestBadDayUnsignedBodies(t *testing.T) {
	t.Parallel()
	s := alone(t)
	before := residentMiB(t, s.PID())
	var sent sync.WaitGroup
	for range 6 {
		sent.Go(func() {
			req, err := http.NewRequest(http.MethodPost, s.URL+"/api/v1/imports", io.LimitReader(zeros{}, 60<<20))
			if err != nil {
				t.Error(err)
				return
			}
			req.ContentLength = 60 << 20
			res, err := http.DefaultClient.Do(req)
			if err != nil {
				return // cut off in the middle
			}
			defer res.Body.Close()
			if res.StatusCode != http.StatusUnauthorized {
				t.Errorf("without a sign-in: %d", res.StatusCode)
			}
		})
	}
	sent.Wait()
	if after := residentMiB(t, s.PID()); after > before+60 {
		t.Errorf("six posts of 60 MiB by nobody: %d MiB before, %d MiB after", before, after)
	}
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) { return len(p), nil }

func residentMiB(t *testing.T, pid int) int {
	t.Helper()
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(data)) {
		var kib int
		if _, err := fmt.Sscanf(line, "VmRSS: %d kB", &kib); err == nil {
			return kib >> 10
		}
	}
	t.Fatal("the process does not say what it holds")
	return 0
}
