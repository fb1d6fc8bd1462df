package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"

	"goldshelf/client"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/internal/pgserver"
	"goldshelf/internal/testdb"
	"goldshelf/test/judge"
	"goldshelf/test/run"
)

const (
	largest     = 100_000 // entries
	entryBytes  = 2048
	searchers   = 16
	searchesFor = 5 * time.Second
)

// asked are searches of every sort: one word and several, as they are typed, misspelt, by
// labels, and nothing typed at all.
var asked = []client.Query{
	{Words: "burst main"}, {Words: "wat"}, {Words: "meterr dispute"}, {Words: "technician advert depot"},
	{Words: "tender", Labels: map[string][]string{"facet-1": {"term-3"}}}, {Labels: map[string][]string{"facet-0": {"term-1", "term-2"}, "kind": {"prompt"}}},
	{Words: "how do I tell households that their supply is off"}, {Words: "reservoir kind:snippet"}, {Words: "allowance -leak"}, {},
	{Words: "refund"}, {Words: "burst-main-notice"}, {Words: "boil water wording"}, {Words: "interview questions applicants"},
}

// searchFigures measures searches in the demo, judged, and in libraries that grow to a
// hundred thousand entries.
func searchFigures(ctx context.Context) (figures []figure, err error) {
	dir, remove, err := run.DiskDir()
	if err != nil {
		return nil, err
	}
	defer remove()
	s, err := run.Serve(dir, "--demo")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, s.Stop()) }()
	c := &client.Client{Server: s.URL, HTTP: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: searchers}}}
	if _, err := c.SignIn(ctx, "reader", demo.Password); err != nil {
		return nil, err
	}
	if figures, err = judged(ctx, c); err != nil {
		return nil, err
	}
	pg, runs := pgserver.Running(dir)
	if !runs {
		return nil, errors.New("the service's database does not run")
	}
	owner := pg.URL("goldshelf")
	var small time.Duration
	filled := 0
	for _, n := range []int{1_000, 10_000, largest} {
		fmt.Printf("Filling the library up to %d entries …\n", n)
		if err := testdb.Large(ctx, owner, filled, n, entryBytes); err != nil {
			return nil, err
		}
		if filled = n; n == 1_000 {
			if small, err = fills(ctx, c); err != nil {
				return nil, err
			}
		}
		middle, late, err := searches(ctx, c)
		if err != nil {
			return nil, err
		}
		f := figure{fmt.Sprintf("search with all counts among %d, one caller", n), fmt.Sprintf("median %s, 99th percentile %s", ms(middle), ms(late)), "", true}
		if n == largest {
			f.want, f.good = "15 ms, 60 ms", middle < 15*time.Millisecond && late < 60*time.Millisecond
		}
		figures = append(figures, f)
	}
	at := fmt.Sprintf(" among %d", largest)
	rate, err := searchRate(ctx, c)
	if err != nil {
		return nil, err
	}
	figures = append(figures, figure{"searches by 16 callers" + at, fmt.Sprintf("%.0f a second", rate), "300", rate >= 300})
	letter, err := firstLetter(ctx, s.URL)
	if err != nil {
		return nil, err
	}
	figures = append(figures, figure{"from the first letter to results drawn" + at, ms(letter), "150 ms", letter < 150*time.Millisecond})
	large, err := fills(ctx, c)
	if err != nil {
		return nil, err
	}
	figures = append(figures, figure{"a fill" + at + ", against 1,000", fmt.Sprintf("%s, %s", ms(large), ms(small)), "the same", large < small*5/4})
	counting, err := countedUse(ctx)
	if err != nil {
		return nil, err
	}
	share := 100 * counting.Seconds() / small.Seconds()
	figures = append(figures, figure{"counting a use, written in batches, of a fill", fmt.Sprintf("%.1f %% (%.1f µs of %s)", share, float64(counting.Nanoseconds())/1e3, ms(small)), "5 %", share < 5})
	beside, err := besideFiles(ctx, c, owner)
	if err != nil {
		return nil, err
	}
	figures = append(figures, beside)
	again, err := startAgain(ctx, dir, &s)
	return append(figures, again...), err
}

// judged says how well the demo is searched, and prints the misses.
func judged(ctx context.Context, c *client.Client) ([]figure, error) {
	queries, err := judge.Queries()
	if err != nil {
		return nil, err
	}
	v, err := judge.Judge(ctx, c, queries)
	if err != nil {
		return nil, err
	}
	for _, m := range v.Misses {
		fmt.Printf("  not first: %q gives %s, wanted %s\n", m.Text, strings.Join(m.Got, ", "), strings.Join(m.Wanted, ", "))
	}
	return []figure{
		{fmt.Sprintf("mean reciprocal rank of %d judged queries", v.Queries), fmt.Sprintf("%.3f", v.MRR), "0.9", v.MRR >= 0.9},
		{"recall in the first five", fmt.Sprintf("%.3f", v.Recall), "0.95", v.Recall >= 0.95},
	}, nil
}

