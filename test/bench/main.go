// Command bench measures what the product promises, each figure beside the one
// that is wanted: the packages' own benchmarks with their ratios, and a service
// with the demo on loopback with its database in place.
package main

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"

	"goldshelf/client"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/run"
)

func main() {
	only := flag.String("only", "", "measure the packages, the service, imports, saves, lives, crowds, voices, trials, assistants, backups, several, failover, stocktake or search alone")
	before := flag.String("before", "", "measure saves to publications beside those of an older goldshelfd, `PROGRAM`")
	bare := flag.String("bare", "", "serve a bare handler at this `ADDRESS`, for the comparison")
	flag.Parse()
	if *bare != "" {
		if err := serveBare(*bare); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	if err := bench(context.Background(), *only, *before); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// figure is one thing measured. Good says whether it is as wanted.
type figure struct {
	what, got, want string
	good            bool
}

func bench(ctx context.Context, only, before string) error {
	parts := []struct {
		name, doing string
		measure     func(context.Context) ([]figure, error)
	}{
		{"packages", "the language, the checks, the differences and the uses", packageFigures},
		{"service", "the service with the demo", serviceFigures},
		{"imports", "imports, exports and similar entries", importFigures},
		{"saves", "histories and saving", saveFigures},
		{"lives", "versions from a save to the shelf", func(ctx context.Context) ([]figure, error) { return lifeFigures(ctx, before) }},
		{"crowds", "many at once", crowdFigures},
		{"voices", "styles, documents and boxes", voiceFigures},
		{"trials", "tries and trials", trialFigures},
		{"assistants", "what assistants do", assistantFigures},
		{"backups", "backups of a large library", backupFigures},
		{"several", "several services on one database", severalFigures},
		{"failover", "services and databases that die", failoverFigures},
		{"stocktake", "figures after a year of use", stocktakeFigures},
		{"search", "searches in small and large libraries", searchFigures},
	}
	t := table.NewWriter()
	t.SetOutputMirror(os.Stdout)
	t.AppendHeader(table.Row{"what", "measured", "wanted", ""})
	for _, p := range parts {
		if only != "" && only != p.name {
			continue
		}
		fmt.Printf("Measuring %s …\n", p.doing)
		figures, err := p.measure(ctx)
		if err != nil {
			return err
		}
		for _, f := range figures {
			mark := "ok"
			if !f.good {
				mark = "MISSED"
			}
			t.AppendRow(table.Row{f.what, f.got, f.want, mark})
		}
	}
	t.SetStyle(table.StyleLight)
	t.Render()
	return nil
}

// packageFigures runs the packages' own benchmarks five times. It gives their
// medians, and of what is compared the best of each side: whatever else the machine
// does only adds to it.
func packageFigures(ctx context.Context) ([]figure, error) {
	out, err := exec.CommandContext(ctx, "go", "test", "goldshelf/core/fill", "goldshelf/core/check", "goldshelf/core/change", "goldshelf/internal/store",
		"-run", "^$", "-bench", ".", "-benchtime", "0.5s", "-count", "5", "-p", "1").CombinedOutput()
	if err != nil {
		return nil, fmt.Errorf("%w\n%s", err, out)
	}
	ns, best, rate := readBenchmarks(string(out))
	ours, theirs := best["Fill4KiB/fill"], best["Fill4KiB/text-template"]
	anew, theirsAnew, copied := best["Fill4KiB/fill-anew"], best["Fill4KiB/text-template-anew"], best["Fill4KiB/copy"]
	figures := []figure{
		{"4 KiB filled, against text/template", fmt.Sprintf("%.1f times as fast (%.1f µs, %.1f µs)", theirs/ours, ours/1e3, theirs/1e3), "5 times", theirs/ours >= 5},
		{"the same, each result in new memory", fmt.Sprintf("%.1f times as fast (%.1f µs, %.1f µs)", theirsAnew/anew, anew/1e3, theirsAnew/1e3), "5 times", theirsAnew/anew >= 5},
		{"4 KiB filled, against one copy", fmt.Sprintf("%.1f times as long (%.1f µs, %.1f µs)", anew/copied, anew/1e3, copied/1e3), "4 times at most", anew/copied <= 4},
	}
	for _, kind := range []struct {
		name string
		want float64
	}{{"plain", 100}, {"dense", 20}} {
		for _, size := range []string{"1KiB", "32KiB", "1024KiB"} {
			got := rate["Parse/"+kind.name+"/"+size]
			figures = append(figures, figure{"parse " + size + ", " + kind.name, fmt.Sprintf("%.0f MB/s", got), fmt.Sprintf("%.0f MB/s", kind.want), got >= kind.want})
		}
	}
	for _, size := range []string{"1KiB", "32KiB", "1000KiB"} {
		figures = append(figures, figure{"fill " + size, fmt.Sprintf("%.0f MB/s", rate["FillGrows/"+size]), "linear", rate["FillGrows/"+size] > rate["FillGrows/32KiB"]/4})
	}
	slowest := 0.0
	for name, took := range ns {
		if strings.HasPrefix(name, "Faults/") {
			slowest = max(slowest, took/1e6)
		}
	}
	faults := ns["Faults/names"] / 1e6
	checks, uses := ns["Checks4KiB"]/1e6, ns["UsesFiveDeep"]/1e6
	small, large := ns["Texts/100KiB"]/1e6, ns["Texts/1MiB_all_changed"]/1e6
	return append(figures,
		figure{"difference of two 100 KiB texts", fmt.Sprintf("%.0f ms", small), "50 ms", small > 0 && small < 50},
		figure{"of 1 MiB with everything changed", fmt.Sprintf("%.1f s", large/1e3), "2 s", large > 0 && large < 2000},
		figure{"the faults of 1 MiB of {{A}} told", fmt.Sprintf("%.0f ms", faults), "100 ms", faults > 0 && faults < 100},
		figure{"of 1 MiB of any other mark at fault, the slowest", fmt.Sprintf("%.0f ms", slowest), "linear", slowest > 0 && slowest < 500},
		figure{"all checks on a 4 KiB entry", fmt.Sprintf("%.1f ms", checks), "2 ms", checks > 0 && checks < 2},
		figure{"uses in a library of 10,000, five deep", fmt.Sprintf("%.1f ms", uses), "20 ms", uses > 0 && uses < 20}), nil
}

var benchLine = regexp.MustCompile(`(?m)^Benchmark(\S+?)-\d+\s+\d+\s+([\d.]+) ns/op(?:\s+([\d.]+) MB/s)?`)

// readBenchmarks gives each benchmark's nanoseconds, by median and at best, and its
// megabytes a second by median.
func readBenchmarks(out string) (ns, best, rate map[string]float64) {
	all, rates := map[string][]float64{}, map[string][]float64{}
	for _, m := range benchLine.FindAllStringSubmatch(out, -1) {
		n, _ := strconv.ParseFloat(m[2], 64) // the expression takes numbers alone
		r, _ := strconv.ParseFloat(m[3], 64)
		all[m[1]], rates[m[1]] = append(all[m[1]], n), append(rates[m[1]], r)
	}
	pick := func(of map[string][]float64, which func([]float64) float64) map[string]float64 {
		to := map[string]float64{}
		for name, values := range of {
			to[name] = which(values)
		}
		return to
	}
	middle := func(values []float64) float64 { return slices.Sorted(slices.Values(values))[len(values)/2] }
	return pick(all, middle), pick(all, slices.Min), pick(rates, middle)
}

func serviceFigures(ctx context.Context) (figures []figure, err error) {
	dir, remove, err := run.DiskDir()
	if err != nil {
		return nil, err
	}
	defer remove()
	cold, err := run.Serve(dir, "--demo")
	if err != nil {
		return nil, err
	}
	if err := cold.Stop(); err != nil {
		return nil, err
	}
	start := time.Now()
	s, err := run.Serve(dir, "--demo")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, s.Stop()) }()
	warm := time.Since(start)
	c := &client.Client{Server: s.URL, HTTP: &http.Client{}}
	if _, err := c.SignIn(ctx, "reader", demo.Password); err != nil {
		return nil, err
	}
	search, err := median(400, func() error {
		_, err := c.Shelf(ctx, client.Query{Words: "water back", Labels: map[string][]string{"department": {"customer-care"}}})
		return err
	})
	if err != nil {
		return nil, err
	}
	values := fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6"), "boil": fill.Single("yes")}
	filling, err := median(400, func() error {
		_, err := c.Fill(ctx, "burst-main-notice", values)
		return err
	})
	if err != nil {
		return nil, err
	}
	script, err := firstLoad(s.URL)
	if err != nil {
		return nil, err
	}
	time.Sleep(5 * time.Second) // at rest
	memory, err := residentMiB(s.PID())
	if err != nil {
		return nil, err
	}
	return []figure{
		{"shelf search with counts, median of 400", ms(search), "10 ms", search < 10*time.Millisecond},
		{"a fill with four includes, median of 400", ms(filling), "5 ms", filling < 5*time.Millisecond},
		{"ready after a warm start", ms(warm), "3 s", warm < 3*time.Second},
		{"memory of the service at rest", fmt.Sprintf("%.0f MiB", memory), "100 MiB", memory < 100},
		{"script of the console's first load, gzipped", fmt.Sprintf("%.0f kB", script), "250 kB", script <= 250},
	}, nil
}

