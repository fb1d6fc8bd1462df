package library

import (
	"context"
	"crypto/rand"
	"encoding/xml"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/problem"
	"goldshelf/internal/channel"
	"goldshelf/internal/store"
)

// told are the actions that people and channels are told of, and whether they are
// for all or only for those who may see drafts.
var told = map[string]bool{
	string(entry.Publish): true, string(entry.Retire): true, string(entry.Restore): true, string(entry.TakeBack): true,
	string(entry.Return): false,
}

// happened is an action of told in words.
func happened(action string) string {
	return map[string]string{
		"publish": "published", "retire": "retired", "restore": "back on the shelf", "take-back": "taken back", "return": "returned",
	}[action]
}

// Follows gives what the caller follows.
func (l *Library) Follows(ctx context.Context, by Caller) (api.Follows, error) {
	out := api.Follows{Items: []api.Follow{}}
	rows, err := l.db.Follows(ctx, by.ID)
	for _, f := range rows {
		out.Items = append(out.Items, api.Follow(f))
	}
	return out, err
}

// Follow has the caller told of what happens to an entry, to a person's entries or
// to a department's; or no longer. It returns [Missing] if there is no such thing.
func (l *Library) Follow(ctx context.Context, by Caller, f api.Follow, on bool) error {
	return l.db.Change(ctx, func(tx store.Tx) error {
		if !on {
			return tx.DropFollow(ctx, by.ID, store.Follow(f))
		}
		var err error
		switch f.What {
		case "entry":
			var e store.Entry
			if e, err = l.seeing(ctx, tx.Reader, by, f.Name); err == nil {
				f.Name = e.Slug
			}
		case "person":
			_, err = tx.PersonByName(ctx, f.Name)
			err = found(err, &Missing{fmt.Sprintf("there is nobody called %q; see the people", f.Name)})
		case "department":
			var terms []store.Term
			if terms, err = tx.Terms(ctx); err == nil && (f.Name == "" || departmentProblems(terms, f.Name) != nil) {
				err = &Missing{fmt.Sprintf("there is no department %q among the labels", f.Name)}
			}
		default:
			err = problem.List{{Field: "/what", Code: "what", Message: fmt.Sprintf("one follows an entry, a person or a department, not a %q", f.What)}}
		}
		if err != nil {
			return err
		}
		return tx.AddFollow(ctx, by.ID, store.Follow(f))
	})
}

// News gives a page of what the caller was told of, the newest first.
func (l *Library) News(ctx context.Context, by Caller, limit int, cursor string) (api.News, error) {
	out := api.News{Items: []api.NewsItem{}}
	before, err := numberCursor(cursor)
	if err != nil {
		return out, err
	}
	if limit <= 0 || limit > mostLimit {
		limit = auditLimit
	}
	rows, err := l.db.News(ctx, by.ID, before, limit+1)
	if err != nil {
		return out, err
	}
	rows, out.Next = pageOf(rows, limit, func(n store.News) int64 { return n.Number })
	for _, n := range rows {
		out.Items = append(out.Items, newsItem(n))
	}
	out.Unread, err = l.db.Unread(ctx, by.ID)
	return out, err
}

// numberCursor reads a cursor that is the number where the page before ended.
func numberCursor(cursor string) (int64, error) {
	if cursor == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(cursor, 10, 64)
	if err != nil || n < 1 {
		return 0, problem.List{{Field: "/cursor", Code: "cursor", Message: "the cursor is none that a page gave; leave it out for the newest"}}
	}
	return n, nil
}

// pageOf cuts rows, of which one more than limit was asked for, to a page, and gives
// the cursor of the next: the number of the page's last row, or nothing.
func pageOf[T any](rows []T, limit int, number func(T) int64) (page []T, next string) {
	if len(rows) <= limit {
		return rows, ""
	}
	return rows[:limit], strconv.FormatInt(number(rows[limit-1]), 10)
}

func newsItem(n store.News) api.NewsItem {
	it := api.NewsItem{
		Number: n.Number, At: n.At.UTC(), ByName: n.ByName, Action: n.Action, Slug: n.Slug, Kind: entry.Kind(n.Kind), Title: n.Title, Version: n.Version, Unread: !n.Read,
	}
	it.Why, _ = n.Detail.V["because"].(string)
	if it.Why == "" && n.Action == string(entry.Publish) {
		it.Why = n.Note
	}
	return it
}

