package client

import (
	"context"
	"net/http"
	"net/url"

	"goldshelf/api"
)

// Allowances gives what the caller may use up in a month, and to curators what all may.
func (c *Client) Allowances(ctx context.Context) (api.Allowances, error) {
	return read[api.Allowances](ctx, c, get("/allowances"))
}

// SetAllowance says what a person or a department may use up in a month. A status of 412 means
// that it is another by now.
func (c *Client) SetAllowance(ctx context.Context, kind, name string, in api.SetAllowance) (api.Allowances, error) {
	return read[api.Allowances](ctx, c, request{method: http.MethodPut, path: "/allowances/" + url.PathEscape(kind) + "/" + url.PathEscape(name), in: in})
}
