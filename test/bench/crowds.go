package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/run"
)

const (
	hanging    = 50
	submitting = 200
	filling    = 16
	fillingFor = 3 * time.Second
)

// crowdFigures measures many at once: submissions where nothing is remembered yet, a
// publication beside channels that do not answer, and fills as fast as they come.
func crowdFigures(ctx context.Context) (figures []figure, err error) {
	dir, remove, err := run.DiskDir()
	if err != nil {
		return nil, err
	}
	defer remove()
	first, err := run.Serve(dir, "--demo", "--allow-channel", "127.0.0.1")
	if err != nil {
		return nil, err
	}
	c := &client.Client{Server: first.URL, HTTP: &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: submitting}}}
	if _, err := c.SignIn(ctx, "contributor", demo.Password); err != nil {
		return nil, errors.Join(err, first.Stop())
	}
	slugs, err := draftsToSubmit(ctx, c)
	if err := errors.Join(err, first.Stop()); err != nil {
		return nil, err
	}
	s, err := run.Serve(dir, "--demo", "--allow-channel", "127.0.0.1")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, s.Stop()) }()
	c.Server = s.URL
	submitted, err := submitAtOnce(ctx, c, slugs)
	if err != nil {
		return nil, err
	}
	fills, err := fillFigure(ctx, c, s.URL)
	if err != nil {
		return nil, err
	}
	late, err := lateness(ctx, s.URL, slugs[:2])
	if err != nil {
		return nil, err
	}
	return []figure{
		{fmt.Sprintf("%d submissions at once, nothing remembered, the last answered after", submitting), fmt.Sprintf("%.1f s", submitted.Seconds()), "5 s", submitted < 5*time.Second},
		fills,
		{fmt.Sprintf("a publication beside %d deliveries that hang, late by", hanging), fmt.Sprintf("%.1f s", late.Seconds()), "2 s", late < 2*time.Second},
	}, nil
}

func draftsToSubmit(ctx context.Context, c *client.Client) (slugs []string, err error) {
	for i := range submitting {
		in := api.NewEntry{Slug: fmt.Sprintf("crowd-%d", i), Content: entry.Content{
			Kind: entry.Prompt, Title: fmt.Sprintf("Crowd %d", i), Summary: "One of many that are submitted at once.",
			Labels:  map[string][]string{"department": {"customer-care"}, "application": {"weir-mail"}, "model": {"heron-2"}},
			Persona: "duty-officer", Style: "plain-river", Blanks: []fill.Blank{{Name: "area", Ask: "Which streets?", Sample: fill.Single("Mill Lane")}},
			Body: fmt.Sprintf("## Task\nWrite notice %d to the households in {{area}}, in five sentences.\n{{include no-guessing}}\n", i),
		}}
		if _, err := c.Create(ctx, in); err != nil {
			return nil, err
		}
		slugs = append(slugs, in.Slug)
	}
	return slugs, nil
}

// submitAtOnce gives how long the last of many had to wait.
func submitAtOnce(ctx context.Context, c *client.Client, slugs []string) (time.Duration, error) {
	errs := make([]error, len(slugs))
	var all sync.WaitGroup
	start := time.Now()
	for i, slug := range slugs {
		all.Go(func() { _, errs[i] = c.Submit(ctx, slug, "Ready.") })
	}
	all.Wait()
	return time.Since(start), errors.Join(errs...)
}

// lateness gives how late an entry that is to be published at a time is on the shelf,
// while many channels do not answer.
func lateness(ctx context.Context, url string, slugs []string) (time.Duration, error) {
	hang := make(chan struct{})
	var hung atomic.Int32
	channel := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { hung.Add(1); <-hang }))
	defer channel.Close()
	defer close(hang)
	reviewer, curator := &client.Client{Server: url}, &client.Client{Server: url}
	if _, err := reviewer.SignIn(ctx, "reviewer", demo.Password); err != nil {
		return 0, err
	}
	if _, err := curator.SignIn(ctx, "curator", demo.Password); err != nil {
		return 0, err
	}
	for _, slug := range slugs {
		if _, err := reviewer.Approve(ctx, slug, seen(ctx, reviewer, slug), ""); err != nil {
			return 0, err
		}
	}
	for i := range hanging {
		if _, err := curator.AddChannel(ctx, api.NewChannel{Title: fmt.Sprintf("Hung %d", i), URL: channel.URL}); err != nil {
			return 0, err
		}
	}
	if _, err := curator.Publish(ctx, slugs[0], seen(ctx, curator, slugs[0])); err != nil {
		return 0, err
	}
	at := time.Now().Add(3 * time.Second)
	if _, err := curator.PublishAt(ctx, slugs[1], seen(ctx, curator, slugs[1]), at); err != nil {
		return 0, err
	}
	for time.Since(at) < 30*time.Second {
		if _, err := curator.ShelfEntry(ctx, slugs[1]); err == nil {
			if n := hung.Load(); n < hanging {
				return 0, fmt.Errorf("only %d deliveries hang", n)
			}
			return time.Since(at), nil
		}
		time.Sleep(20 * time.Millisecond)
	}
	return 0, fmt.Errorf("%s was not published within 30 s of its time", slugs[1])
}

