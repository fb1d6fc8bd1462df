// Package client talks to a Gold Shelf service: what applications use to read
// and fill entries by name, and what the goldshelf command is made of.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	jsonv2 "github.com/go-json-experiment/json"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
)

// Client calls one service. It may be used from several goroutines at once.
// The zero value is not usable: Server must be set.
type Client struct {
	// Server is such as http://127.0.0.1:7420. Several services on one library are separated
	// by commas: where one does not answer, the next is asked.
	Server string
	Token  string // empty until signed in
	// Languages that are preferred, as Accept-Language has them: an entry that has renditions
	// answers with the one that suits. Empty gets what the entry itself says.
	Languages string

	Agent string       // User-Agent; empty is "goldshelf-client/1"
	HTTP  *http.Client // nil waits six minutes for an answer: an import takes its time

	// Waiting, if it is set, hears that the service is busy and will be asked again after
	// a pause.
	Waiting func(why string, pause time.Duration)

	at atomic.Int64 // which of the services answered last
}

const (
	mostTries    = 4 // of a call that the service is too busy for
	longestPause = 5 * time.Second

	askedTwice = 500 * time.Millisecond // after each of several services was asked in vain
)

// Error is an answer that something went wrong.
type Error struct {
	api.Problem
	RetryAfter time.Duration // with status 429 and 503
}

// Error gives the detail, with every single problem on a line of its own where
// there are several.
func (e *Error) Error() string {
	if len(e.Problems) == 0 && e.Problem.Status >= http.StatusInternalServerError && e.Instance != "" {
		return e.Detail.String() + " (" + strings.TrimPrefix(e.Instance, "/") + ")"
	}
	if len(e.Problems) == 0 {
		return e.Detail.String()
	}
	lines := make([]string, len(e.Problems))
	for i, p := range e.Problems {
		lines[i] = p.Message.String()
		if p.Line > 0 {
			lines[i] = fmt.Sprintf("line %d, column %d: %s", p.Line, p.Column, p.Message)
		}
	}
	return strings.Join(lines, "\n")
}

// Status gives the HTTP status of an error from the service, or 0.
func Status(err error) int {
	var e *Error
	if errors.As(err, &e) {
		return e.Problem.Status
	}
	return 0
}

// Unreachable means that no service answered.
type Unreachable struct {
	Server string
	Err    error
}

func (u *Unreachable) Error() string { return u.Said().String() }

// Said gives what it says.
func (u *Unreachable) Said() message.Text {
	return message.Say("no Gold Shelf answers at %s (%v); start it, or name another with --server or GOLDSHELF_SERVER", u.Server, u.Err)
}
func (u *Unreachable) Unwrap() error { return u.Err }

// request is one call.
type request struct {
	method, path string
	query        url.Values
	header       http.Header
	in           any
	raw          []byte // sent as it is, in the place of in
	kind         string // media type of raw; empty is any bytes
}

// call sends a request and decodes the answer into out, if that is not nil. It
// gives the answer's ETag.
func (c *Client) call(ctx context.Context, r request, out any) (etag string, err error) {
	body := r.raw
	if r.in != nil {
		if body, err = json.Marshal(r.in); err != nil {
			return "", fmt.Errorf("write the request: %w", err)
		}
	}
	if r.header == nil {
		r.header = http.Header{}
	}
	if r.method == http.MethodPost {
		r.header.Set("Idempotency-Key", uuid.NewString())
	}
	answer, data, err := c.patiently(ctx, r, body)
	if err != nil {
		return "", err
	}
	if answer.StatusCode >= 400 {
		return "", problemOf(answer, data)
	}
	if file, ok := out.(*[]byte); ok {
		*file = data
	} else if out != nil {
		if err := jsonv2.Unmarshal(data, out); err != nil {
			return "", fmt.Errorf("%s answered what is no Gold Shelf's JSON: %w", c.Server, err)
		}
	}
	return answer.Header.Get("ETag"), nil
}

