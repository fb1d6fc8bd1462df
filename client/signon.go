package client

import (
	"context"
	"errors"
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

// OwnData gives all that the library has of the caller.
func (c *Client) OwnData(ctx context.Context) (api.PersonData, error) {
	return read[api.PersonData](ctx, c, get("/session/data"))
}

// EndSession ends one session of the caller.
func (c *Client) EndSession(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/sessions/" + url.PathEscape(id)}, nil)
	return err
}

// Codes says how it stands with the caller's one-time codes.
func (c *Client) Codes(ctx context.Context) (api.Codes, error) {
	return read[api.Codes](ctx, c, get("/session/codes"))
}

// BeginCodes gives what the caller's one-time codes are to be made of.
func (c *Client) BeginCodes(ctx context.Context, password string) (api.CodesBegun, error) {
	return read[api.CodesBegun](ctx, c, post("/session/codes", api.PasswordAgain{Password: password}))
}

// ConfirmCodes has the caller sign in with a code too from now on, and gives spare ones.
func (c *Client) ConfirmCodes(ctx context.Context, code string) (api.SpareCodes, error) {
	return read[api.SpareCodes](ctx, c, request{method: http.MethodPut, path: "/session/codes", in: api.OneTimeCode{Code: code}})
}

// DropCodes has the caller need no code any more.
func (c *Client) DropCodes(ctx context.Context, password string) error {
	_, err := c.call(ctx, post("/session/codes/off", api.PasswordAgain{Password: password}), nil)
	return err
}

// DropCodesOf has somebody need no code any more who has lost theirs.
func (c *Client) DropCodesOf(ctx context.Context, name string) error {
	_, err := c.call(ctx, post("/people/"+url.PathEscape(name)+"/codes/off", nil), nil)
	return err
}

// NeedsCode says whether an error is that a password needs a one-time code beside it.
func NeedsCode(err error) bool {
	var e *Error
	return errors.As(err, &e) && e.Type == "/problems/code" && e.Problem.Status == http.StatusUnauthorized
}