// seen names the text of an entry that is in review or approved.
func seen(ctx context.Context, c *client.Client, slug string) entry.Digest {
	e, err := c.Entry(ctx, slug)
	if err != nil {
		return ""
	}
	return e.Seen
}

// fillFigure compares fills with a bare handler of the same server in a process of its
// own, which sends the same bytes; in turns, so that a slow moment is both's.
func fillFigure(ctx context.Context, c *client.Client, url string) (figure, error) {
	body, err := json.Marshal(api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6"), "boil": fill.Single("yes")}})
	if err != nil {
		return figure{}, err
	}
	call := func(address string) func() ([]byte, error) {
		return func() ([]byte, error) { return post(ctx, address, c.Token, body) }
	}
	ours := call(url + "/api/v1/shelf/burst-main-notice/fill")
	answer, err := ours()
	if err != nil {
		return figure{}, err
	}
	bare, stop, err := startBare(ctx, answer)
	if err != nil {
		return figure{}, err
	}
	defer stop()
	var fills, sends []float64
	for range rounds {
		f, err := perSecond(ours)
		if err != nil {
			return figure{}, err
		}
		b, err := perSecond(call(bare + "/"))
		if err != nil {
			return figure{}, err
		}
		fills, sends = append(fills, f), append(sends, b)
	}
	f, b := slices.Max(fills), slices.Max(sends)
	return figure{fmt.Sprintf("fills by %d callers, against a bare handler", filling), fmt.Sprintf("%.0f %% (%.0f, %.0f a second)", 100*f/b, f, b), "60 %", f >= 0.6*b}, nil
}

var callers = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: filling}}

func post(ctx context.Context, address, token string, body []byte) ([]byte, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, address, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+token)
	req.Header.Set("Content-Type", "application/json")
	res, err := callers.Do(req)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	if err == nil && res.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s: %s", address, res.Status)
	}
	return answer, err
}

// perSecond has callers call as fast as they are answered.
func perSecond(call func() ([]byte, error)) (float64, error) {
	var done atomic.Int64
	errs := make([]error, filling)
	var all sync.WaitGroup
	start := time.Now()
	for i := range filling {
		all.Go(func() {
			for time.Since(start) < fillingFor && errs[i] == nil {
				_, errs[i] = call()
				done.Add(1)
			}
		})
	}
	all.Wait()
	return float64(done.Load()) / time.Since(start).Seconds(), errors.Join(errs...)
}

// startBare runs this program again as a handler that sends what it is given.
func startBare(ctx context.Context, answer []byte) (url string, stop func(), err error) {
	self, err := os.Executable()
	if err != nil {
		return "", nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0") // a port that is free
	if err != nil {
		return "", nil, err
	}
	address := l.Addr().String()
	if err := l.Close(); err != nil {
		return "", nil, err
	}
	cmd := exec.CommandContext(ctx, self, "-bare", address)
	cmd.Stdin, cmd.Stderr = bytes.NewReader(answer), os.Stderr
	if err := cmd.Start(); err != nil {
		return "", nil, err
	}
	stop = func() {
		_ = cmd.Process.Kill() // it has nothing to end in order
		_ = cmd.Wait()
	}
	url = "http://" + address
	for range 200 {
		if _, err = post(ctx, url+"/", "", nil); err == nil {
			return url, stop, nil
		}
		time.Sleep(20 * time.Millisecond)
	}
	stop()
	return "", nil, err
}

// serveBare is what startBare runs: Fiber as the service has it, and nothing else.
func serveBare(address string) error {
	answer, err := io.ReadAll(os.Stdin)
	if err != nil {
		return err
	}
	app := fiber.New(fiber.Config{StreamRequestBody: true})
	app.Post("/", func(c fiber.Ctx) error {
		_ = c.Body() // read, as a fill reads it
		c.Set(fiber.HeaderContentType, "application/json")
		return c.Send(answer)
	})
	return app.Listen(address, fiber.ListenConfig{DisableStartupMessage: true})
}
