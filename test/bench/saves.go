package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/internal/demo"
	"goldshelf/test/run"
)

const (
	writers   = 16
	savingFor = 5 * time.Second
	rounds    = 4
)

// saveFigures measures a long history, and drafts saved by many at once beside
// pgbench on the same cluster.
func saveFigures(ctx context.Context) (figures []figure, err error) {
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
	c := &client.Client{Server: s.URL, HTTP: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: writers}}}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		return nil, err
	}
	page, err := longHistory(ctx, c)
	if err != nil {
		return nil, err
	}
	// In turns, so that a slow moment of the machine is both's.
	var saves, base float64
	for n := range rounds {
		s, err := savesPerSecond(ctx, c, n)
		if err != nil {
			return nil, err
		}
		b, err := pgbench(ctx, dir, n == 0)
		if err != nil {
			return nil, err
		}
		saves, base = saves+s/rounds, base+b/rounds
	}
	return []figure{
		{"an entry's page with 500 versions, median of 50", ms(page), "50 ms", page < 50*time.Millisecond},
		{"drafts saved by 16 at once, against pgbench", fmt.Sprintf("%.0f %% (%.0f, %.0f a second)", 100*saves/base, saves, base), "40 %", saves >= 0.4*base},
	}, nil
}

// longHistory times all that an entry's page asks for, of one with 500 versions.
func longHistory(ctx context.Context, c *client.Client) (time.Duration, error) {
	reviewer := &client.Client{Server: c.Server}
	if _, err := reviewer.SignIn(ctx, "reviewer", demo.Password); err != nil {
		return 0, err
	}
	body := strings.Repeat("Say what happened, where, and what to do now.\n", 44)
	in := api.NewEntry{Slug: "long-history", Content: entry.Content{
		Kind: entry.Snippet, Title: "Long history", Summary: "It has many versions.", Labels: map[string][]string{"department": {"customer-care"}},
	}}
	for n := 1; n <= 500; n++ {
		in.Body = body + fmt.Sprintf("This is version %d.\n", n)
		if err := nextVersion(ctx, c, reviewer, in, n); err != nil {
			return 0, fmt.Errorf("version %d: %w", n, err)
		}
	}
	return median(50, func() error {
		if _, err := c.Entry(ctx, "long-history"); err != nil {
			return err
		}
		if _, err := c.Uses(ctx, "long-history"); err != nil {
			return err
		}
		page, err := c.VersionsPage(ctx, "long-history", "")
		if err == nil && (page.Items[0].Version != 500 || page.Next == "") {
			err = fmt.Errorf("the history begins with version %d, want 500 and more pages", page.Items[0].Version)
		}
		return err
	})
}

// nextVersion takes a text through its life, up to the shelf.
func nextVersion(ctx context.Context, c, reviewer *client.Client, in api.NewEntry, n int) error {
	var err error
	if n == 1 {
		_, err = c.Create(ctx, in)
	} else {
		_, _, err = c.SaveDraft(ctx, in.Slug, "", in)
	}
	if err != nil {
		return err
	}
	e, err := c.Submit(ctx, in.Slug, fmt.Sprintf("Change %d.", n))
	if err != nil {
		return err
	}
	if _, err := reviewer.Approve(ctx, in.Slug, e.Seen, ""); err != nil {
		return err
	}
	_, err = c.Publish(ctx, in.Slug, e.Seen)
	return err
}

// savesPerSecond has writers save drafts of different entries, each as fast as it
// is answered.
func savesPerSecond(ctx context.Context, c *client.Client, round int) (float64, error) {
	text := strings.Repeat("Say what happened, where, and what to do now.\n", 20)
	var saved atomic.Int64
	var wg sync.WaitGroup
	errs := make([]error, writers)
	ready := make(chan struct{})
	var made sync.WaitGroup
	for n := range writers {
		made.Add(1)
		wg.Go(func() {
			in := api.NewEntry{Slug: fmt.Sprintf("saved-%d-%d", round, n), Content: entry.Content{Kind: entry.Prompt, Title: "Saved", Summary: "S", Body: text}}
			_, err := c.Create(ctx, in)
			var etag string
			if err == nil {
				_, etag, err = c.Draft(ctx, in.Slug)
			}
			made.Done()
			<-ready
			for k, start := 0, time.Now(); err == nil && time.Since(start) < savingFor; k++ {
				in.Body = text + fmt.Sprintf("Change %d.\n", k)
				if _, etag, err = c.SaveDraft(ctx, in.Slug, etag, in); err == nil {
					saved.Add(1)
				}
			}
			errs[n] = err
		})
	}
	made.Wait()
	start := time.Now()
	close(ready)
	wg.Wait()
	return float64(saved.Load()) / time.Since(start).Seconds(), errors.Join(errs...)
}

var tps = regexp.MustCompile(`tps = ([\d.]+)`)

// pgbench runs PostgreSQL's own simple-update script on the service's cluster, with
// as many clients, and gives its transactions a second. The first time it makes
// its tables.
func pgbench(ctx context.Context, dir string, first bool) (float64, error) {
	password, err := os.ReadFile(filepath.Join(dir, "password"))
	if err != nil {
		return 0, err
	}
	pid, err := os.ReadFile(filepath.Join(dir, "cluster", "postmaster.pid"))
	if err != nil {
		return 0, err
	}
	lines := strings.Split(string(pid), "\n")
	if len(lines) < 4 {
		return 0, errors.New("the cluster does not say on which port it is")
	}
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/pgbench")
	if err != nil || len(found) == 0 {
		return 0, errors.Join(err, errors.New("there is no pgbench; it comes with Debian's package postgresql"))
	}
	program := found[len(found)-1]
	run := func(program string, args ...string) (string, error) {
		cmd := exec.CommandContext(ctx, program, args...)
		cmd.Env = append(os.Environ(), "PGHOST=127.0.0.1", "PGPORT="+lines[3], "PGUSER=goldshelf", "PGPASSWORD="+strings.TrimSpace(string(password)))
		out, err := cmd.CombinedOutput()
		if err != nil {
			err = fmt.Errorf("%s: %w\n%s", filepath.Base(program), err, out)
		}
		return string(out), err
	}
	if first {
		if _, err := run(filepath.Join(filepath.Dir(program), "createdb"), "pgbench"); err != nil {
			return 0, err
		}
		if _, err := run(program, "-i", "-q", "-s", strconv.Itoa(writers), "pgbench"); err != nil {
			return 0, err
		}
	}
	out, err := run(program, "-N", "-c", strconv.Itoa(writers), "-j", strconv.Itoa(runtime.NumCPU()), "-T", strconv.Itoa(int(savingFor.Seconds())), "pgbench")
	if err != nil {
		return 0, err
	}
	m := tps.FindStringSubmatch(out)
	if m == nil {
		return 0, fmt.Errorf("pgbench says nothing of its speed:\n%s", out)
	}
	return strconv.ParseFloat(m[1], 64)
}
