package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"goldshelf/api"
)

// Follows gives what the caller follows.
func (c *Client) Follows(ctx context.Context) (api.Follows, error) {
	return read[api.Follows](ctx, c, get("/follows"))
}

// Follow has the caller told of what happens to an entry, a person's entries or a
// department's; or, with on false, no longer.
func (c *Client) Follow(ctx context.Context, f api.Follow, on bool) error {
	r := request{method: http.MethodPut, path: "/follows/" + url.PathEscape(f.What) + "/" + url.PathEscape(f.Name)}
	if !on {
		r.method = http.MethodDelete
	}
	_, err := c.call(ctx, r, nil)
	return err
}

// News gives a page of what the caller was told of, the newest first.
func (c *Client) News(ctx context.Context, limit int, cursor string) (api.News, error) {
	q := url.Values{}
	if limit > 0 {
		q.Set("limit", strconv.Itoa(limit))
	}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	return read[api.News](ctx, c, request{method: http.MethodGet, path: "/news", query: q})
}

// ReadNews says that the caller has read what they were told up to a number.
func (c *Client) ReadNews(ctx context.Context, upTo int64) error {
	_, err := c.call(ctx, post("/news/read", api.ReadUpTo{Number: upTo}), nil)
	return err
}

// NewFeed gives the caller's Atom feed a new private address.
func (c *Client) NewFeed(ctx context.Context) (api.Feed, error) {
	return read[api.Feed](ctx, c, post("/feed", nil))
}

// Channels gives the channels that are told of what happens.
func (c *Client) Channels(ctx context.Context) (api.Channels, error) {
	return read[api.Channels](ctx, c, get("/channels"))
}

// AddChannel makes a channel. Its secret is in this answer and in no other.
func (c *Client) AddChannel(ctx context.Context, in api.NewChannel) (api.Channel, error) {
	return read[api.Channel](ctx, c, post("/channels", in))
}

// SetChannel changes a channel.
func (c *Client) SetChannel(ctx context.Context, id int64, in api.NewChannel) (api.Channel, error) {
	return read[api.Channel](ctx, c, request{method: http.MethodPut, path: fmt.Sprintf("/channels/%d", id), in: in})
}

// DeleteChannel removes a channel.
func (c *Client) DeleteChannel(ctx context.Context, id int64) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: fmt.Sprintf("/channels/%d", id)}, nil)
	return err
}

// Deliveries gives a page of what a channel was and is to be told, the newest first.
func (c *Client) Deliveries(ctx context.Context, channel int64, cursor string) (api.Deliveries, error) {
	q := url.Values{}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	return read[api.Deliveries](ctx, c, request{method: http.MethodGet, path: fmt.Sprintf("/channels/%d/deliveries", channel), query: q})
}

// SendAgain has a channel told of something once more.
func (c *Client) SendAgain(ctx context.Context, channel, delivery int64) error {
	_, err := c.call(ctx, post(fmt.Sprintf("/channels/%d/deliveries/%d/send", channel, delivery), nil), nil)
	return err
}
