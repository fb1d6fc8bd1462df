package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/run"
)

var rightLine = regexp.MustCompile(`(?m)^BenchmarkNamed/(\d+)_words-\d+.*?([\d.]+) %right`)

// voiceFigures measures styles, documents and boxes.
func voiceFigures(ctx context.Context) ([]figure, error) {
	out, err := exec.CommandContext(ctx, "go", "test", "goldshelf/core/voice", "goldshelf/core/document",
		"-run", "^$", "-bench", ".", "-benchtime", "0.5s", "-count", "3", "-p", "1").CombinedOutput()
	if err != nil {
		return nil, fmt.Errorf("%w\n%s", err, out)
	}
	ns, best, _ := readBenchmarks(string(out))
	plain, whole := ns["Measured/100000_words,_intervals_false"]/1e6, ns["Measured/100000_words,_intervals_true"]/1e6
	large := best["Measured/1000000_words,_intervals_true"] / best["Measured/100000_words,_intervals_true"]
	fit, word := ns["Fit1000Words200Styles"]/1e6, ns["Word"]/1e6
	figures := []figure{
		{"100,000 words measured", fmt.Sprintf("%.0f ms", plain), "100 ms", plain > 0 && plain < 100},
		{"the same with intervals", fmt.Sprintf("%.0f ms", whole), "1 s", whole > 0 && whole < 1000},
		{"1,000,000 words, against a tenth of them", fmt.Sprintf("%.1f times as long", large), "linear", large > 0 && large < 15},
		{"1,000 words set beside 200 styles", fmt.Sprintf("%.0f ms", fit), "100 ms", fit > 0 && fit < 100},
		{"a .docx of 100 pages read", fmt.Sprintf("%.0f ms", word), "300 ms", word > 0 && word < 300},
	}
	wanted := map[string]float64{"100": 90, "300": 97}
	said := map[string]bool{}
	for _, m := range rightLine.FindAllStringSubmatch(string(out), -1) {
		if said[m[1]] {
			continue
		}
		said[m[1]] = true
		right, err := strconv.ParseFloat(m[2], 64)
		if err != nil {
			return nil, err
		}
		figures = append(figures, figure{"the right one of six writers named, of passages of " + m[1] + " words" + wrongOnes(string(out), m[1]), fmt.Sprintf("%.1f %%", right), fmt.Sprintf("%.0f %%", wanted[m[1]]), right >= wanted[m[1]]})
	}
	boxes, err := boxFigures(ctx)
	return append(figures, boxes...), err
}

// wrongOnes names the passages that were taken for another writer's.
func wrongOnes(out, length string) string {
	_, after, is := strings.Cut(out, "--- BENCH: BenchmarkNamed/"+length+"_words")
	if !is {
		return ""
	}
	_, after, _ = strings.Cut(after, "\n")
	var wrong []string
	for line := range strings.Lines(after) {
		if !strings.HasPrefix(line, "    ") {
			break
		}
		_, text, _ := strings.Cut(strings.TrimSpace(line), ": ")
		if !slices.Contains(wrong, text) {
			wrong = append(wrong, text)
		}
	}
	if len(wrong) == 0 {
		return ""
	}
	return "; wrong: " + strings.Join(wrong, ", ")
}

// boxFigures fills an entry as one text and in boxes, turn about.
func boxFigures(ctx context.Context) (figures []figure, err error) {
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
	c := &client.Client{Server: s.URL, HTTP: &http.Client{}}
	if _, err := c.SignIn(ctx, "reader", demo.Password); err != nil {
		return nil, err
	}
	filling := func(application string) func() error {
		return func() error {
			_, err := c.FillStack(ctx, "burst-main-notice", api.FillRequest{Values: fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6")}, For: application})
			return err
		}
	}
	const rounds = 15
	var one, boxed []time.Duration
	for range rounds {
		a, err := median(200, filling(""))
		if err != nil {
			return nil, err
		}
		b, err := median(200, filling("sluice-desk"))
		if err != nil {
			return nil, err
		}
		one, boxed = append(one, a), append(boxed, b)
	}
	slices.Sort(one)
	slices.Sort(boxed)
	a, b := one[rounds/2], boxed[rounds/2]
	more := 100 * (float64(b)/float64(a) - 1)
	return []figure{{"a fill in two boxes, against one text", fmt.Sprintf("%.1f %% longer (%.3f ms, %.3f ms)", more, b.Seconds()*1e3, a.Seconds()*1e3), "10 % at most", more <= 10}}, nil
}