// ReadNews says that the caller has read what they were told up to an event.
func (l *Library) ReadNews(ctx context.Context, by Caller, upTo int64) error {
	return l.db.Change(ctx, func(tx store.Tx) error { return tx.ReadNews(ctx, by.ID, upTo) })
}

// NewFeed gives the caller's feed a new private address, below base. One that it
// had before no longer works.
func (l *Library) NewFeed(ctx context.Context, by Caller, base string) (api.Feed, error) {
	private := strings.ToLower(rand.Text())
	err := l.db.Change(ctx, func(tx store.Tx) error { return tx.SetFeed(ctx, by.ID, tokenHash(private)) })
	return api.Feed{Address: base + "/" + private + ".atom"}, err
}

// atom is a feed of RFC 4287.
type atom struct {
	XMLName xml.Name    `xml:"http://www.w3.org/2005/Atom feed"`
	ID      string      `xml:"id"`
	Title   string      `xml:"title"`
	Updated string      `xml:"updated"`
	Links   []atomLink  `xml:"link"`
	Entries []atomEntry `xml:"entry"`
}

type atomLink struct {
	Rel  string `xml:"rel,attr"`
	Href string `xml:"href,attr"`
}

type atomEntry struct {
	ID      string   `xml:"id"`
	Title   string   `xml:"title"`
	Updated string   `xml:"updated"`
	Author  string   `xml:"author>name"`
	Link    atomLink `xml:"link"`
	Summary string   `xml:"summary"`
}

// feedLength is how many entries a feed has at most.
const feedLength = 50

// FeedOf gives the Atom feed (RFC 4287) whose address has a private part, with links
// to the console at base; or [Missing].
func (l *Library) FeedOf(ctx context.Context, private, base string) ([]byte, error) {
	p, err := l.db.FeedHolder(ctx, tokenHash(private))
	if err != nil {
		return nil, found(err, &Missing{"there is no feed at this address; its owner may have made a new one"})
	}
	rows, err := l.db.News(ctx, p.ID, 0, feedLength)
	if err != nil {
		return nil, err
	}
	feed := atom{
		ID: fmt.Sprintf("urn:goldshelf:feed:%d", p.ID), Title: "Gold Shelf: what " + p.FullName + " follows", Updated: time.Unix(0, 0).UTC().Format(time.RFC3339),
		Links: []atomLink{{"alternate", base + "/desk"}},
	}
	if len(rows) > 0 {
		feed.Updated = rows[0].At.UTC().Format(time.RFC3339)
	}
	for _, r := range rows {
		n := newsItem(r)
		by := n.ByName
		if by == "" {
			by = "Gold Shelf"
		}
		feed.Entries = append(feed.Entries, atomEntry{
			ID: fmt.Sprintf("urn:goldshelf:event:%d", n.Number), Title: fmt.Sprintf("%s, version %d: %s", n.Title, n.Version, happened(n.Action)),
			Updated: n.At.Format(time.RFC3339), Author: by, Link: atomLink{"alternate", base + "/entries/" + n.Slug}, Summary: n.Why,
		})
	}
	data, err := xml.MarshalIndent(feed, "", "  ")
	return append([]byte(xml.Header), append(data, '\n')...), err
}

// Hooks gives the channels. It returns an [entry.Refusal] to all but curators.
func (l *Library) Hooks(ctx context.Context, by Caller) (api.Hooks, error) {
	out := api.Hooks{Items: []api.Hook{}}
	if by.Role != entry.Curator {
		return out, onlyCurators(by, "see the channels")
	}
	rows, err := l.db.Hooks(ctx)
	for _, h := range rows {
		out.Items = append(out.Items, hook(h))
	}
	return out, err
}

func hook(h store.Hook) api.Hook {
	return api.Hook{
		ID: h.ID, Title: h.Title, URL: h.URL, Actions: append([]string{}, h.Actions.V...), Departments: append([]string{}, h.Departments.V...),
		Active: h.Active, SetBy: h.SetBy, SetAt: h.SetAt.UTC(), Waiting: h.Waiting, GivenUp: h.GivenUp,
	}
}

