package client

import (
	"context"
	"net/http"
	"net/url"

	"goldshelf/api"
	"goldshelf/core/message"
)

// FigureQuery says of what figures are wanted. What is empty is as usual: the thirteen weeks that
// ended last, and everyone.
type FigureQuery struct {
	Since, Until string // days, as 2006-01-02
	Department   string // of who uses
	Application  string // for which
}

func (f FigureQuery) request(of string, more ...string) request {
	q := url.Values{}
	for i, pairs := 0, append([]string{"since", f.Since, "until", f.Until, "department", f.Department, "application", f.Application}, more...); i < len(pairs); i += 2 {
		if pairs[i+1] != "" {
			q.Set(pairs[i], pairs[i+1])
		}
	}
	return request{method: http.MethodGet, path: "/stocktake/" + of, query: q}
}

// Coverage counts what is on the shelf by the terms of two facets; empty ones are department
// and application.
func (c *Client) Coverage(ctx context.Context, f FigureQuery, rows, columns string) (api.Coverage, error) {
	return read[api.Coverage](ctx, c, f.request("coverage", "rows", rows, "columns", columns))
}

// UseFigures tells what is used, by entry, application, department or kind.
func (c *Client) UseFigures(ctx context.Context, f FigureQuery, by string) (api.UseFigures, error) {
	return read[api.UseFigures](ctx, c, f.request("use", "by", by))
}

// Repetition tells what the library says more than once, and what it would save to say it once.
func (c *Client) Repetition(ctx context.Context) (api.Repetition, error) {
	return read[api.Repetition](ctx, c, get("/stocktake/repetition"))
}

// Gaps gives what was searched for and not found, like ones together.
func (c *Client) Gaps(ctx context.Context, f FigureQuery) (api.Gaps, error) {
	return read[api.Gaps](ctx, c, f.request("gaps"))
}

// Freshness tells how old the shelf is, and what waits for whom.
func (c *Client) Freshness(ctx context.Context, f FigureQuery) (api.Freshness, error) {
	return read[api.Freshness](ctx, c, f.request("freshness"))
}

// Contributors gives those whose entries others use.
func (c *Client) Contributors(ctx context.Context, f FigureQuery) (api.Contributors, error) {
	return read[api.Contributors](ctx, c, f.request("contributors"))
}

// Thank tells somebody how many people used what is theirs in the weeks that figures are of.
func (c *Client) Thank(ctx context.Context, name string, f FigureQuery) error {
	r := f.request("contributors/" + url.PathEscape(name) + "/thanks")
	r.method = http.MethodPost
	_, err := c.call(ctx, r, nil)
	return err
}

// Costs tells what applications and models cost, by what they are used.
func (c *Client) Costs(ctx context.Context, f FigureQuery) (api.Costs, error) {
	return read[api.Costs](ctx, c, f.request("costs"))
}

// Quality tells how often replies of models hold to all that is expected of them.
func (c *Client) Quality(ctx context.Context) (api.Quality, error) {
	return read[api.Quality](ctx, c, get("/stocktake/quality"))
}

// StocktakeReport gives a report of the figures, as Markdown, in a language or, if that is
// nothing, in the client's.
func (c *Client) StocktakeReport(ctx context.Context, f FigureQuery, language message.Language) (api.StocktakeReport, error) {
	return read[api.StocktakeReport](ctx, c, f.request("report", "language", string(language)))
}

// FiguresTable gives any of them as a table, CSV, by the name that it has in the API.
func (c *Client) FiguresTable(ctx context.Context, f FigureQuery, of, by string) ([]byte, error) {
	return read[[]byte](ctx, c, f.request(of, "by", by, "format", "csv"))
}
