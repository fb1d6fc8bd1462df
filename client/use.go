package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"goldshelf/api"
)

// Best gives the best of the shelf over 30, 90 or 365 days; 0 stands for the usual.
func (c *Client) Best(ctx context.Context, days int) (api.Best, error) {
	q := url.Values{}
	if days != 0 {
		q.Set("days", strconv.Itoa(days))
	}
	return read[api.Best](ctx, c, request{method: http.MethodGet, path: "/best", query: q})
}

// AddReport says how it went with an entry on the shelf, or with one of its versions.
func (c *Client) AddReport(ctx context.Context, ref string, in api.NewReport) (api.Report, error) {
	return read[api.Report](ctx, c, post(shelfPath(ref, "/reports"), in))
}

// Reports gives a page of what was said of how it went with an entry.
func (c *Client) Reports(ctx context.Context, slug, cursor string) (api.Reports, error) {
	q := url.Values{}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	return read[api.Reports](ctx, c, request{method: http.MethodGet, path: entryPath(slug, "/reports"), query: q})
}

// AnswerReport settles a report by words.
func (c *Client) AnswerReport(ctx context.Context, slug string, id int64, because string) error {
	_, err := c.call(ctx, post(entryPath(slug, "/reports/"+strconv.FormatInt(id, 10)+"/answer"), api.Reason{Because: because}), nil)
	return err
}

func shelfPath(ref, rest string) string { return "/shelf/" + url.PathEscape(ref) + rest }

// FillRows fills an entry in for each row of a table, as CSV, and gives the texts as one
// file. Nothing is made where any row does not hold: the [Error] tells of each.
func (c *Client) FillRows(ctx context.Context, ref string, table []byte, how api.RowsRequest) (file []byte, err error) {
	q := url.Values{"format": {how.Format}}
	for name, value := range map[string]string{"name": how.Name, "persona": how.Persona, "style": how.Style, "for": how.For} {
		if value != "" {
			q.Set(name, value)
		}
	}
	q["sheet"] = how.Sheets
	if how.Base {
		q.Set("base", "true")
	}
	_, err = c.call(ctx, request{method: http.MethodPost, path: shelfPath(ref, "/fill-rows"), query: q, raw: table, kind: "text/csv"}, &file)
	return file, err
}

// CompareStacks fills an entry in in two stacks with the same values, and says what differs.
func (c *Client) CompareStacks(ctx context.Context, ref string, in api.StacksToCompare) (api.StacksCompared, error) {
	return read[api.StacksCompared](ctx, c, post(shelfPath(ref, "/compare"), in))
}

// AddPicture brings a PNG, JPEG or WebP, for a draft to name by the id that it gets.
func (c *Client) AddPicture(ctx context.Context, data []byte) (api.UploadedPicture, error) {
	return read[api.UploadedPicture](ctx, c, request{method: http.MethodPost, path: "/pictures", raw: data, kind: "application/octet-stream"})
}

// Picture gives a picture in a size: small, medium or large.
func (c *Client) Picture(ctx context.Context, id, size string) (data []byte, err error) {
	_, err = c.call(ctx, get("/pictures/"+url.PathEscape(id)+"/"+url.PathEscape(size)), &data)
	return data, err
}

// ProposeLabels gives labels that entries have which read like one.
func (c *Client) ProposeLabels(ctx context.Context, slug string) (api.LabelProposals, error) {
	return read[api.LabelProposals](ctx, c, get(entryPath(slug, "/labels/proposed")))
}
