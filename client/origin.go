package client

import (
	"context"
	"net/http"

	"goldshelf/api"
)

// Adapt makes the caller an entry of their own from one on the shelf.
func (c *Client) Adapt(ctx context.Context, slug string, in api.NewAdaptation) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/adapt"), in))
}

// Share has those who see drafts see what was its owner's alone.
func (c *Client) Share(ctx context.Context, slug string) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/share"), nil))
}

// Adaptations gives the adaptations of an entry that are shared.
func (c *Client) Adaptations(ctx context.Context, slug string) (api.Adaptations, error) {
	return read[api.Adaptations](ctx, c, get(entryPath(slug, "/adaptations")))
}

// AddRendition makes an entry that says the same for others.
func (c *Client) AddRendition(ctx context.Context, slug string, in api.NewRendition) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/renditions"), in))
}

// Origin sets an entry beside where it came from.
func (c *Client) Origin(ctx context.Context, slug string) (api.OriginMerge, error) {
	return read[api.OriginMerge](ctx, c, get(entryPath(slug, "/origin")))
}

// TakeOver brings the draft that was read under etag, or a new one, up to where the entry
// came from.
func (c *Client) TakeOver(ctx context.Context, slug, etag string, in api.TakeOver) (e api.Entry, now string, err error) {
	r := post(entryPath(slug, "/origin/take"), in)
	r.header = http.Header{}
	if etag == "" {
		r.header.Set("If-None-Match", "*")
	} else {
		r.header.Set("If-Match", etag)
	}
	now, err = c.call(ctx, r, &e)
	return e, now, err
}

// FollowOrigin says that a version of where an entry came from was looked at.
func (c *Client) FollowOrigin(ctx context.Context, slug string, version int) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/origin/follow"), api.OriginVersion{Version: version}))
}
