package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"goldshelf/api"
	"goldshelf/core/fill"
)

// Create makes an entry with a first draft.
func (c *Client) Create(ctx context.Context, in api.NewEntry) (api.Entry, error) {
	return read[api.Entry](ctx, c, post("/entries", whole(in)))
}

// whole writes what is empty as empty, not as null.
func whole(in api.NewEntry) api.NewEntry {
	if in.Labels == nil {
		in.Labels = map[string][]string{}
	}
	if in.Blanks == nil {
		in.Blanks = []fill.Blank{}
	}
	return in
}

// saved is whole, but that no labels stay none: those of the entry are kept.
func saved(in api.NewEntry) any {
	if in.Labels != nil {
		return whole(in)
	}
	return struct {
		api.NewEntry
		Labels map[string][]string `json:"labels,omitempty"`
	}{NewEntry: whole(in)}
}

func entryPath(slug string, rest string) string { return "/entries/" + url.PathEscape(slug) + rest }

// Entry reads an entry by its newest version that the caller may see.
func (c *Client) Entry(ctx context.Context, slug string) (api.Entry, error) {
	return read[api.Entry](ctx, c, get(entryPath(slug, "")))
}

// Draft reads the open version; a save must name the ETag that comes with it.
func (c *Client) Draft(ctx context.Context, slug string) (e api.Entry, etag string, err error) {
	etag, err = c.call(ctx, get(entryPath(slug, "/draft")), &e)
	return e, etag, err
}

// SaveDraft saves the draft that was read under etag; with an empty etag it
// begins the next version. Without labels the entry keeps those that it has. An
// [Error] with status 412 means that someone else has saved since.
func (c *Client) SaveDraft(ctx context.Context, slug, etag string, in api.NewEntry) (e api.Entry, now string, err error) {
	r := request{method: http.MethodPut, path: entryPath(slug, "/draft"), in: saved(in), header: http.Header{}}
	if etag == "" {
		r.header.Set("If-None-Match", "*")
	} else {
		r.header.Set("If-Match", etag)
	}
	now, err = c.call(ctx, r, &e)
	return e, now, err
}

// Versions gives all of an entry's history, newest first.
func (c *Client) Versions(ctx context.Context, slug string) (api.Versions, error) {
	all, err := c.VersionsPage(ctx, slug, "")
	for err == nil && all.Next != "" {
		var page api.Versions
		page, err = c.VersionsPage(ctx, slug, all.Next)
		all.Items, all.Helped, all.Next = append(all.Items, page.Items...), append(all.Helped, page.Helped...), page.Next
	}
	return all, err
}

// VersionsPage gives a page of an entry's history, after the one whose Next the
// cursor is.
func (c *Client) VersionsPage(ctx context.Context, slug, cursor string) (api.Versions, error) {
	q := url.Values{}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	return read[api.Versions](ctx, c, request{method: http.MethodGet, path: entryPath(slug, "/versions"), query: q})
}

// Version reads one version that the caller may see.
func (c *Client) Version(ctx context.Context, slug string, number int) (api.Entry, error) {
	return read[api.Entry](ctx, c, get(entryPath(slug, "/versions/"+strconv.Itoa(number))))
}

// Diff compares two versions of an entry. A number of 0 stands for the newest
// version, and for the one on the shelf before it.
func (c *Client) Diff(ctx context.Context, slug string, from, to int) (api.Diff, error) {
	q := url.Values{}
	for name, n := range map[string]int{"from": from, "to": to} {
		if n > 0 {
			q.Set(name, strconv.Itoa(n))
		}
	}
	return read[api.Diff](ctx, c, request{method: http.MethodGet, path: entryPath(slug, "/diff"), query: q})
}

// Rename gives an entry another slug. The ones that it had go on meaning it.
func (c *Client) Rename(ctx context.Context, slug, to string) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/rename"), api.Renaming{Slug: to}))
}

// Submit asks for a review of the draft. Settles are the ids of reports that the version
// settles once it is published.
func (c *Client) Submit(ctx context.Context, slug, note string, settles ...int64) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/submit"), api.Note{Note: note, Settles: settles}))
}

// Withdraw takes the draft back out of review.
func (c *Client) Withdraw(ctx context.Context, slug string) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/withdraw"), nil))
}

// Retire takes an entry off the shelf.
func (c *Client) Retire(ctx context.Context, slug string, how api.Retirement) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/retire"), how))
}

// Restore puts a retired entry back on the shelf.
func (c *Client) Restore(ctx context.Context, slug string) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/restore"), nil))
}
