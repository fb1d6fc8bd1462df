package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"goldshelf/api"
)

// RunForm says what a relay asks for, and how it runs: of its version on the shelf, or of the
// open one.
func (c *Client) RunForm(ctx context.Context, ref string, open bool) (api.RunForm, error) {
	r := get("/relays/" + url.PathEscape(ref))
	if open {
		r.query = url.Values{"open": {"true"}}
	}
	return read[api.RunForm](ctx, c, r)
}

// StartRun begins a run, whose replies come by and by.
func (c *Client) StartRun(ctx context.Context, in api.NewRun) (api.Run, error) {
	return read[api.Run](ctx, c, post("/runs", in))
}

// Runs gives the caller's runs, the last begun first, of one relay or of all.
func (c *Client) Runs(ctx context.Context, slug string) (api.Runs, error) {
	r := get("/runs")
	if slug != "" {
		r.query = url.Values{"slug": {slug}}
	}
	return read[api.Runs](ctx, c, r)
}

func runPath(id, rest string) string { return "/runs/" + url.PathEscape(id) + rest }

// Run gives a run as far as it has come.
func (c *Client) Run(ctx context.Context, id string) (api.Run, error) {
	return read[api.Run](ctx, c, get(runPath(id, "")))
}

// StopRun has a run ask for nothing more.
func (c *Client) StopRun(ctx context.Context, id string) (api.Run, error) {
	return read[api.Run](ctx, c, post(runPath(id, "/stop"), nil))
}

// KeepRun says whether a run is kept for longer than 90 days.
func (c *Client) KeepRun(ctx context.Context, id string, kept bool) (api.Run, error) {
	r := post(runPath(id, "/kept"), api.RunKept{Kept: kept})
	r.method = http.MethodPut
	return read[api.Run](ctx, c, r)
}

// DeleteRun deletes a run for good.
func (c *Client) DeleteRun(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: runPath(id, "")}, nil)
	return err
}

// RunStep runs a step again, and if so wished all that take its reply.
func (c *Client) RunStep(ctx context.Context, id, name string, in api.Again) (api.Run, error) {
	return read[api.Run](ctx, c, post(runPath(id, "/steps/"+url.PathEscape(name)), in))
}

// RunFile gives a run as a file, as md or json, with its replies or without.
func (c *Client) RunFile(ctx context.Context, id, as string, replies bool) ([]byte, error) {
	r := get(runPath(id, "/file"))
	r.query = url.Values{"as": {as}, "replies": {strconv.FormatBool(replies)}}
	var data []byte
	_, err := c.call(ctx, r, &data)
	return data, err
}

// ReadRun reads what a run was given from such a file.
func (c *Client) ReadRun(ctx context.Context, data []byte) (api.NewRun, error) {
	return read[api.NewRun](ctx, c, request{method: http.MethodPost, path: "/runs/read", raw: data, kind: "application/octet-stream"})
}
