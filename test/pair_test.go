package test

import (
	"bufio"
	"context"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"goldshelf/client"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/internal/testdb"
	"goldshelf/test/run"
)

// pairOf is the demo's library in a database and a replica of it, with two services on them
// that read the shelf from the replica.
func pairOf(t *testing.T) (p *testdb.Pair, services [2]*run.Service) {
	t.Helper()
	dir, remove, err := run.Copy(demoDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(remove)
	if p, err = testdb.PairOf(t.Context(), dir, dir+"-second"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := p.Stop(); err != nil {
			t.Error(err)
		}
	})
	for i := range services {
		s, err := run.Serve(filepath.Join(t.TempDir(), "none"), "--database-url", p.Either(), "--read-database-url", p.URL(p.Second))
		if err != nil {
			t.Fatal(err)
		}
		services[i] = s
		t.Cleanup(func() { _ = s.Kill() }) // unless it was already
	}
	return p, services
}

// readers search the shelf and fill an entry in until they are ended, by a client that tries
// again.
type readers struct {
	stop             chan struct{}
	ended            sync.WaitGroup
	answered, failed atomic.Int64
	why              atomic.Value
}

func read(t *testing.T, at string, n int) *readers {
	t.Helper()
	c := &client.Client{Server: at, HTTP: &http.Client{Timeout: 20 * time.Second}}
	if _, err := c.SignIn(t.Context(), "reader", demo.Password); err != nil {
		t.Fatal(err)
	}
	r := &readers{stop: make(chan struct{})}
	for range n {
		r.ended.Go(func() {
			for {
				select {
				case <-r.stop:
					return
				case <-time.After(10 * time.Millisecond):
				}
				ctx := context.Background()
				_, err := c.Shelf(ctx, client.Query{Words: "water"})
				if err == nil {
					_, err = c.Fill(ctx, "burst-main-notice", fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6"), "boil": fill.Single("yes")})
				}
				if err != nil {
					r.failed.Add(1)
					r.why.Store(err.Error())
					continue
				}
				r.answered.Add(1)
			}
		})
	}
	return r
}

// end ends them, and says how many calls failed behind the client.
func (r *readers) end(t *testing.T, most int64, what string) {
	t.Helper()
	close(r.stop)
	r.ended.Wait()
	if failed := r.failed.Load(); failed > most || r.answered.Load() == 0 {
		t.Errorf("%s: %d rounds of reading came through and %d failed, the last with: %v", what, r.answered.Load(), failed, r.why.Load())
	}
	t.Logf("%s: readers came through %d times", what, r.answered.Load())
}

// shelfReads is how often a service has read the shelf from a replica, or from the database.
func shelfReads(t *testing.T, s *run.Service, from string) float64 {
	t.Helper()
	res, err := http.Get(s.URL + "/metrics")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	for lines.Scan() {
		if n, is := strings.CutPrefix(lines.Text(), `goldshelf_shelf_reads{from="`+from+`"} `); is {
			times, err := strconv.ParseFloat(n, 64)
			if err != nil {
				t.Fatal(err)
			}
			return times
		}
	}
	t.Fatalf("the metrics do not say how often the shelf was read from the %s", from)
	return 0
}

// One of two services dies, and then the replica that every change waits for: nobody who
// tries again loses a call, and changes wait until the replica is waited for no more.
func TestBadDayADeadServiceAndADeadReplica(t *testing.T) {
	t.Parallel()
	p, services := pairOf(t)
	if err := p.Synchronous(t.Context(), true); err != nil {
		t.Fatal(err)
	}
	both := services[0].URL + "," + services[1].URL
	l, r := speak(t, both, 0, 4), read(t, both, 2)
	l.until(t, 20, 20*time.Second)
	if err := services[0].Kill(); err != nil {
		t.Fatal(err)
	}
	l.until(t, 20, 20*time.Second)
	if n := l.failed.Load(); n != 0 {
		t.Errorf("%d calls failed when one of two services died", n)
	}
	if n := shelfReads(t, services[1], "replica"); n == 0 {
		t.Error("nothing was read from the replica")
	}
	if err := p.Kill(p.Second); err != nil {
		t.Fatal(err)
	}
	time.Sleep(500 * time.Millisecond) // what was under way has come to its end
	before := l.answered.Load()
	time.Sleep(1500 * time.Millisecond)
	if n := l.answered.Load() - before; n != 0 {
		t.Errorf("%d changes were answered that no replica has", n)
	}
	if err := p.Synchronous(t.Context(), false); err != nil {
		t.Fatal(err)
	}
	l.until(t, 20, 20*time.Second)
	r.end(t, 0, "a service and the replica died")
	l.end(t, "a service and the replica died")
	if n := l.failed.Load(); n != 0 {
		t.Errorf("%d calls failed", n)
	}
	if strings.Contains(services[1].Log(), "status=500") {
		t.Errorf("a request was answered with 500:\n%s", services[1].Log())
	}
}

// The database dies and its replica is promoted: nothing that was answered is lost, and both
// services go on with it by themselves.
func TestBadDayADeadDatabaseWithAReplica(t *testing.T) {
	t.Parallel()
	p, services := pairOf(t)
	if err := p.Synchronous(t.Context(), true); err != nil {
		t.Fatal(err)
	}
	both := services[0].URL + "," + services[1].URL
	l, r := speak(t, both, 0, 4), read(t, both, 2)
	l.until(t, 20, 20*time.Second)
	if err := p.Kill(p.First); err != nil {
		t.Fatal(err)
	}
	time.Sleep(time.Second)
	if err := p.Exec(t.Context(), p.Second, "alter system set synchronous_standby_names = ''", "select pg_reload_conf()"); err != nil {
		t.Fatal(err)
	}
	if err := p.Promote(t.Context()); err != nil {
		t.Fatal(err)
	}
	start := time.Now()
	l.until(t, 20, 15*time.Second)
	took := time.Since(start)
	for i, s := range services {
		res, err := http.Get(s.URL + "/readyz")
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		if res.StatusCode != http.StatusOK {
			t.Errorf("service %d is not ready: %d", i, res.StatusCode)
		}
	}
	r.end(t, 2, "the replica was promoted")
	l.end(t, "the replica was promoted")
	t.Logf("changes came through %s after the promotion", took.Round(time.Millisecond))
	for _, s := range services {
		if strings.Contains(s.Log(), "status=500") {
			t.Errorf("a request was answered with 500:\n%s", s.Log())
		}
	}
}