func ms(d time.Duration) string { return fmt.Sprintf("%.1f ms", float64(d.Microseconds())/1000) }

func median(n int, do func() error) (time.Duration, error) {
	took := make([]time.Duration, n)
	for i := range took {
		start := time.Now()
		if err := do(); err != nil {
			return 0, err
		}
		took[i] = time.Since(start)
	}
	slices.Sort(took)
	return took[n/2], nil
}

// residentMiB is the memory that a process has now.
func residentMiB(pid int) (float64, error) {
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0, err
	}
	m := regexp.MustCompile(`VmRSS:\s+(\d+) kB`).FindSubmatch(data)
	if m == nil {
		return 0, errors.New("the process does not say how much memory it has")
	}
	kib, err := strconv.ParseFloat(string(m[1]), 64)
	return kib / 1024, err
}

var scriptName = regexp.MustCompile(`/assets/[^"]+\.js`)

// firstLoad adds up, gzipped, every script that the first page names.
func firstLoad(url string) (kB float64, err error) {
	page, err := fetch(url + "/")
	if err != nil {
		return 0, err
	}
	for _, name := range scriptName.FindAllString(string(page), -1) {
		script, err := fetch(url + name)
		if err != nil {
			return 0, err
		}
		var packed bytes.Buffer
		w := gzip.NewWriter(&packed)
		if _, err := w.Write(script); err != nil {
			return 0, err
		}
		if err := w.Close(); err != nil {
			return 0, err
		}
		kB += float64(packed.Len()) / 1000
	}
	return kB, nil
}

func fetch(url string) ([]byte, error) {
	res, err := http.Get(url)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("%s: %s", url, res.Status)
	}
	return io.ReadAll(res.Body)
}
