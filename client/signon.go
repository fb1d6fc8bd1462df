package client

import (
	"context"
	"net/http"
	"net/url"

	"goldshelf/api"
)

// SignOnLinks gives by what the company's provider knows the caller.
func (c *Client) SignOnLinks(ctx context.Context) (api.SignOnLinks, error) {
	return read[api.SignOnLinks](ctx, c, get("/session/sign-ons"))
}

// LinkSignOn begins a sign-on by which the caller is known from then on: a browser goes to the
// address.
func (c *Client) LinkSignOn(ctx context.Context) (api.SignOnBegun, error) {
	return read[api.SignOnBegun](ctx, c, post("/session/sign-ons", nil))
}

// UnlinkSignOn has the caller be known by a provider no more.
func (c *Client) UnlinkSignOn(ctx context.Context, of api.SignOnLink) error {
	q := url.Values{"issuer": {of.Issuer}, "subject": {of.Subject}}
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/session/sign-ons", query: q}, nil)
	return err
}

// SignOnGroups gives which groups of the provider mean what.
func (c *Client) SignOnGroups(ctx context.Context) (api.SignOnGroups, error) {
	return read[api.SignOnGroups](ctx, c, get("/sign-on/groups"))
}

// SetSignOnGroups says which groups mean what, over the state of a number. A status of 412 means
// that it is another by now.
func (c *Client) SetSignOnGroups(ctx context.Context, on int, in api.SignOnGroups) (api.SignOnGroups, error) {
	return read[api.SignOnGroups](ctx, c, putOn("groups", on, "/sign-on/groups", in))
}

// Sessions gives where the caller is signed in.
func (c *Client) Sessions(ctx context.Context) (api.OpenSessions, error) {
	return read[api.OpenSessions](ctx, c, get("/sessions"))
}

// EndSession ends one session of the caller.
func (c *Client) EndSession(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/sessions/" + url.PathEscape(id)}, nil)
	return err
}