// patiently sends a request, and again where nobody answered or the service is busy: under
// the same key, or on the same state, so that it is not carried out twice.
func (c *Client) patiently(ctx context.Context, r request, body []byte) (*http.Response, []byte, error) {
	services, inVain := len(c.services()), 0
	for tries := 1; ; tries++ {
		at := c.at.Load()
		answer, data, err := c.exchange(ctx, r, body)
		if err != nil {
			c.at.CompareAndSwap(at, at+1)
			// What replaces something is not done twice: it may have been, unheard.
			again := r.method != http.MethodPut || neverSent(err) && services > 1
			if inVain++; inVain == 2*services || !again || ctx.Err() != nil {
				return nil, nil, &Unreachable{c.Server, err}
			}
			if inVain == services && services > 1 {
				pause(ctx, askedTwice)
			}
			continue
		}
		switch {
		case answer.StatusCode != http.StatusServiceUnavailable || answer.Header.Get("Retry-After") == "" || tries == mostTries:
			return answer, data, nil
		}
		busy := problemOf(answer, data)
		wait := min(busy.RetryAfter, longestPause)
		if c.Waiting != nil {
			c.Waiting(busy.Detail.String(), wait)
		}
		if !pause(ctx, wait) {
			return answer, data, nil
		}
	}
}

// pause waits, and says whether there is still somebody to go on for.
func pause(ctx context.Context, wait time.Duration) bool {
	select {
	case <-time.After(wait):
		return true
	case <-ctx.Done():
		return false
	}
}

// neverSent says of an error that nobody was there to hear anything.
func neverSent(err error) bool {
	var network *net.OpError
	return errors.As(err, &network) && network.Op == "dial"
}

func (c *Client) services() []string { return strings.Split(c.Server, ",") }

// Address is that of the service that is asked next: that which answered last.
func (c *Client) Address() string {
	all := c.services()
	return strings.TrimSuffix(strings.TrimSpace(all[int(c.at.Load()%int64(len(all)))]), "/")
}

// exchange sends a request once, and reads the whole answer.
func (c *Client) exchange(ctx context.Context, r request, body []byte) (*http.Response, []byte, error) {
	answer, err := c.send(ctx, r, body)
	if err != nil {
		return nil, nil, err
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(answer.Body)
	return answer, data, err
}

func (c *Client) send(ctx context.Context, r request, body []byte) (*http.Response, error) {
	target := c.Address() + "/api/v1" + r.path
	if len(r.query) > 0 {
		target += "?" + r.query.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, r.method, target, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	req.Header = r.header.Clone()
	switch {
	case r.raw != nil && r.kind != "":
		req.Header.Set("Content-Type", r.kind)
	case r.raw != nil:
		req.Header.Set("Content-Type", "application/octet-stream")
	case body != nil:
		req.Header.Set("Content-Type", "application/json")
	}
	if c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	agent := c.Agent
	if agent == "" {
		agent = "goldshelf-client/1"
	}
	req.Header.Set("User-Agent", agent)
	if c.Languages != "" {
		req.Header.Set("Accept-Language", c.Languages)
	}
	caller := c.HTTP
	if caller == nil {
		caller = &http.Client{Timeout: 6 * time.Minute}
	}
	return caller.Do(req)
}

// problemOf reads what went wrong; an answer that is no problem details, as
// from a proxy, becomes one.
func problemOf(answer *http.Response, data []byte) *Error {
	e := &Error{}
	if err := json.Unmarshal(data, &e.Problem); err != nil || e.Detail.IsZero() {
		e.Problem = api.Problem{Status: answer.StatusCode, Title: message.Plain(answer.Status), Detail: message.Say("the server answered %s", answer.Status)}
	}
	if s, err := strconv.Atoi(answer.Header.Get("Retry-After")); err == nil {
		e.RetryAfter = time.Duration(s) * time.Second
	}
	return e
}

func get(path string) request { return request{method: http.MethodGet, path: path} }
func post(path string, in any) request {
	return request{method: http.MethodPost, path: path, in: in}
}

// read is call for what is only read.
func read[T any](ctx context.Context, c *Client, r request) (T, error) {
	var out T
	_, err := c.call(ctx, r, &out)
	return out, err
}

// SignIn signs in and keeps the token in the client.
func (c *Client) SignIn(ctx context.Context, name, password string) (api.Session, error) {
	return c.SignInWith(ctx, api.Credentials{Name: name, Password: password})
}

// SignInWith is SignIn for those who sign in with a one-time code too.
func (c *Client) SignInWith(ctx context.Context, in api.Credentials) (api.Session, error) {
	s, err := read[api.Session](ctx, c, post("/session", in))
	if err == nil {
		c.Token = s.Token
	}
	return s, err
}

// Session says who is signed in.
func (c *Client) Session(ctx context.Context) (api.Session, error) {
	return read[api.Session](ctx, c, get("/session"))
}

// ChangePassword sets the caller's own password, ends every session and token of theirs,
// and keeps a new token in the client.
func (c *Client) ChangePassword(ctx context.Context, old, new string) (api.Session, error) {
	s, err := read[api.Session](ctx, c, request{method: http.MethodPut, path: "/session/password", in: api.OwnPassword{Old: old, New: new}})
	if err == nil {
		c.Token = s.Token
	}
	return s, err
}

// SignOutEverywhere ends every session and token of the caller.
func (c *Client) SignOutEverywhere(ctx context.Context) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/sessions"}, nil)
	if err == nil {
		c.Token = ""
	}
	return err
}

// SignOut ends the token.
func (c *Client) SignOut(ctx context.Context) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/session"}, nil)
	if err == nil {
		c.Token = ""
	}
	return err
}

