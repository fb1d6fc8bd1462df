package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	"goldshelf/api"
	"goldshelf/core/trial"
)

// TestBed gives an entry's fills, and what replies to them must hold to.
func (c *Client) TestBed(ctx context.Context, slug string) (api.TestBed, error) {
	return read[api.TestBed](ctx, c, get(entryPath(slug, "/test-bed")))
}

// SetTestBed changes the test bed that has a number, 0 for none. A status of 412 means that it
// is another by now.
func (c *Client) SetTestBed(ctx context.Context, slug string, on int, in trial.Bed) (api.TestBed, error) {
	return read[api.TestBed](ctx, c, putOn("test-bed", on, entryPath(slug, "/test-bed"), in))
}

// ReadFills reads fills from a CSV: a column for each blank, and one called name.
func (c *Client) ReadFills(ctx context.Context, csv string) (api.TestFills, error) {
	return read[api.TestFills](ctx, c, post("/trials/fills", api.FillsFile{CSV: csv}))
}

// EstimateTrial says what a trial would take, or what is wrong with it.
func (c *Client) EstimateTrial(ctx context.Context, slug string, in api.NewTrial) (api.TrialEstimate, error) {
	return read[api.TrialEstimate](ctx, c, post(entryPath(slug, "/trials/estimate"), in))
}

// StartTrial begins a trial of an entry.
func (c *Client) StartTrial(ctx context.Context, slug string, in api.NewTrial) (api.Trial, error) {
	return read[api.Trial](ctx, c, post(entryPath(slug, "/trials"), in))
}

// Trials gives those of an entry, or of all where the slug is empty, the last begun first; and
// only those in which a change has come of it, where one is named.
func (c *Client) Trials(ctx context.Context, slug string, change trial.Trend) (api.Trials, error) {
	r := get("/trials")
	r.query = url.Values{}
	if slug != "" {
		r.query.Set("entry", slug)
	}
	if change != "" {
		r.query.Set("change", string(change))
	}
	return read[api.Trials](ctx, c, r)
}

// UserTrials gives the entries that use another, with how they do with its open version.
func (c *Client) UserTrials(ctx context.Context, slug string) (api.UserTrials, error) {
	return read[api.UserTrials](ctx, c, get(entryPath(slug, "/user-trials")))
}

// EstimateUserTrials says what trials of all users of an entry would take, or what is wrong.
func (c *Client) EstimateUserTrials(ctx context.Context, slug string, in api.NewUserTrials) (api.UserTrialsEstimate, error) {
	return read[api.UserTrialsEstimate](ctx, c, post(entryPath(slug, "/user-trials/estimate"), in))
}

// StartUserTrials begins a trial of each user of an entry that can be tried.
func (c *Client) StartUserTrials(ctx context.Context, slug string, in api.NewUserTrials) (api.UserTrials, error) {
	return read[api.UserTrials](ctx, c, post(entryPath(slug, "/user-trials"), in))
}

// WatchTrial tells how far a trial has come whenever that changes, and gives it at last as it
// ended.
func (c *Client) WatchTrial(ctx context.Context, id string, progress func(api.TrialItem)) (api.TrialItem, error) {
	return watch[api.TrialItem, api.TrialItem](ctx, c, trialPath(id, "/events"), progress)
}

func trialPath(id, rest string) string { return "/trials/" + url.PathEscape(id) + rest }

// Trial gives a trial as far as it has come.
func (c *Client) Trial(ctx context.Context, id string) (api.Trial, error) {
	return read[api.Trial](ctx, c, get(trialPath(id, "")))
}

// DeleteTrial deletes one with all its replies.
func (c *Client) DeleteTrial(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: trialPath(id, "")}, nil)
	return err
}

// StopTrial has one ask for nothing more.
func (c *Client) StopTrial(ctx context.Context, id string) (api.Trial, error) {
	return read[api.Trial](ctx, c, post(trialPath(id, "/stop"), nil))
}

// ResumeTrial goes on with one: what was stopped, or what failed, is asked again.
func (c *Client) ResumeTrial(ctx context.Context, id string, in api.ResumeTrial) (api.Trial, error) {
	return read[api.Trial](ctx, c, post(trialPath(id, "/resume"), in))
}

// TrialCell gives what was sent for a fill under a set-up, both counted from 0, and what came.
func (c *Client) TrialCell(ctx context.Context, id string, fill, setUp int) (api.TrialCellReplies, error) {
	return read[api.TrialCellReplies](ctx, c, get(trialPath(id, fmt.Sprintf("/cells/%d/%d", fill, setUp))))
}

// TrialReplies gives all replies, as csv or as a zip with a file for each.
func (c *Client) TrialReplies(ctx context.Context, id, as string) ([]byte, error) {
	r := get(trialPath(id, "/replies"))
	r.query = url.Values{"as": {as}}
	var data []byte
	_, err := c.call(ctx, r, &data)
	return data, err
}

// MarkReply says whether a reply holds to an expectation, counted from 0.
func (c *Client) MarkReply(ctx context.Context, id, reply string, expectation int, in api.NewMark) (api.Trial, error) {
	r := post(trialPath(id, fmt.Sprintf("/replies/%s/marks/%d", url.PathEscape(reply), expectation)), in)
	r.method = http.MethodPut
	return read[api.Trial](ctx, c, r)
}

// TrialPair gives two replies that the caller has not compared, without whose they are.
func (c *Client) TrialPair(ctx context.Context, id string) (api.TrialPair, error) {
	return read[api.TrialPair](ctx, c, get(trialPath(id, "/pair")))
}

// PreferReply says which of two replies is better.
func (c *Client) PreferReply(ctx context.Context, id string, in api.NewPreference) error {
	_, err := c.call(ctx, post(trialPath(id, "/preferences"), in), nil)
	return err
}