// AddHook makes a channel and gives it with its secret, which is shown this once.
// It returns a [problem.List] if what is given does not hold.
func (l *Library) AddHook(ctx context.Context, by Caller, req api.NewHook) (out api.Hook, err error) {
	secret, err := channel.NewSecret()
	if err != nil {
		return out, err
	}
	return l.saveHook(ctx, by, req, "add-channel", func(tx store.Tx, h store.Hook) (store.Hook, error) {
		h.Secret = secret
		h.ID, err = tx.AddHook(ctx, h, by.ID, l.now())
		return h, err
	})
}

// SetHook changes a channel, but for its secret.
func (l *Library) SetHook(ctx context.Context, by Caller, id int64, req api.NewHook) (api.Hook, error) {
	return l.saveHook(ctx, by, req, "change-channel", func(tx store.Tx, h store.Hook) (store.Hook, error) {
		h.ID = id
		return h, found(tx.SetHook(ctx, h), noHook(id))
	})
}

func noHook(id int64) error { return &Missing{fmt.Sprintf("there is no channel %d", id)} }

func (l *Library) saveHook(ctx context.Context, by Caller, req api.NewHook, action string, save func(store.Tx, store.Hook) (store.Hook, error)) (out api.Hook, err error) {
	if by.Role != entry.Curator {
		return out, onlyCurators(by, "change the channels")
	}
	err = l.db.Change(ctx, func(tx store.Tx) error {
		terms, err := tx.Terms(ctx)
		if err != nil {
			return err
		}
		wrong := append(entry.Note("/title", "the title", req.Title, true), problem.Text("/url", req.URL)...)
		if err := l.Channels.Check(req.URL); err != nil {
			wrong.Add("/url", "address", "%s", err)
		}
		for i, a := range req.Actions {
			if _, is := told[a]; !is {
				wrong.Add(problem.Pointer("actions", i), "action", "nobody is told of %q; it is publish, retire, restore, return or take-back", a)
			}
		}
		for i, d := range req.Departments {
			if departmentProblems(terms, d) != nil || d == "" {
				wrong.Add(problem.Pointer("departments", i), "label", "there is no department %q", d)
			}
		}
		if err := wrong.Err(); err != nil {
			return err
		}
		h := store.Hook{Title: req.Title, URL: req.URL, Active: !req.Paused, SetBy: by.FullName, SetAt: l.now()}
		h.Actions.V, h.Departments.V = req.Actions, req.Departments
		if h, err = save(tx, h); err != nil {
			return err
		}
		out = hook(h)
		out.Secret = h.Secret
		return l.record(ctx, tx, by, action, 0, 0, map[string]any{"channel": h.ID, "title": h.Title})
	})
	return out, err
}

// DropHook removes a channel with what it was to be told.
func (l *Library) DropHook(ctx context.Context, by Caller, id int64) error {
	if by.Role != entry.Curator {
		return onlyCurators(by, "remove a channel")
	}
	return l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.DropHook(ctx, id); err != nil {
			return found(err, noHook(id))
		}
		return l.record(ctx, tx, by, "remove-channel", 0, 0, map[string]any{"channel": id})
	})
}

// Deliveries gives a page of what a channel was and is to be told, the newest first.
func (l *Library) Deliveries(ctx context.Context, by Caller, id int64, cursor string) (api.Deliveries, error) {
	out := api.Deliveries{Items: []api.Delivery{}}
	if by.Role != entry.Curator {
		return out, onlyCurators(by, "see what a channel was told")
	}
	before, err := numberCursor(cursor)
	if err != nil {
		return out, err
	}
	all, err := l.db.Hooks(ctx)
	if err != nil {
		return out, err
	}
	if !slices.ContainsFunc(all, func(h store.Hook) bool { return h.ID == id }) {
		return out, noHook(id)
	}
	rows, err := l.db.Deliveries(ctx, id, before, auditLimit+1)
	rows, out.Next = pageOf(rows, auditLimit, func(d store.Delivery) int64 { return d.ID })
	for _, d := range rows {
		one := api.Delivery{ID: d.ID, Event: d.EventID, Action: d.Action, Slug: d.Slug, State: d.State, Attempts: d.Attempts, SentAt: utc(d.SentAt), Status: d.Status, Failed: d.Failed}
		if d.State == "waiting" {
			one.NextAt = utc(&d.NextAt)
		}
		out.Items = append(out.Items, one)
	}
	return out, err
}

