package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/internal/pgserver"
	"goldshelf/test/run"
)

const (
	partOfACore = 0.4
	heldFor     = 8 * time.Second
	servedEach  = 4 // who search at each service
)

// severalFigures measures what a second service on the same database adds, each held to a part
// of a core.
func severalFigures(ctx context.Context) (figures []figure, err error) {
	dir, remove, err := loadedDemo()
	if err != nil {
		return nil, err
	}
	defer remove()
	pg, err := pgserver.Start(ctx, dir, pgserver.Options{})
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, pg.Stop()) }()
	var all []*client.Client
	for n := range 2 {
		s, err := run.Serve(filepath.Join(filepath.Dir(dir), "none"), "--database-url", pg.URL("goldshelf"))
		if err != nil {
			return nil, err
		}
		defer func() { _ = s.Stop() }() // it only reads
		letGo, err := hold(fmt.Sprintf("goldshelf-bench-%d-%d", os.Getpid(), n), s.PID(), partOfACore)
		if err != nil {
			return nil, err
		}
		defer letGo()
		c := &client.Client{Server: s.URL, HTTP: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: servedEach}}}
		if _, err := c.SignIn(ctx, "reader", demo.Password); err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	// One and two in turn, so that a slow moment of the machine is both's.
	var one, two float64
	for range 2 {
		for _, n := range []int{1, 2} {
			rate, err := rateOf(ctx, all[:n])
			if err != nil {
				return nil, err
			}
			if n == 1 {
				one += rate / 2
			} else {
				two += rate / 2
			}
		}
	}
	return []figure{{"searches with two services, each held to 0.4 of a core, beside one", fmt.Sprintf("%.2f times (%.0f/s, %.0f/s)", two/one, two, one), "1.7 times", two/one >= 1.7}}, nil
}

// rateOf is how many searches a second services answer together.
func rateOf(ctx context.Context, services []*client.Client) (float64, error) {
	var answered atomic.Int64
	var failed atomic.Value
	var searching sync.WaitGroup
	end := time.Now().Add(heldFor)
	for _, c := range services {
		for n := range servedEach {
			searching.Go(func() {
				for i := n; time.Now().Before(end); i++ {
					if _, err := c.Shelf(ctx, asked[i%3]); err != nil { // such as the demo has answers to
						failed.Store(err)
						return
					}
					answered.Add(1)
				}
			})
		}
	}
	searching.Wait()
	if err, _ := failed.Load().(error); err != nil {
		return 0, err
	}
	return float64(answered.Load()) / heldFor.Seconds(), nil
}

// hold has a process use no more than so much of a core, until it is let go: by the kernel's
// control groups, of either version.
func hold(name string, pid int, cores float64) (letGo func(), err error) {
	const period = 20_000 // microseconds: a quota of the usual 100,000 comes in bursts
	quota := strconv.Itoa(int(cores * period))
	for _, kind := range []struct {
		root, process string
		limits        [][2]string
	}{
		{"/sys/fs/cgroup/cpu", "cgroup.procs", [][2]string{{"cpu.cfs_period_us", strconv.Itoa(period)}, {"cpu.cfs_quota_us", quota}}},
		{"/sys/fs/cgroup", "cgroup.procs", [][2]string{{"cpu.max", quota + " " + strconv.Itoa(period)}}},
	} {
		group := filepath.Join(kind.root, name)
		if err = os.Mkdir(group, 0o755); err != nil {
			continue
		}
		write := func(file, text string) {
			if err == nil {
				err = os.WriteFile(filepath.Join(group, file), []byte(text), 0o644)
			}
		}
		for _, l := range kind.limits {
			write(l[0], l[1])
		}
		write(kind.process, strconv.Itoa(pid))
		if err == nil {
			return func() {
				_ = os.WriteFile(filepath.Join(kind.root, kind.process), []byte(strconv.Itoa(pid)), 0o644)
				_ = os.Remove(group) // an empty one in the way harms nobody
			}, nil
		}
		_ = os.Remove(group)
	}
	return nil, fmt.Errorf("hold a service to %.1f of a core: %w", cores, err)
}
