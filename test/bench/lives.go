package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"goldshelf/core/entry"
	"goldshelf/internal/demo"
	"goldshelf/test/run"
)

// lives is how many versions of one entry are saved, reviewed and published.
const lives = 300

// steps are what is timed of each, in order.
var steps = []string{"save", "submit", "approve", "publish"}

// life is a service on which an entry goes through version after version. It speaks HTTP
// alone, as older services understand it too.
type life struct {
	url              string
	curator, another string // bearer tokens
	body             string
	took             map[string][]time.Duration
}

// lifeFigures times what each step of a version's life takes, and beside it, if before
// names one, the same with an older goldshelfd: one version here, one there, so that a
// slow moment of the machine is both's.
func lifeFigures(ctx context.Context, before string) (figures []figure, err error) {
	now, err := run.Program("goldshelfd")
	if err != nil {
		return nil, err
	}
	programs := []string{now}
	if before != "" {
		programs = append(programs, before)
	}
	var all []*life
	for _, program := range programs {
		dir, remove, err := run.DiskDir()
		if err != nil {
			return nil, err
		}
		defer remove()
		s, err := run.ServeProgram(program, dir, "--demo")
		if err != nil {
			return nil, err
		}
		defer func() { err = errors.Join(err, s.Stop()) }()
		l := &life{url: s.URL + "/api/v1", took: map[string][]time.Duration{}}
		if l.curator, err = l.signIn(ctx, "curator"); err != nil {
			return nil, err
		}
		if l.another, err = l.signIn(ctx, "reviewer"); err != nil {
			return nil, err
		}
		all = append(all, l)
	}
	for n := range lives {
		for i := range all {
			if err := all[(i+n)%len(all)].version(ctx, n); err != nil {
				return nil, err
			}
		}
	}
	for _, step := range steps {
		took := all[0].median(step)
		f := figure{step + ", median of a life of 300 versions", ms(took), "20 ms", took < 20*time.Millisecond}
		if len(all) > 1 {
			ratio := float64(took) / float64(all[1].median(step))
			f.got, f.want, f.good = fmt.Sprintf("%s, before %s: %.2f", f.got, ms(all[1].median(step)), ratio), "1.05 at most", ratio <= 1.05
		}
		figures = append(figures, f)
	}
	return figures, nil
}

func (l *life) median(step string) time.Duration {
	return slices.Sorted(slices.Values(l.took[step]))[len(l.took[step])/2]
}

func (l *life) signIn(ctx context.Context, name string) (string, error) {
	var out struct {
		Token string `json:"token"`
	}
	_, err := l.send(ctx, "", http.MethodPost, "/session", "", map[string]string{"name": name, "password": demo.Password}, &out)
	return out.Token, err
}

// version has the entry's next version saved, submitted, approved and published.
func (l *life) version(ctx context.Context, n int) error {
	l.body = strings.Repeat("Say what happened, and what to do now. ", 40) + fmt.Sprint(n) + "\n"
	draft := func() map[string]any {
		return map[string]any{"slug": "long-life", "kind": entry.Snippet, "title": "Long life", "summary": "It has many versions.",
			"labels": map[string][]string{"department": {"customer-care"}}, "blanks": []any{}, "body": l.body}
	}
	var e struct {
		Seen string `json:"seen"`
	}
	if n == 0 {
		if _, err := l.send(ctx, l.curator, http.MethodPost, "/entries", "", draft(), &e); err != nil {
			return err
		}
	}
	tag := "*"
	for range 4 { // the first may open the version
		if n == 0 {
			break
		}
		l.body += "And more.\n"
		start := time.Now()
		next, err := l.send(ctx, l.curator, http.MethodPut, "/entries/long-life/draft", tag, draft(), &e)
		if err != nil {
			return err
		}
		if tag != "*" {
			l.took["save"] = append(l.took["save"], time.Since(start))
		}
		tag = next
	}
	for _, step := range steps[1:] {
		token, seen, said := l.curator, fmt.Sprintf("%q", e.Seen), map[string]string{}
		switch step {
		case "submit":
			seen, said["note"] = "", "Says more."
		case "approve":
			token = l.another
		}
		start := time.Now()
		if _, err := l.send(ctx, token, http.MethodPost, "/entries/long-life/"+step, seen, said, &e); err != nil {
			return err
		}
		l.took[step] = append(l.took[step], time.Since(start))
	}
	return nil
}

// send makes one call, as one who has seen what match says; "*" stands for nothing yet.
// It gives the ETag of the answer.
func (l *life) send(ctx context.Context, token, method, path, match string, body, out any) (tag string, err error) {
	data, err := json.Marshal(body)
	if err != nil {
		return "", err
	}
	req, err := http.NewRequestWithContext(ctx, method, l.url+path, bytes.NewReader(data))
	if err != nil {
		return "", err
	}
	req.Header.Set("Content-Type", "application/json")
	if token != "" {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	switch match {
	case "":
	case "*":
		req.Header.Set("If-None-Match", match)
	default:
		req.Header.Set("If-Match", match)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return "", err
	}
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	if err != nil {
		return "", err
	}
	if res.StatusCode >= http.StatusBadRequest {
		return "", fmt.Errorf("%s %s: %s: %s", method, path, res.Status, answer)
	}
	return res.Header.Get("ETag"), json.Unmarshal(answer, out)
}
