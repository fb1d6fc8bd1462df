package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"goldshelf/api"
)

// Comments gives what was said about an entry up to a version, by threads; 0 is
// the newest version.
func (c *Client) Comments(ctx context.Context, slug string, version int) (api.Comments, error) {
	q := url.Values{}
	if version > 0 {
		q.Set("version", strconv.Itoa(version))
	}
	return read[api.Comments](ctx, c, request{method: http.MethodGet, path: entryPath(slug, "/comments"), query: q})
}

// AddComment says something about a version, or a passage of it, or in answer.
func (c *Client) AddComment(ctx context.Context, slug string, in api.NewComment) (api.Comment, error) {
	return read[api.Comment](ctx, c, post(entryPath(slug, "/comments"), in))
}

// SettleComment says that a thread is done with, or that it is open again.
func (c *Client) SettleComment(ctx context.Context, slug string, id int64, settled bool) (api.Comment, error) {
	do := "/settle"
	if !settled {
		do = "/reopen"
	}
	return read[api.Comment](ctx, c, post(entryPath(slug, "/comments/"+strconv.FormatInt(id, 10)+do), nil))
}

// Annotate gives a version's text line by line, each with the version that it comes from.
func (c *Client) Annotate(ctx context.Context, slug string, version int) (api.Annotated, error) {
	return read[api.Annotated](ctx, c, get(entryPath(slug, "/versions/"+strconv.Itoa(version)+"/annotate")))
}
