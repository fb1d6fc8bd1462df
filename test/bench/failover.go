package main

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/internal/demo"
	"goldshelf/internal/testdb"
	"goldshelf/test/run"
)

const (
	spokenOf = "meter-dispute-reply"
	speakers = 8
)

// failoverFigures kills one of two services, and then the database under both whose replica is
// promoted, while many write through a client that tries again.
func failoverFigures(ctx context.Context) (figures []figure, err error) {
	dir, remove, err := loadedDemo()
	if err != nil {
		return nil, err
	}
	defer remove()
	pair, err := testdb.PairOf(ctx, dir, dir+"-second")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, pair.Stop()) }()
	if err := pair.Synchronous(ctx, true); err != nil {
		return nil, err
	}
	var services []*run.Service
	for range 2 {
		s, err := run.Serve(filepath.Join(filepath.Dir(dir), "none"), "--database-url", pair.Either(), "--read-database-url", pair.URL(pair.Second))
		if err != nil {
			return nil, err
		}
		defer func() { _ = s.Kill() }() // one was already
		services = append(services, s)
	}
	c := &client.Client{Server: services[0].URL + "," + services[1].URL}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		return nil, err
	}
	w := beginWriting(c)
	time.Sleep(2 * time.Second)
	if err := services[0].Kill(); err != nil {
		return nil, err
	}
	time.Sleep(3 * time.Second)
	whenServiceDied := w.failed.Load()
	if err := pair.Kill(pair.First); err != nil {
		return nil, err
	}
	began := time.Now()
	if err := pair.Exec(ctx, pair.Second, "alter system set synchronous_standby_names = ''", "select pg_reload_conf()", "select pg_promote()"); err != nil {
		return nil, err
	}
	before := w.answered.Load()
	for w.answered.Load() < before+speakers*3 && time.Since(began) < time.Minute {
		time.Sleep(10 * time.Millisecond)
	}
	back := time.Since(began)
	lost, err := w.end(ctx, c)
	if err != nil {
		return nil, err
	}
	return []figure{
		{"failed calls of 8 writers when one of two services dies", fmt.Sprint(whenServiceDied), "none", whenServiceDied == 0},
		{"failed calls when the database dies and its replica is promoted", fmt.Sprint(w.failed.Load() - whenServiceDied), "none", w.failed.Load() == whenServiceDied},
		{fmt.Sprintf("of %d changes that were answered, lost", w.answered.Load()), fmt.Sprint(lost), "none", lost == 0},
		{"all writers go on after the promotion", fmt.Sprintf("%.1f s", back.Seconds()), "15 s", back < 15*time.Second},
	}, nil
}

// writing is what writers say until it is ended.
type writing struct {
	stop             chan struct{}
	writers          sync.WaitGroup
	said             sync.Map // what was answered
	answered, failed atomic.Int64
}

func beginWriting(c *client.Client) *writing {
	w := &writing{stop: make(chan struct{})}
	for n := range speakers {
		w.writers.Go(func() {
			for k := 0; ; k++ {
				select {
				case <-w.stop:
					return
				default:
				}
				text := fmt.Sprintf("Writer %d says %d.", n, k)
				if _, err := c.AddComment(context.Background(), spokenOf, api.NewComment{Text: text}); err != nil {
					w.failed.Add(1)
					continue
				}
				w.said.Store(text, true)
				w.answered.Add(1)
			}
		})
	}
	return w
}

// end ends it, and gives how much of what was answered is not there.
func (w *writing) end(ctx context.Context, c *client.Client) (lost int, err error) {
	close(w.stop)
	w.writers.Wait()
	there, err := c.Comments(ctx, spokenOf, 0)
	if err != nil {
		return 0, err
	}
	is := map[string]bool{}
	for _, it := range there.Items {
		is[it.Text] = true
	}
	w.said.Range(func(text, _ any) bool {
		if !is[text.(string)] {
			lost++
		}
		return true
	})
	return lost, nil
}
