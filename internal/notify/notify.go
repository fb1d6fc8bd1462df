// Package notify tells people and channels what happens: what one follows, the news of
// it, feeds, and the channels that hear of it over HTTP.
package notify

import (
	"context"
	"math"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/channel"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// Service has the use cases.
type Service struct {
	db     *work.DB
	sender *channel.Sender
	queued func()
}

// New gives the use cases on a library. Channels are reached by sender, and queued is
// told when there is something to send.
func New(db *work.DB, sender *channel.Sender) *Service {
	return &Service{db: db, sender: sender, queued: func() {}}
}

const (
	usualLimit = 50 // things on a page
	mostLimit  = 200
)

// happened is an action in words, as it is recorded.
func happened(action string) message.Text {
	return message.Plain(map[string]string{
		"publish": "published", "retire": "retired", "restore": "back on the shelf", "take-back": "unpublished", "return": "returned",
	}[action])
}

// Follows gives what the caller follows.
func (s *Service) Follows(ctx context.Context, by work.Caller) (api.Follows, error) {
	out := api.Follows{Items: []api.Follow{}}
	rows, err := work.Ask(ctx, s.db, func(v work.View) ([]store.Follow, error) { return v.Follows(by.ID) })
	for _, f := range rows {
		out.Items = append(out.Items, api.Follow(f))
	}
	return out, err
}

// Follow has the caller told of what happens to an entry, to a person's entries or to a
// department's; or no longer. It returns a [work.Missing] if there is no such thing.
func (s *Service) Follow(ctx context.Context, by work.Caller, f api.Follow, on bool) error {
	if err := append(problem.Text("/what", f.What), problem.Text("/name", f.Name)...).Err(); err != nil {
		return err
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		if !on {
			return u.DropFollow(by.ID, store.Follow(f))
		}
		var err error
		switch f.What {
		case "entry":
			var e store.Entry
			if e, err = texts.Seen(u.Reader, by, f.Name); err == nil {
				f.Name = e.Slug
			}
		case "person":
			_, err = u.PersonByName(f.Name)
			err = work.Found(err, work.MissingF("there is nobody called %q; see the people", f.Name))
		case "department":
			var terms []store.Term
			if terms, err = u.Terms(); err == nil && (f.Name == "" || texts.DepartmentProblems("", f.Name, terms) != nil) {
				err = work.MissingF("there is no department %q among the labels", f.Name)
			}
		default:
			err = work.Wrong("/what", "what", "one follows an entry, a person or a department, not a %q", f.What)
		}
		if err != nil {
			return err
		}
		return u.AddFollow(by.ID, store.Follow(f))
	})
}

// News gives a page of what the caller was told of, the newest first.
func (s *Service) News(ctx context.Context, by work.Caller, limit int, cursor string) (api.News, error) {
	out := api.News{Items: []api.NewsItem{}}
	before, err := work.NumberCursor(cursor, math.MaxInt64)
	if err != nil {
		return out, err
	}
	if limit <= 0 || limit > mostLimit {
		limit = usualLimit
	}
	return work.See(ctx, s.db, func(v work.View) (api.News, error) {
		out.Items = out.Items[:0] // the view may run again
		rows, err := v.News(by.ID, before, limit+1, by.Sight())
		if err != nil {
			return out, err
		}
		rows, out.Next = work.PageOf(rows, limit, func(n store.News) int64 { return n.Number })
		for _, n := range rows {
			out.Items = append(out.Items, newsItem(n))
		}
		out.Unread, err = v.Unread(by.ID, by.Sight())
		return out, err
	})
}

func newsItem(n store.News) api.NewsItem {
	it := api.NewsItem{
		Number: n.Number, At: n.At.UTC(), ByName: n.ByName, Action: n.Action, Slug: n.Slug, Kind: entry.Kind(n.Kind), Title: n.Title, Version: n.Version, Unread: !n.Read,
	}
	because, _ := n.Detail.V["because"].(string)
	if because == "" && n.Action == string(entry.Publish) {
		because = n.Note
	}
	it.Why = message.Plain(because)
	if n.Action == entry.Thank.Recorded() {
		it.Why = thanksOf(n.Detail.V)
	}
	return it
}

// ReadNews says that the caller has read what they were told up to an event.
func (s *Service) ReadNews(ctx context.Context, by work.Caller, upTo int64) error {
	return work.Run(ctx, s.db, by, func(u *work.Unit) error { return u.ReadNews(by.ID, upTo) })
}

// thanksOf says what somebody is thanked for.
func thanksOf(detail map[string]any) message.Text {
	day := func(name string) any {
		text, _ := detail[name].(string)
		if t, err := time.Parse(time.DateOnly, text); err == nil {
			return message.Day(t)
		}
		return text
	}
	return message.Say("from %s to %s %s used what is yours", day("since"), day("until"), message.Counted(int(numberIn(detail, "people")), "person", "people"))
}
