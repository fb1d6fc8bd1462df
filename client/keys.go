package client

import (
	"context"
	"net/http"
	"net/url"

	"goldshelf/api"
)

func keyPath(name, rest string) string { return "/keys/" + url.PathEscape(name) + rest }

// Keys gives the keys of applications.
func (c *Client) Keys(ctx context.Context) (api.Keys, error) {
	return read[api.Keys](ctx, c, get("/keys"))
}

// AddKey makes a key, and gives its secret: this once.
func (c *Client) AddKey(ctx context.Context, in api.NewKey) (api.KeySecret, error) {
	return read[api.KeySecret](ctx, c, post("/keys", in))
}

// SetKey changes what a key may do, over the state of a number. A status of 412 means that it
// is another by now.
func (c *Client) SetKey(ctx context.Context, name string, on int, in api.KeyChange) (api.Key, error) {
	return read[api.Key](ctx, c, putOn("key", on, keyPath(name, ""), in))
}

// RenewKey gives a key another secret: this once. The one before stays good for a while.
func (c *Client) RenewKey(ctx context.Context, name string, in api.RenewKey) (api.KeySecret, error) {
	return read[api.KeySecret](ctx, c, post(keyPath(name, "/renew"), in))
}

// DeleteKey ends a key at once.
func (c *Client) DeleteKey(ctx context.Context, name string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: keyPath(name, "")}, nil)
	return err
}
