package notify

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/xml"
	"fmt"
	"strings"
	"time"

	"goldshelf/api"
	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// NewFeed gives the caller's feed a new private address, below base. One that it had
// before no longer works.
func (s *Service) NewFeed(ctx context.Context, by work.Caller, base string) (api.Feed, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Feed, error) {
		private := strings.ToLower(rand.Text())
		return api.Feed{Address: base + "/" + private + ".atom"}, u.SetFeed(by.ID, feedHash(private))
	})
}

func feedHash(private string) []byte {
	sum := sha256.Sum256([]byte(private))
	return sum[:]
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

// How many entries a feed has at most.
const (
	feedLength    = 50
	reportsInFeed = 10 // of the stocktake, for curators
)

// FeedOf gives the Atom feed (RFC 4287) whose address has a private part, with links to
// the console at base; or a [work.Missing].
func (s *Service) FeedOf(ctx context.Context, private, base string) ([]byte, error) {
	var p store.Person
	var reports []store.StocktakeReport
	rows, err := work.See(ctx, s.db, func(v work.View) (_ []store.News, err error) {
		if p, err = v.FeedHolder(feedHash(private)); err != nil {
			return nil, work.Found(err, work.MissingF("there is no feed at this address; its owner may have made a new one"))
		}
		if entry.Role(p.Role) == entry.Curator {
			if reports, err = v.NewestReports(reportsInFeed); err != nil {
				return nil, err
			}
		}
		return v.News(p.ID, 0, feedLength, work.CallerOf(p, "api").Sight())
	})
	if err != nil {
		return nil, err
	}
	in := message.Language(p.Language)
	feed := atom{
		ID: fmt.Sprintf("urn:goldshelf:feed:%d", p.ID), Title: message.Say("Gold Shelf: what %s follows", p.FullName).In(in), Updated: time.Unix(0, 0).UTC().Format(time.RFC3339),
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
		if n.Slug == "" {
			feed.Entries = append(feed.Entries, atomEntry{
				ID: fmt.Sprintf("urn:goldshelf:event:%d", n.Number), Title: message.Say("%s thanks you", by).In(in),
				Updated: n.At.Format(time.RFC3339), Author: by, Link: atomLink{"alternate", base + "/desk"}, Summary: n.Why.In(in),
			})
			continue
		}
		feed.Entries = append(feed.Entries, atomEntry{
			ID: fmt.Sprintf("urn:goldshelf:event:%d", n.Number), Title: message.Say("%s, version %d: %s", n.Title, n.Version, happened(n.Action)).In(in),
			Updated: n.At.Format(time.RFC3339), Author: by, Link: atomLink{"alternate", base + "/entries/" + n.Slug}, Summary: n.Why.In(in),
		})
	}
	for _, r := range reports {
		made := r.MadeAt.UTC().Format(time.RFC3339)
		feed.Updated = max(feed.Updated, made)
		title := message.Say("Stocktake, %s to %s", message.Day(r.Since), message.Day(r.Until.AddDate(0, 0, -1))).In(message.Language(r.Language))
		feed.Entries = append(feed.Entries, atomEntry{
			ID: fmt.Sprintf("urn:goldshelf:stocktake-report:%d", r.ID), Title: title, Updated: made, Author: "Gold Shelf",
			Link: atomLink{"alternate", base + "/stocktake/report?since=" + r.Since.Format(time.DateOnly) + "&until=" + r.Until.AddDate(0, 0, -1).Format(time.DateOnly)}, Summary: r.Text,
		})
	}
	data, err := xml.MarshalIndent(feed, "", "  ")
	return append([]byte(xml.Header), append(data, '\n')...), err
}
