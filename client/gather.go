package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/entry"
)

// CreateImport brings entries to be taken in, as a file of any format that
// [bundle.Gather] reads, and gives the plan of what would become of them. A
// mapping is the name under which a way to read tables was kept, or empty.
func (c *Client) CreateImport(ctx context.Context, name string, data []byte, how bundle.Reading, mapping string) (api.Plan, error) {
	q := url.Values{"name": {name}}
	source := how.Source
	if source == nil {
		source = &entry.Source{}
	}
	for key, value := range map[string]string{
		"format": string(how.Format), "split": how.Split, "kind": string(how.Kind), "mapping": mapping,
		"place": source.Place, "link": source.Link, "person": source.Person, "date": source.Date,
	} {
		if value != "" {
			q.Set(key, value)
		}
	}
	if len(how.Columns) > 0 {
		columns, err := json.Marshal(how.Columns)
		if err != nil {
			return api.Plan{}, err
		}
		q.Set("columns", string(columns))
	}
	return read[api.Plan](ctx, c, request{method: http.MethodPost, path: "/imports", query: q, raw: append([]byte{}, data...)})
}

func importPath(id, rest string) string { return "/imports/" + url.PathEscape(id) + rest }

// Plan gives the plan of an import, as the library stands now.
func (c *Client) Plan(ctx context.Context, id string) (api.Plan, error) {
	return read[api.Plan](ctx, c, get(importPath(id, "")))
}

// RereadImport reads an import in another way, and gives the plan.
func (c *Client) RereadImport(ctx context.Context, id string, how api.PlanReading) (api.Plan, error) {
	return read[api.Plan](ctx, c, request{method: http.MethodPut, path: importPath(id, ""), in: how})
}

// CompareImport gives a planned entry as a file, as it comes in and as it is there.
func (c *Client) CompareImport(ctx context.Context, id string, number int) (api.PlanDifference, error) {
	return read[api.PlanDifference](ctx, c, get(importPath(id, fmt.Sprintf("/items/%d", number))))
}

// ApplyImport carries a plan out, all of it or nothing. A status of 412 means that the
// library has changed since the plan was made.
func (c *Client) ApplyImport(ctx context.Context, id string, in api.ApplyRequest) (api.Applied, error) {
	return read[api.Applied](ctx, c, post(importPath(id, "/apply"), in))
}

// ImportProgress gives how far an import is.
func (c *Client) ImportProgress(ctx context.Context, id string) (api.Progress, error) {
	return read[api.Progress](ctx, c, get(importPath(id, "/progress")))
}

// DeleteImport drops an import that was not taken in.
func (c *Client) DeleteImport(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: importPath(id, "")}, nil)
	return err
}

// Starters gives what a new entry can begin with.
func (c *Client) Starters(ctx context.Context) (api.Starters, error) {
	return read[api.Starters](ctx, c, get("/starters"))
}

// SetStarter keeps what new entries begin with in a department.
func (c *Client) SetStarter(ctx context.Context, department string, content entry.Content) (api.Starters, error) {
	return read[api.Starters](ctx, c, request{method: http.MethodPut, path: "/starters/" + url.PathEscape(department), in: whole(api.NewEntry{Content: content}).Content})
}

// DeleteStarter forgets what new entries begin with in a department.
func (c *Client) DeleteStarter(ctx context.Context, department string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/starters/" + url.PathEscape(department)}, nil)
	return err
}

// SetHelper says what a published prompt helps with: draft, refinement, or nothing.
func (c *Client) SetHelper(ctx context.Context, slug, helps string) (api.Starters, error) {
	return read[api.Starters](ctx, c, request{method: http.MethodPut, path: entryPath(slug, "/helper"), in: api.Helper{Helps: helps}})
}

// Export gives entries as a file: a zip of entry files, a table or a bundle; the
// entries with the slugs, or without any all that the query finds.
func (c *Client) Export(ctx context.Context, format bundle.Format, slugs []string, q Query) ([]byte, error) {
	values := q.values()
	values.Set("format", string(format))
	values["slug"] = slugs
	return c.export(ctx, values)
}

// ExportWithSamples is Export of a bundle with the samples of its styles: somebody's writing.
func (c *Client) ExportWithSamples(ctx context.Context, slugs []string, q Query) ([]byte, error) {
	values := q.values()
	values.Set("format", string(bundle.JSON))
	values.Set("samples", "true")
	values["slug"] = slugs
	return c.export(ctx, values)
}

func (c *Client) export(ctx context.Context, values url.Values) (data []byte, err error) {
	_, err = c.call(ctx, request{method: http.MethodGet, path: "/export", query: values}, &data)
	return data, err
}