// searches asks everything that is asked, again and again.
func searches(ctx context.Context, c *client.Client) (middle, late time.Duration, err error) {
	const rounds, warm = 40, 20
	var took []time.Duration
	for n := range warm + rounds {
		for _, q := range asked {
			start := time.Now()
			if _, err := c.Shelf(ctx, q); err != nil {
				return 0, 0, err
			}
			if n >= warm { // before, words are looked up, the index follows and connections are made
				took = append(took, time.Since(start))
			}
		}
	}
	slices.Sort(took)
	return took[len(took)/2], took[len(took)*99/100], nil
}

func searchRate(ctx context.Context, c *client.Client) (float64, error) {
	var done atomic.Int64
	var all sync.WaitGroup
	var failed atomic.Pointer[error]
	until := time.Now().Add(searchesFor)
	for n := range searchers {
		all.Go(func() {
			for i := n; time.Now().Before(until); i++ {
				if _, err := c.Shelf(ctx, asked[i%len(asked)]); err != nil {
					failed.Store(&err)
					return
				}
				done.Add(1)
			}
		})
	}
	all.Wait()
	if err := failed.Load(); err != nil {
		return 0, *err
	}
	return float64(done.Load()) / searchesFor.Seconds(), nil
}

func fills(ctx context.Context, c *client.Client) (time.Duration, error) {
	values := fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6"), "boil": fill.Single("yes")}
	return median(400, func() error {
		_, err := c.Fill(ctx, "burst-main-notice", values)
		return err
	})
}

// besideFiles sets a search for one word beside ripgrep in the same entries as files.
func besideFiles(ctx context.Context, c *client.Client, owner string) (f figure, err error) {
	folder, err := os.MkdirTemp("/tmp", "goldshelf-files-")
	if err != nil {
		return f, err
	}
	defer os.RemoveAll(folder)
	conn, err := pgx.Connect(ctx, owner)
	if err != nil {
		return f, err
	}
	defer conn.Close(ctx)
	rows, err := conn.Query(ctx, "select e.slug, v.title || E'\\n' || v.summary || E'\\n' || v.body from versions v join entries e on e.id = v.entry_id where v.state = 'published'")
	if err != nil {
		return f, err
	}
	var slug, text string
	if _, err := pgx.ForEachRow(rows, []any{&slug, &text}, func() error {
		return os.WriteFile(filepath.Join(folder, slug+".md"), []byte(text), 0o644)
	}); err != nil {
		return f, err
	}
	const word = "reservoir"
	ours, err := median(50, func() error {
		_, err := c.Shelf(ctx, client.Query{Words: word})
		return err
	})
	if err != nil {
		return f, err
	}
	theirs, err := median(5, func() error { return exec.CommandContext(ctx, "rg", "-l", "-i", word, folder).Run() })
	if err != nil {
		return f, fmt.Errorf("rg: %w", err)
	}
	times := float64(theirs) / float64(ours)
	return figure{"a word found, against rg -l in as many files", fmt.Sprintf("%.0f times as fast (%s, %s)", times, ms(ours), ms(theirs)), "20 times", times >= 20}, nil
}

// startAgain stops the service, and starts it with all that is there.
func startAgain(ctx context.Context, dir string, s **run.Service) ([]figure, error) {
	if err := (*s).Stop(); err != nil {
		return nil, err
	}
	start := time.Now()
	again, err := run.Serve(dir, "--demo")
	if err != nil {
		return nil, err
	}
	*s = again
	ready := time.Since(start)
	c := &client.Client{Server: again.URL}
	if _, err := c.SignIn(ctx, "reader", demo.Password); err != nil {
		return nil, err
	}
	if _, err := c.Shelf(ctx, client.Query{Words: "burst"}); err != nil {
		return nil, err
	}
	found := time.Since(start)
	if _, _, err := searches(ctx, c); err != nil {
		return nil, err
	}
	memory, err := residentMiB(again.PID())
	at := fmt.Sprintf(" with %d entries", largest)
	return []figure{
		{"ready after a start" + at, ms(ready), "3 s", ready < 3*time.Second},
		{"its first search answered, from the start on", ms(found), "", true},
		{"memory" + at + ", after searches", fmt.Sprintf("%.0f MiB", memory), "200 MiB", memory < 200},
	}, err
}

// countedUse is how much longer a fill takes that is counted, with its share of what is
// written.
func countedUse(ctx context.Context) (time.Duration, error) {
	out, err := exec.CommandContext(ctx, "go", "test", "goldshelf/internal/shelf", "-run", "^$", "-bench", "CountedUse", "-benchtime", "1s", "-count", "3").CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("%w\n%s", err, out)
	}
	ns, _, _ := readBenchmarks(string(out))
	return time.Duration(ns["CountedUse/counted"] - ns["CountedUse/filled"]), nil
}
