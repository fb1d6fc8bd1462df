package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
)

// decide is a call of someone who has read a text, and decides about that.
func decide(slug, step string, seen entry.Digest, in any) request {
	r := post(entryPath(slug, step), in)
	r.header = http.Header{"If-Match": {`"` + string(seen) + `"`}}
	return r
}

// Approve approves the text that was seen. A status of 412 means that the version says
// something else by now.
func (c *Client) Approve(ctx context.Context, slug string, seen entry.Digest, comment string) (api.Entry, error) {
	return read[api.Entry](ctx, c, decide(slug, "/approve", seen, api.Approving{Comment: comment}))
}

// Return gives the text that was seen back to its writer, as in Approve.
func (c *Client) Return(ctx context.Context, slug string, seen entry.Digest, because string) (api.Entry, error) {
	return read[api.Entry](ctx, c, decide(slug, "/return", seen, api.Reason{Because: because}))
}

// Publish puts the approved text that was seen on the shelf, as in Approve.
func (c *Client) Publish(ctx context.Context, slug string, seen entry.Digest) (api.Entry, error) {
	return read[api.Entry](ctx, c, decide(slug, "/publish", seen, nil))
}

// PublishAt is Publish at a later time.
func (c *Client) PublishAt(ctx context.Context, slug string, seen entry.Digest, at time.Time) (api.Entry, error) {
	return read[api.Entry](ctx, c, decide(slug, "/publish", seen, api.PublishRequest{At: &at}))
}

// PublishTogether publishes several entries as one, now or at a time: all or none.
func (c *Client) PublishTogether(ctx context.Context, entries []api.SeenEntry, at *time.Time) (api.Published, error) {
	return read[api.Published](ctx, c, post("/publications", api.PublishTogether{Entries: entries, At: at}))
}

// PlanBulk shows what taking an action on many entries would do, and changes nothing.
func (c *Client) PlanBulk(ctx context.Context, in api.Bulk) (api.BulkPlan, error) {
	return read[api.BulkPlan](ctx, c, post("/bulk/plan", in))
}

// ApplyBulk takes an action on many entries, as a plan has shown it.
func (c *Client) ApplyBulk(ctx context.Context, in api.Bulk) (api.BulkDone, error) {
	return read[api.BulkDone](ctx, c, post("/bulk", in))
}

// Publications gives what waits for its time, and what failed at it.
func (c *Client) Publications(ctx context.Context) (api.Publications, error) {
	return read[api.Publications](ctx, c, get("/publications"))
}

// CancelPublication has what was set for a time wait for a word again.
func (c *Client) CancelPublication(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/publications/" + url.PathEscape(id)}, nil)
	return err
}

// Unpublish undoes a publication within minutes.
func (c *Client) Unpublish(ctx context.Context, slug, because string) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/unpublish"), api.Reason{Because: because}))
}

// Renew says that what is on the shelf was looked at again, and stays.
func (c *Client) Renew(ctx context.Context, slug, note string) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/renew"), api.Note{Note: note}))
}

// RestoreVersion begins the next version with the text of an old one.
func (c *Client) RestoreVersion(ctx context.Context, slug string, number int) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/versions/"+strconv.Itoa(number)+"/restore"), nil))
}

// Desk gives a page of what waits for the caller, of at most limit things (0 is
// the service's own limit), after the page whose Next the cursor is.
func (c *Client) Desk(ctx context.Context, limit int, cursor string) (api.Desk, error) {
	q := url.Values{}
	if limit > 0 {
		q.Set("limit", strconv.Itoa(limit))
	}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	return read[api.Desk](ctx, c, request{method: http.MethodGet, path: "/desk", query: q})
}

// Transfer has someone else answer for an entry.
func (c *Client) Transfer(ctx context.Context, slug, to string) (api.Transferred, error) {
	return read[api.Transferred](ctx, c, post(entryPath(slug, "/transfer"), api.Transfer{To: to}))
}

// TransferAll hands over all that a person owns.
func (c *Client) TransferAll(ctx context.Context, from, to string) (api.Transferred, error) {
	return read[api.Transferred](ctx, c, post("/people/"+url.PathEscape(from)+"/transfer", api.Transfer{To: to}))
}

// Accept takes an entry that is offered to the caller.
func (c *Client) Accept(ctx context.Context, slug string) (api.Entry, error) {
	return read[api.Entry](ctx, c, post(entryPath(slug, "/accept"), nil))
}

// Decline leaves an entry that is offered to the caller with its owner.
func (c *Client) Decline(ctx context.Context, slug string) error {
	_, err := c.call(ctx, post(entryPath(slug, "/decline"), nil), nil)
	return err
}

// SetOwners says who stands in for an entry's owner, and which department it belongs to.
func (c *Client) SetOwners(ctx context.Context, slug string, in api.Owners) (api.Entry, error) {
	return read[api.Entry](ctx, c, request{method: http.MethodPut, path: entryPath(slug, "/owners"), in: in})
}

// People lists everyone in the library.
func (c *Client) People(ctx context.Context) (api.People, error) {
	return read[api.People](ctx, c, get("/people"))
}

// AddPerson adds someone, and gives the link by which they set a password.
func (c *Client) AddPerson(ctx context.Context, in api.Person) (api.PasswordLink, error) {
	return read[api.PasswordLink](ctx, c, post("/people", in))
}

// PlanTransfer shows what transferring many entries would do, and changes nothing.
func (c *Client) PlanTransfer(ctx context.Context, in api.TransferMany) (api.TransferPlan, error) {
	return read[api.TransferPlan](ctx, c, post("/transfers/plan", in))
}

// TransferMany has someone else answer for many entries, as a plan has shown it.
func (c *Client) TransferMany(ctx context.Context, in api.TransferMany) (api.Transferred, error) {
	return read[api.Transferred](ctx, c, post("/transfers", in))
}

// DeletePerson deletes what is somebody's alone, and makes them nameless in what stays.
func (c *Client) DeletePerson(ctx context.Context, name string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/people/" + url.PathEscape(name)}, nil)
	return err
}

// ChangePerson changes what is known of someone.
func (c *Client) ChangePerson(ctx context.Context, name string, in api.PersonChange) (api.Colleague, error) {
	return read[api.Colleague](ctx, c, request{method: http.MethodPatch, path: "/people/" + url.PathEscape(name), in: in})
}

// Ownership gives what belongs to each department, in figures.
func (c *Client) Ownership(ctx context.Context) (api.Ownership, error) {
	return read[api.Ownership](ctx, c, get("/ownership"))
}
