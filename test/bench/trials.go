package main

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/trial"
	"goldshelf/internal/demo"
	"goldshelf/internal/models"
	"goldshelf/test/run"
)

// streamsAtOnce is how many people watch a reply at the same time.
const streamsAtOnce = 200

// trialFigures measures trials and tries against simulated models without latency.
func trialFigures(ctx context.Context) (figures []figure, err error) {
	out, err := exec.CommandContext(ctx, "go", "test", "goldshelf/core/trial", "-run", "^$", "-bench", "Figures", "-count", "3").CombinedOutput()
	if err != nil {
		return nil, fmt.Errorf("%w\n%s", err, out)
	}
	ns, _, _ := readBenchmarks(string(out))
	worked := ns["Figures/100_fills,_4_set-ups,_25_times"] / 1e6
	figures = append(figures, figure{"figures of 10,000 replies, of 100 fills under 4 set-ups", fmt.Sprintf("%.0f ms", worked), "50 ms", worked > 0 && worked < 50})

	dir, remove, err := run.DiskDir()
	if err != nil {
		return nil, err
	}
	defer remove()
	standIn := &firstSent{of: &models.StandIn{}, at: map[string]time.Time{}}
	answering := httptest.NewServer(standIn)
	defer answering.Close()
	s, err := run.Serve(dir, "--demo", "--allow-connection", "127.0.0.1")
	if err != nil {
		return nil, err
	}
	defer func() {
		if stopped := s.Stop(); err == nil {
			err = stopped
		}
	}()
	curator := &client.Client{Server: s.URL}
	if _, err := curator.SignIn(ctx, "curator", demo.Password); err != nil {
		return nil, err
	}
	for left := 1; left > 0; time.Sleep(time.Second) { // the demo's own trials
		list, err := curator.Trials(ctx, "", "")
		if err != nil {
			return nil, err
		}
		left = 7 - len(list.Items)
		for _, t := range list.Items {
			left += t.Awaited
		}
	}
	if _, err := curator.AddConnection(ctx, api.NewConnection{Title: "A bench", Spec: endpoint.Spec{Address: answering.URL, Models: []string{"heron-2", "heron-2-mini"}, AtOnce: 256}}); err != nil {
		return nil, err
	}
	for _, measure := range []func(context.Context, *client.Client, *firstSent, int) ([]figure, error){gridFigures, firstPiece, manyStreams} {
		more, err := measure(ctx, curator, standIn, s.PID())
		if err != nil {
			return nil, err
		}
		figures = append(figures, more...)
	}
	return figures, nil
}

// gridFigures has 1,000 cells be asked, and opens the grid.
func gridFigures(ctx context.Context, c *client.Client, _ *firstSent, _ int) ([]figure, error) {
	in := api.NewTrial{Title: "Bench", Times: 1, Expectations: []trial.Expectation{{Kind: trial.Avoided}, {Kind: trial.Numbers}}, SetUps: []trial.SetUp{{Model: "heron-2"}, {Model: "heron-2-mini"}, {Model: "heron-2", Persona: "none"}, {Model: "heron-2", Style: "none"}}}
	for i := range 250 {
		in.Fills = append(in.Fills, trial.TestFill{Name: fmt.Sprint("street ", i), Values: fill.Values{"area": fill.Single(fmt.Sprint("Mill Lane ", i)), "hours": fill.Single("6")}})
	}
	t, err := c.StartTrial(ctx, "burst-main-notice", in)
	if err != nil {
		return nil, err
	}
	began := time.Now()
	if _, err := c.WatchTrial(ctx, t.ID, func(api.TrialItem) {}); err != nil { // until all are looked at too
		return nil, err
	}
	rate := 1000 / time.Since(began).Seconds()
	opened, err := median(20, func() error { _, err := c.Trial(ctx, t.ID); return err })
	return []figure{
		{"replies of a trial asked for and kept", fmt.Sprintf("%.0f a second", rate), "400 a second", rate >= 400},
		{"a grid of 1,000 cells opened, with its figures", ms(opened), "150 ms", opened < 150*time.Millisecond},
	}, err
}

