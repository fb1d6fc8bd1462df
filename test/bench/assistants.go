package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os/exec"
	"time"

	sdk "github.com/modelcontextprotocol/go-sdk/mcp"

	"goldshelf/client"
	"goldshelf/core/fill"
	"goldshelf/internal/demo"
	"goldshelf/test/run"
)

// bearer sends a token along.
type bearer struct {
	token string
	by    http.RoundTripper
}

func (b bearer) RoundTrip(r *http.Request) (*http.Response, error) {
	r = r.Clone(r.Context())
	r.Header.Set("Authorization", "Bearer "+b.token)
	return b.by.RoundTrip(r)
}

const mostMore = 3 * time.Millisecond // that a call through the protocol takes longer

// countingCost is how long it takes to count a request in the metrics.
func countingCost(ctx context.Context) (time.Duration, error) {
	out, err := exec.CommandContext(ctx, "go", "test", "goldshelf/internal/telemetry", "-run", "^$", "-bench", "BenchmarkRequest", "-benchtime", "0.5s").CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("%w\n%s", err, out)
	}
	ns, _, _ := readBenchmarks(string(out))
	return time.Duration(ns["Request"]), nil
}

// assistantFigures measures finding and filling in through the Model Context Protocol beside
// the same by the API.
func assistantFigures(ctx context.Context) (figures []figure, err error) {
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
	c := &client.Client{Server: s.URL, HTTP: &http.Client{Transport: &http.Transport{}}}
	if _, err := c.SignIn(ctx, "reader", demo.Password); err != nil {
		return nil, err
	}
	find, err := median(400, func() error {
		_, err := c.Shelf(ctx, client.Query{Words: "burst main", Limit: 10})
		return err
	})
	if err != nil {
		return nil, err
	}
	filling, err := median(400, func() error {
		_, err := c.Fill(ctx, "burst-main-notice", fill.Values{"area": fill.Single("Mill Lane"), "hours": fill.Single("6"), "boil": fill.Single("yes")})
		return err
	})
	if err != nil {
		return nil, err
	}
	counted, err := countingCost(ctx)
	if err != nil {
		return nil, err
	}
	share := 100 * counted.Seconds() / filling.Seconds()
	figures = append(figures, figure{"counting a request, of a fill", fmt.Sprintf("%.2f %% (%d ns of %s)", share, counted.Nanoseconds(), ms(filling)), "2 % at most", share <= 2})
	program, err := run.Program("goldshelf")
	if err != nil {
		return nil, err
	}
	cmd := exec.CommandContext(ctx, program, "mcp")
	cmd.Env = []string{"HOME=" + dir, "GOLDSHELF_SERVER=" + s.URL, "GOLDSHELF_TOKEN=" + c.Token}
	for _, by := range []struct {
		name      string
		transport sdk.Transport
	}{
		{"HTTP", &sdk.StreamableClientTransport{Endpoint: s.URL + "/mcp", HTTPClient: &http.Client{Transport: bearer{c.Token, &http.Transport{}}}}},
		{"stdio", &sdk.CommandTransport{Command: cmd}},
	} {
		session, err := sdk.NewClient(&sdk.Implementation{Name: "bench", Version: "1"}, nil).Connect(ctx, by.transport, nil)
		if err != nil {
			return nil, err
		}
		call := func(tool string, in map[string]any) (time.Duration, error) {
			return median(400, func() error {
				res, err := session.CallTool(ctx, &sdk.CallToolParams{Name: tool, Arguments: in})
				if err == nil && res.IsError {
					err = fmt.Errorf("%s does not go", tool)
				}
				return err
			})
		}
		found, err := call("find_entries", map[string]any{"words": "burst main"})
		if err != nil {
			return nil, err
		}
		filled, err := call("fill_entry", map[string]any{"slug": "burst-main-notice", "values": map[string]any{"area": "Mill Lane", "hours": 6, "boil": true}})
		if err != nil {
			return nil, err
		}
		if err := session.Close(); err != nil {
			return nil, err
		}
		figures = append(figures,
			figure{"an assistant finds, by " + by.name, fmt.Sprintf("%s more (%s, %s)", ms(found-find), ms(found), ms(find)), "3 ms more at most", found-find <= mostMore},
			figure{"an assistant fills in, by " + by.name, fmt.Sprintf("%s more (%s, %s)", ms(filled-filling), ms(filled), ms(filling)), "3 ms more at most", filled-filling <= mostMore})
	}
	return figures, nil
}
