package main

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/client"
	"goldshelf/core/bundle"
	"goldshelf/internal/demo"
	"goldshelf/test/run"
)

// importFigures measures an import of 10,000 entries of 2 KiB from a folder, with
// similar entries, and their export.
func importFigures(ctx context.Context) (figures []figure, err error) {
	dir, remove, err := run.DiskDir()
	if err != nil {
		return nil, err
	}
	defer remove()
	s, err := run.Serve(dir, "--demo")
	if err != nil {
		return nil, err
	}
	defer func() {
		if stopErr := s.Stop(); err == nil {
			err = stopErr
		}
	}()
	c := &client.Client{Server: s.URL}
	if _, err := c.SignIn(ctx, "curator", demo.Password); err != nil {
		return nil, err
	}
	data, err := bundle.WriteZip(manyEntries(10_000))
	if err != nil {
		return nil, err
	}
	start := time.Now()
	plan, err := c.CreateImport(ctx, "many.zip", data, bundle.Reading{}, "")
	if err != nil {
		return nil, err
	}
	applied, err := c.ApplyImport(ctx, plan.ID, api.ApplyRequest{Digest: plan.Digest})
	if err != nil {
		return nil, err
	}
	in := time.Since(start)
	most, err := peakMiB(s.PID())
	if err != nil {
		return nil, err
	}
	start = time.Now()
	if _, err := c.Export(ctx, bundle.Folder, nil, client.Query{}); err != nil {
		return nil, err
	}
	out := time.Since(start)
	if len(applied.Created) != 10_000 {
		return nil, fmt.Errorf("%d entries were made, want 10,000", len(applied.Created))
	}
	desk, err := median(20, func() error {
		d, err := c.Desk(ctx, 0, "")
		if err == nil && d.Total < 10_000 {
			err = fmt.Errorf("%d things are on the desk, want 10,000", d.Total)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	near, err := similarFigures()
	return append([]figure{
		{"import of 10,000 entries of 2 KiB, similar entries included", fmt.Sprintf("%.1f s", in.Seconds()), "30 s", in < 30*time.Second},
		{"most memory of the service while it does so", fmt.Sprintf("%.0f MiB", most), "300 MiB", most < 300},
		{"a desk with 10,000 open items, first page, median of 20", ms(desk), "50 ms", desk < 50*time.Millisecond},
		{"export of the same", fmt.Sprintf("%.1f s", out.Seconds()), "5 s", out < 5*time.Second},
	}, near...), err
}

// manyEntries are entry files whose texts have nothing in common.
func manyEntries(n int) map[string][]byte {
	r := rand.New(rand.NewPCG(7, 8))
	files := map[string][]byte{}
	for i := range n {
		words := make([]string, 280)
		for k := range words {
			words[k] = fmt.Sprintf("word%d", int(math.Abs(r.NormFloat64()*2000)))
			if k%12 == 11 {
				words[k] += "."
			}
		}
		files[fmt.Sprintf("entry-%d.md", i)] = fmt.Appendf(nil, "---\nkind: prompt\ntitle: Entry %d\nsummary: Says what entry %d is for.\nlabels:\n  department: [customer-care]\nblanks:\n  - name: area\n    ask: Which streets?\n---\n## Task\nWrite to {{area}}. %s\n", i, i, strings.Join(words, " "))
	}
	return files
}

func peakMiB(pid int) (float64, error) {
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0, err
	}
	m := regexp.MustCompile(`VmHWM:\s+(\d+) kB`).FindSubmatch(data)
	if m == nil {
		return 0, fmt.Errorf("the process does not say how much memory it had")
	}
	kib, err := strconv.ParseFloat(string(m[1]), 64)
	return kib / 1024, err
}

var similarLine = regexp.MustCompile(`BenchmarkSimilarAmong100000\S*\s+\d+\s+([\d.]+) ns/op\s+([\d.]+) %found\s+([\d.]+) %wrong`)

// similarFigures runs the library's own benchmark among 100,000 entries.
func similarFigures() ([]figure, error) {
	out, err := exec.Command("go", "test", "goldshelf/internal/similar", "-run", "^$", "-bench", "Similar", "-benchtime", "300x").CombinedOutput()
	if err != nil {
		return nil, fmt.Errorf("%w\n%s", err, out)
	}
	m := similarLine.FindSubmatch(out)
	if m == nil {
		return nil, fmt.Errorf("the benchmark of similar entries says nothing of them:\n%s", out)
	}
	var n [3]float64
	for i := range n {
		n[i], _ = strconv.ParseFloat(string(m[i+1]), 64) // the expression takes numbers alone
	}
	return []figure{
		{"similar entries of one text among 100,000", fmt.Sprintf("%.1f ms", n[0]/1e6), "20 ms", n[0] < 20e6},
		{"of pairs over 0.8 in exact Jaccard, found", fmt.Sprintf("%.1f %%", n[1]), "95 %", n[1] >= 95},
		{"shown wrongly, by the exact figure", fmt.Sprintf("%.1f %%", n[2]), "5 % at most", n[2] <= 5},
	}, nil
}