// firstSent notes when the first piece of each reply was sent.
type firstSent struct {
	of http.Handler

	mu sync.Mutex
	at map[string]time.Time
}

func (f *firstSent) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	id := r.Header.Get("Idempotency-Key")
	f.of.ServeHTTP(&noting{ResponseWriter: w, note: func() {
		f.mu.Lock()
		defer f.mu.Unlock()
		if _, noted := f.at[id]; !noted {
			f.at[id] = time.Now()
		}
	}}, r)
}

type noting struct {
	http.ResponseWriter
	note func()
}

func (n *noting) Write(p []byte) (int, error) {
	if strings.Contains(string(p), "event: piece") {
		n.note()
	}
	return n.ResponseWriter.Write(p)
}

// Unwrap lets the stream be flushed.
func (n *noting) Unwrap() http.ResponseWriter { return n.ResponseWriter }

func (n *noting) Flush() { _ = http.NewResponseController(n.ResponseWriter).Flush() }

func try(latency string) api.TryRequest {
	return api.TryRequest{Ref: "burst-main-notice", Values: fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single(latency)}, Columns: []api.TryColumn{{Model: "heron-2"}}}
}

// firstPiece watches replies, and gives how long after it was sent their first piece is there.
// The models write slowly, so that the watching has begun when they do.
func firstPiece(ctx context.Context, c *client.Client, s *firstSent, _ int) ([]figure, error) {
	s.of.(*models.StandIn).Latency = 0.3
	var late []time.Duration
	for range 40 {
		talk, err := c.Try(ctx, try("6"))
		if err != nil {
			return nil, err
		}
		var came time.Time
		id := talk.Replies[0].ID
		if _, err := c.WatchReply(ctx, id, func(p api.ReplyPiece) {
			if came.IsZero() {
				came = time.Now()
				go func() { _, _ = c.StopReply(ctx, id) }() // the rest does not matter
			}
		}); err != nil {
			return nil, err
		}
		s.mu.Lock()
		late = append(late, came.Sub(s.at[id]))
		s.mu.Unlock()
	}
	slices.Sort(late)
	middle := late[len(late)/2]
	return []figure{{"the first piece of a reply at the client, after it was sent", ms(middle), "5 ms", middle < 5*time.Millisecond}}, nil
}

// manyStreams has many replies be watched at once, and gives how much memory the service has.
func manyStreams(ctx context.Context, c *client.Client, s *firstSent, pid int) ([]figure, error) {
	s.of.(*models.StandIn).Latency = 1
	var ids []string
	for range streamsAtOnce / 4 {
		in := try("6")
		in.Columns = slices.Repeat(in.Columns, 4)
		talk, err := c.Try(ctx, in)
		if err != nil {
			return nil, err
		}
		for _, r := range talk.Replies {
			ids = append(ids, r.ID)
		}
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	watched, failed := 0, error(nil)
	for _, id := range ids {
		all.Go(func() {
			first := true
			_, err := c.WatchReply(ctx, id, func(api.ReplyPiece) {
				if first {
					first = false
					mu.Lock()
					watched++
					mu.Unlock()
				}
			})
			if err != nil {
				mu.Lock()
				failed = err
				mu.Unlock()
			}
		})
	}
	most := 0.0
	ended := make(chan struct{})
	go func() { all.Wait(); close(ended) }()
	for running := true; running; {
		select {
		case <-ended:
			running = false
		case <-time.After(200 * time.Millisecond):
			now, err := residentMiB(pid)
			if err != nil {
				return nil, err
			}
			most = max(most, now)
		}
	}
	if failed != nil {
		return nil, failed
	}
	return []figure{{fmt.Sprintf("memory with %d replies watched at once (%d came piece by piece)", len(ids), watched), fmt.Sprintf("%.0f MiB", most), "200 MiB", most < 200 && watched == len(ids)}}, nil
}