// Query narrows a list.
type Query struct {
	Words  string
	Labels map[string][]string // by facet; "kind" is one
	State  entry.State         // of Entries only
	Mine   bool                // of Entries only: what the caller owns or stands in for
	Asks   bool                // of Shelf only: items say which blanks they ask for
	Newest bool                // the newest first, not the best match
	Limit  int
	Cursor string
}

func (q Query) values() url.Values {
	v := url.Values{}
	for facet, terms := range q.Labels {
		v[facet] = terms
	}
	for name, value := range map[string]string{"q": q.Words, "state": string(q.State), "cursor": q.Cursor} {
		if value != "" {
			v.Set(name, value)
		}
	}
	if q.Limit > 0 {
		v.Set("limit", strconv.Itoa(q.Limit))
	}
	if q.Mine {
		v.Set("mine", "true")
	}
	if q.Asks {
		v.Set("asks", "true")
	}
	if q.Newest {
		v.Set("sort", "newest")
	}
	return v
}

// Shelf searches what is published.
func (c *Client) Shelf(ctx context.Context, q Query) (api.List, error) {
	return read[api.List](ctx, c, request{method: http.MethodGet, path: "/shelf", query: q.values()})
}

// Entries searches every entry that the caller may see.
func (c *Client) Entries(ctx context.Context, q Query) (api.List, error) {
	return read[api.List](ctx, c, request{method: http.MethodGet, path: "/entries", query: q.values()})
}

// ShelfEntry reads a published entry by slug or short code, with "@3" that
// version.
func (c *Client) ShelfEntry(ctx context.Context, ref string) (api.Entry, error) {
	return read[api.Entry](ctx, c, get(shelfPath(ref, "")))
}

// MissedSearches gives what was searched for and not found, the most often first.
func (c *Client) MissedSearches(ctx context.Context) ([]api.MissedSearch, error) {
	all, err := read[api.MissedSearches](ctx, c, get("/missed-searches"))
	return all.Items, err
}

// AddMissedSearch counts what was searched for in vain, without anybody's name.
func (c *Client) AddMissedSearch(ctx context.Context, in api.Searched) error {
	_, err := c.call(ctx, post("/missed-searches", in), nil)
	return err
}

// Favourites gives what the caller keeps at hand and is on the shelf, the last that was
// added first.
func (c *Client) Favourites(ctx context.Context) ([]api.Item, error) {
	all, err := read[api.Items](ctx, c, get("/favourites"))
	return all.Items, err
}

// AddFavourite keeps an entry at hand.
func (c *Client) AddFavourite(ctx context.Context, slug string) error {
	_, err := c.call(ctx, request{method: http.MethodPut, path: "/favourites/" + url.PathEscape(slug)}, nil)
	return err
}

// RemoveFavourite keeps an entry at hand no longer.
func (c *Client) RemoveFavourite(ctx context.Context, slug string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: "/favourites/" + url.PathEscape(slug)}, nil)
	return err
}