// SendAgain has a channel told of something once more, under the same id, so that
// it can know it as the same.
func (l *Library) SendAgain(ctx context.Context, by Caller, hook, id int64) error {
	if by.Role != entry.Curator {
		return onlyCurators(by, "have something sent again")
	}
	return l.db.Change(ctx, func(tx store.Tx) error {
		if err := tx.SendAgain(ctx, hook, id, l.now()); err != nil {
			return found(err, &Missing{fmt.Sprintf("channel %d has nothing with the number %d that could be sent again; what waits is sent by itself", hook, id)})
		}
		return l.record(ctx, tx, by, "send-again", 0, 0, map[string]any{"channel": hook, "delivery": id})
	})
}

// sendAtOnce is how many channels are told at the same time.
const sendAtOnce = 8

// SendDue tells channels what is due, each one thing at a time, and
// gives how much there was.
func (l *Library) SendDue(ctx context.Context) (int, error) {
	var due []store.Delivery
	err := l.db.Change(ctx, func(tx store.Tx) (err error) {
		due, err = tx.ClaimDeliveries(ctx, l.now(), sendAtOnce)
		return err
	})
	if err != nil {
		return 0, err
	}
	results := make(chan error, len(due))
	for _, d := range due {
		go func() { results <- l.send(ctx, d) }()
	}
	for range due {
		err = errors.Join(err, <-results)
	}
	return len(due), err
}

// send tells a channel of one event, and keeps how that ended.
func (l *Library) send(ctx context.Context, d store.Delivery) error {
	n, err := l.db.EventNews(ctx, d.EventID)
	if err != nil {
		return err
	}
	it := newsItem(n)
	at := l.now()
	status, sendErr := l.Channels.Send(ctx, d.URL, d.Secret, fmt.Sprintf("event-%d-%d", d.HookID, d.EventID), at, channel.Event{
		SpecVersion: "1.0", ID: strconv.FormatInt(it.Number, 10), Source: "urn:goldshelf:library", Type: "goldshelf.entry." + it.Action,
		Subject: it.Slug, Time: it.At, DataContentType: "application/json",
		Data: map[string]any{"slug": it.Slug, "title": it.Title, "kind": it.Kind, "version": it.Version, "department": n.Department, "by": it.ByName, "why": it.Why},
	})
	d.State, d.Status, d.Failed = "done", status, ""
	if sendErr != nil {
		d.State, d.Failed = "given-up", sendErr.Error()
		if pause, more := channel.Pause(d.Attempts); more && !errors.Is(sendErr, channel.ErrInside) {
			d.State, d.NextAt = "waiting", at.Add(pause)
		}
	}
	// Whatever ends meanwhile, how it ended is kept: else it would be sent twice.
	keep, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	return l.db.Change(keep, func(tx store.Tx) error { return tx.SettleDelivery(keep, d) })
}

// Work does what is due by the clock until ctx ends: every second, what drafts are
// found by, what is to be published and what channels are to be told. Failures are given to report, and
// tried again.
func (l *Library) Work(ctx context.Context, report func(error)) {
	every := time.NewTicker(time.Second)
	defer every.Stop()
	for {
		if err := l.workOnce(ctx); err != nil && ctx.Err() == nil {
			report(err)
		}
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
	}
}

// stoppedBefore is how long ago something was begun to be sent if whoever did so
// has been stopped since.
const stoppedBefore = time.Minute

func (l *Library) workOnce(ctx context.Context) error {
	_, publishErr := l.PublishDue(ctx) // derives first
	unclearErr := l.db.Change(ctx, func(tx store.Tx) error { return tx.LeaveUnclear(ctx, l.now().Add(-stoppedBefore)) })
	for {
		n, err := l.SendDue(ctx)
		if err != nil || n == 0 {
			return errors.Join(publishErr, unclearErr, err)
		}
	}
}
