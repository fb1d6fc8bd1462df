package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"goldshelf/api"
)

func sectionPath(name string) string { return "/sections/" + url.PathEscape(name) }

// Sections gives the sections of the shelf, each with the first of its entries.
func (c *Client) Sections(ctx context.Context) ([]api.Section, error) {
	all, err := read[api.Sections](ctx, c, get("/sections"))
	return all.Items, err
}

// Section gives a section with a page of its entries, after the one whose Next the cursor is.
func (c *Client) Section(ctx context.Context, name string, limit int, cursor string) (api.Section, error) {
	q := url.Values{}
	if limit > 0 {
		q.Set("limit", strconv.Itoa(limit))
	}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	return read[api.Section](ctx, c, request{method: http.MethodGet, path: sectionPath(name), query: q})
}

// SetSection adds a section, or changes the one that was read.
func (c *Client) SetSection(ctx context.Context, name string, in api.SectionChange) (api.Section, error) {
	return read[api.Section](ctx, c, request{method: http.MethodPut, path: sectionPath(name), in: in})
}

// DeleteSection takes a section away.
func (c *Client) DeleteSection(ctx context.Context, name string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: sectionPath(name)}, nil)
	return err
}

// OrderSections puts the sections in an order.
func (c *Client) OrderSections(ctx context.Context, names []string) error {
	_, err := c.call(ctx, request{method: http.MethodPut, path: "/sections", in: api.SectionOrder{Names: names}}, nil)
	return err
}