// Fill fills in a published entry with the stack that it recommends.
func (c *Client) Fill(ctx context.Context, ref string, values fill.Values) (api.Filled, error) {
	return c.FillStack(ctx, ref, api.FillRequest{Values: values})
}

// FillStack fills in a published entry with a stack of the caller's choice.
func (c *Client) FillStack(ctx context.Context, ref string, in api.FillRequest) (api.Filled, error) {
	return read[api.Filled](ctx, c, post(shelfPath(ref, "/fill"), in))
}

// Uses gives what uses an entry, directly and through others.
func (c *Client) Uses(ctx context.Context, slug string) (api.Uses, error) {
	return read[api.Uses](ctx, c, get(entryPath(slug, "/uses")))
}

// Effect gives a user's text before and after an entry's open version is published.
func (c *Client) Effect(ctx context.Context, slug, user string) (api.Effect, error) {
	return read[api.Effect](ctx, c, get(entryPath(slug, "/effects/"+url.PathEscape(user))))
}

// Preview fills in a text that is not saved.
func (c *Client) Preview(ctx context.Context, in api.PreviewRequest) (api.Preview, error) {
	return read[api.Preview](ctx, c, post("/preview", in))
}

// Check has the service read a text that need not be saved.
func (c *Client) Check(ctx context.Context, in api.NewEntry) (api.Checked, error) {
	return read[api.Checked](ctx, c, post("/check", whole(in)))
}

// CheckEntry has the service read the version of an entry that the caller works on.
func (c *Client) CheckEntry(ctx context.Context, slug string) (api.Checked, error) {
	return read[api.Checked](ctx, c, get(entryPath(slug, "/check")))
}

// Policy gives the policy in force about checks.
func (c *Client) Policy(ctx context.Context) (api.Policy, error) {
	return read[api.Policy](ctx, c, get("/policy"))
}

// SetPolicy puts a policy in force in the place of the one with a number. A
// status of 412 means that another is in force by now.
func (c *Client) SetPolicy(ctx context.Context, on int, p check.Policy) (api.Policy, error) {
	return read[api.Policy](ctx, c, putOn("policy", on, "/policy", p))
}

// Rules gives the rules of the checks, as they come.
func (c *Client) Rules(ctx context.Context) ([]api.Rule, error) {
	return read[[]api.Rule](ctx, c, get("/rules"))
}

// Kinds gives the kinds of entries with their outlines.
func (c *Client) Kinds(ctx context.Context) ([]api.KindOutline, error) {
	return read[[]api.KindOutline](ctx, c, get("/kinds"))
}

// StoppedByChecks says whether an error is that checks stop a step.
func StoppedByChecks(err error) bool {
	var e *Error
	return errors.As(err, &e) && e.Type == "/problems/checks"
}

// ReadText says what can be said of a text that was pasted.
func (c *Client) ReadText(ctx context.Context, in api.TextOf) (api.TextRead, error) {
	return read[api.TextRead](ctx, c, post("/read", in))
}

// MakeBlanks makes blanks of places of a text.
func (c *Client) MakeBlanks(ctx context.Context, in api.BlanksRequest) (api.BlanksMade, error) {
	return read[api.BlanksMade](ctx, c, post("/blanks", in))
}

// Similar gives the entries that say nearly what a text says.
func (c *Client) Similar(ctx context.Context, in api.TextOf) (api.SimilarList, error) {
	return read[api.SimilarList](ctx, c, post("/similar", in))
}

// SimilarGroups gives the entries of the library that say nearly the same.
func (c *Client) SimilarGroups(ctx context.Context) (api.Groups, error) {
	return read[api.Groups](ctx, c, get("/similar/groups"))
}

// RecurringPassages gives the passages that three published entries or more have.
func (c *Client) RecurringPassages(ctx context.Context) (api.Recurring, error) {
	return read[api.Recurring](ctx, c, get("/similar/passages"))
}

// Labels gives every facet with its terms.
func (c *Client) Labels(ctx context.Context) ([]api.Facet, error) {
	return read[[]api.Facet](ctx, c, get("/labels"))
}
