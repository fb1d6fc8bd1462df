package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"goldshelf/api"
)

// AuditQuery narrows the record of changes. What is empty narrows nothing. From
// and Until are days, as 2006-01-02, or times of RFC 3339.
type AuditQuery struct {
	Person, Entry, Action, Via, Words string
	From, Until                       string
	Limit                             int
	Cursor                            string
}

func (q AuditQuery) values() url.Values {
	v := url.Values{}
	for name, value := range map[string]string{
		"person": q.Person, "entry": q.Entry, "action": q.Action, "via": q.Via, "q": q.Words, "from": q.From, "until": q.Until, "cursor": q.Cursor,
	} {
		if value != "" {
			v.Set(name, value)
		}
	}
	if q.Limit > 0 {
		v.Set("limit", strconv.Itoa(q.Limit))
	}
	return v
}

// Audit gives a page of the record of changes, the newest first.
func (c *Client) Audit(ctx context.Context, q AuditQuery) (api.Audit, error) {
	return read[api.Audit](ctx, c, request{method: http.MethodGet, path: "/audit", query: q.values()})
}

// ExportAudit gives all records that match, the oldest first, as csv or jsonl.
func (c *Client) ExportAudit(ctx context.Context, format string, q AuditQuery) ([]byte, error) {
	v := q.values()
	v.Set("format", format)
	var data []byte
	_, err := c.call(ctx, request{method: http.MethodGet, path: "/audit/export", query: v}, &data)
	return data, err
}

// VerifyAudit holds every record of changes against the one before it, and says whether
// the head that an earlier verification gave is in the chain; without one it cannot know
// whether the whole record was made anew.
func (c *Client) VerifyAudit(ctx context.Context, head string) (api.Verified, error) {
	q := url.Values{}
	if head != "" {
		q.Set("head", head)
	}
	return read[api.Verified](ctx, c, request{method: http.MethodGet, path: "/audit/verify", query: q})
}
